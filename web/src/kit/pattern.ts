/** The pattern in hand: which one the strip shows, and what is done to it. */
import { create } from 'zustand'
import { rest } from '../session/rest'
import type { Pattern } from '../session/wire'
import { frame, say, settled } from '../session/actions'
import { onLeave } from '../session/events'
import { useDesk } from '../session/store'

interface Patterns {
  readonly open: boolean
  readonly list: readonly Pattern[]
  readonly chosen: string
  /** Velocity of a click: by the meter (null), or by where in its line it is pressed. */
  readonly byMeter: boolean
}

export const usePatterns = create<Patterns>(() => ({ open: false, list: [], chosen: '', byMeter: true }))

/** Ask for the patterns as they are now. */
export async function refreshPatterns(): Promise<void> {
  const { pieceId } = useDesk.getState()
  const list = await rest.patterns(pieceId).catch(() => null)
  if (list) usePatterns.setState((s) => ({ list, chosen: list.some((p) => p.id === s.chosen) ? s.chosen : '' }))
}

/** The pattern of the pen's part that is chosen, or under the pen, or the first. */
export function usePattern(): Pattern | null {
  const { list, chosen } = usePatterns()
  const pen = useDesk((s) => s.pen)
  const mine = list.filter((p) => p.part === pen?.part)
  const here = mine.find((p) => p.id === chosen)
  return here ?? mine.find((p) => pen && pen.tick >= p.start && pen.tick < p.start + p.ticks * p.times) ?? null
}

/** The strip turns into the lines of the kit; where the pen's bar has no pattern yet, it becomes one. */
export function togglePatterns(): void {
  if (usePatterns.getState().open) return closePatterns()
  settled(() => {
    // the pen may still be on its way to the kit
    const { pen } = useDesk.getState()
    if (!pen?.drums) return say('Patterns are for a kit: put the pen on a percussion part first')
    void refreshPatterns().then(() => {
      const here = usePatterns
        .getState()
        .list.find((p) => p.part === pen.part && pen.tick >= p.start && pen.tick < p.start + p.ticks * p.times)
      const open = () => usePatterns.setState({ open: true, chosen: here?.id ?? '' })
      // the line speaks of it once it is there: nothing that is opened on it is pulled away
      if (!here) return makePattern(1, 1, '', undefined, open)
      open()
      say(`The pattern of ${here.where}`)
    })
  })
}

export const closePatterns = () => usePatterns.setState({ open: false })
onLeave(closePatterns)

export function makePattern(bars: number, times: number, ready = '', bar?: number, then = () => {}): void {
  const { pen, selectedBars } = useDesk.getState()
  if (!pen) return
  const first = bar ?? selectedBars?.[0] ?? pen.bar
  frame({
    name: 'make-pattern',
    part: pen.part,
    bar: first,
    bars: bar === undefined && selectedBars ? selectedBars[1] - selectedBars[0] + 1 : bars,
    times,
    ready,
  })
  settled(() => void refreshPatterns().then(then))
}

/** A stroke set, changed or taken away. */
export function strike(pattern: Pattern, at: number, key: number, velocity: number | null, ticks: number): void {
  const cells = pattern.cells.filter(([t, k]) => t !== at || k !== key)
  const fresh: Pattern = { ...pattern, cells: velocity === 0 ? cells : [...cells, [at, key, velocity ?? 80]] }
  usePatterns.setState((s) => ({ list: s.list.map((p) => (p.id === pattern.id ? fresh : p)) })) // seen at once
  frame({ name: 'strike-cell', pattern: pattern.id, at, key, velocity, ticks })
}
