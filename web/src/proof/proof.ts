/**
 * Proof by playing: what is on the page is played, the page follows, and the places that differ are decided one by one.
 */
import type { Difference } from '../session/wire'
import { choose, give, say, send } from '../session/actions'
import { onMessage } from '../session/events'
import { useDesk } from '../session/store'
import { useListening } from '../playback/listening'

/** Hold the playing against the page from now on; the pen is lifted, so that no key writes. */
export function openProof(): void {
  if (useDesk.getState().pen?.down) give({ name: 'pen', down: false })
  if (useDesk.getState().selection.size) choose([])
  useDesk.setState({ panel: 'proof' })
}

export function toggleProof(): void {
  if (useDesk.getState().panel === 'proof') return closeProof()
  openProof()
  say('Proof: play what is on the page, it begins with your first key; the page follows you')
}

/** The proof is over; what was decided stays. */
export function closeProof(): void {
  const { proof } = useDesk.getState()
  useDesk.setState({ panel: 'step' })
  if (proof) send({ type: 'proof-decide', do: 'close' })
}

export const holdAgainstPage = (take: number) => {
  const { pen } = useDesk.getState()
  openProof()
  if (pen) send({ type: 'proof-hold', take, part: pen.part })
}

function inHand(): { difference: Difference; index: number; of: readonly Difference[] } | null {
  const { proof, differing } = useDesk.getState()
  const of = proof?.differences ?? []
  const index = Math.max(
    of.findIndex((d) => d.key === differing),
    0,
  )
  const difference = of[index]
  if (difference) return { difference, index, of }
  say(proof ? 'Nothing is left to decide' : 'Nothing was held against the page yet')
  return null
}

const describe = (d: Difference) => `${d.place}: ${d.words}`

export function stepDifference(by: number): void {
  const found = inHand()
  if (!found) return
  const next = found.of[(found.index + by + found.of.length) % found.of.length]!
  useDesk.setState({ differing: next.key })
  say(`Place ${found.of.indexOf(next) + 1} of ${found.of.length} that differs, ${describe(next)}`)
}

/** One key takes the played version over, another leaves the page as it is. */
export function decideDifference(what: 'take' | 'leave', key?: string): void {
  const found = key ?? inHand()?.difference.key
  if (found) send({ type: 'proof-decide', do: what, key: found })
}

export const decideAll = (what: 'take' | 'leave') => send({ type: 'proof-decide', do: what })

/** The page goes with the player, until the recording ends. */
onMessage('followed', ({ tick }) => {
  if (useDesk.getState().recording?.proof) useListening.setState({ tick })
})
onMessage('recording', ({ going }, before) => {
  if (!going && before.recording?.proof) useListening.setState({ tick: null })
})
