/** Why the selected note of a take was written as it was: what each stage decided, and what else it could be. */
import { useEffect, useState } from 'react'
import { rest } from '../session/rest'
import { useDeskParts } from '../session/store'
import type { Stage } from '../session/wire'

const percent = (p: number) => `${Math.round(100 * p)} %`

/** One stage in words: "on beat 2 (96 %), for it was struck 4 ms after it; else on beat 1 1/2 (3 %)". */
export function stageWords({ decided, because, probability, rivals = [] }: Stage): string {
  const sure = probability === null || probability === undefined ? '' : ` (${percent(probability)})`
  const else_ = rivals.map(([words, p]) => `${words} (${percent(p)})`).join(', ')
  return `${decided}${sure}, for ${because}${else_ ? `; else ${else_}` : ''}`
}

export function Why({ readingId }: { readingId: string }) {
  const { pieceId, selection, state } = useDeskParts('pieceId', 'selection', 'state')
  const note = selection.size === 1 ? [...selection][0]! : ''
  const [stages, setStages] = useState<readonly Stage[]>([])
  useEffect(() => {
    let late = false
    setStages([])
    if (note)
      rest.why(pieceId, readingId, note).then(
        (told) => {
          if (!late) setStages(told)
        },
        () => undefined, // a note that is not of this take
      )
    return () => {
      late = true
    }
  }, [pieceId, readingId, note, state?.revision])
  if (!stages.length) return null
  return (
    <p data-testid="why" className="border-t border-rule px-3 py-1 text-[0.95rem] text-faint">
      Here because: {stages.map(stageWords).join('. ')}.
    </p>
  )
}
