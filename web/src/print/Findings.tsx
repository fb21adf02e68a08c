/** What a proofreader would mark on the pages; each entry goes to its bar at the desk. */
import { useEffect, useState } from 'react'
import { give } from '../session/actions'
import { rest, type PrintHow } from '../session/rest'
import { useDeskParts } from '../session/store'
import type { Finding } from '../session/wire'
import { Phrase } from '../prompt/Phrase'
import { closePrint } from './opened'
import { begin } from './saving'

export function Findings({ how }: { how: PrintHow }) {
  const { pieceId, pen, state } = useDeskParts('pieceId', 'pen', 'state')
  const [found, setFound] = useState<readonly Finding[] | null>(null)
  const revision = state?.revision
  useEffect(() => {
    let stale = false
    setFound(null)
    const work = begin(
      (name) => rest.proofread(pieceId, how, name),
      () => undefined,
    )
    work.done.then(
      (all) => {
        if (!stale) setFound(all)
      },
      () => undefined, // what keeps pages from being made is said by the view
    )
    return () => {
      stale = true
      work.stop()
    }
  }, [pieceId, how, revision])
  const go = (tick: number) => () => {
    closePrint()
    if (pen) give({ name: 'place', part: pen.part, staff: pen.staff, tick })
  }
  if (!found) return <span data-testid="findings">Being proofread ...</span>
  if (!found.length) return <span data-testid="findings">Proofread: nothing to look at.</span>
  return (
    <span data-testid="findings">
      Proofread:{' '}
      <Phrase
        name="things to look at"
        options={found.map((f) => ({
          label: `Page ${f.page}, ${f.place}: ${f.words}`,
          chosen: false,
          act: go(f.tick),
        }))}>
        {found.length === 1 ? '1 thing' : `${found.length} things`} to look at
      </Phrase>
      .
    </span>
  )
}
