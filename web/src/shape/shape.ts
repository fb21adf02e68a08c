/**
 * The strip over any stretch of the page: its notes in time, what quantize in place would do to them, and the gestures
 * that give velocities.
 */
import { create } from 'zustand'
import { persist } from 'zustand/middleware'
import { rest } from '../session/rest'
import type { Edit, InPlace, Shape, WeighedNotes } from '../session/wire'
import { edit, say, send, settled } from '../session/actions'
import { onLeave, onMessage } from '../session/events'
import { useDesk } from '../session/store'
import { nowUs } from '../input/port'
import { tickOf } from '../recording/recorder'

interface ShapeState {
  readonly open: boolean
  /** The part and bars (indices) that are shown. */
  readonly part: string
  readonly first: number
  readonly last: number
  readonly data: Shape | null
  /** What would become of the notes if they were quantized now; null while nothing is asked. */
  readonly weighed: WeighedNotes | null
  readonly view: 'times' | 'velocities'
  readonly list: boolean
}

export const useShape = create<ShapeState>(() => ({
  open: false,
  part: '',
  first: 0,
  last: 0,
  data: null,
  weighed: null,
  view: 'times',
  list: false,
}))

/** The settings of quantize in place, as they were last: one key does the same again elsewhere. */
const USUAL: InPlace = {
  name: 'quantize-in-place',
  grid: '16th',
  kind: 'straight',
  onsets: true,
  ends: false,
  lengths: false,
  far: 60,
  within: 50,
  long_short: 50,
  ahead_ms: 0,
  uneven_ms: 0,
  seed: 1,
}
export const useInPlace = create<{ how: InPlace }>()(
  persist((): { how: InPlace } => ({ how: USUAL }), { name: 'ductus.in-place' }),
)

const BARS_SHOWN = 4
onMessage('weighed-notes', (weighed) => {
  if (useShape.getState().open) useShape.setState({ weighed })
})

/** Open over the bars of the selection, or some bars from the pen on. */
export function toggleShape(): void {
  if (useShape.getState().open) return closeShape()
  settled(() => {
    const { pen, selectedBars } = useDesk.getState()
    if (!pen) return
    const [first, last] = selectedBars ?? [pen.bar, pen.bar + BARS_SHOWN - 1]
    useShape.setState({ open: true, part: pen.part, first, last, data: null, weighed: null, list: false })
    void refreshShape()
    say('The strip shows times and velocities of these notes')
  })
}

export const closeShape = () => useShape.setState({ open: false, data: null, weighed: null })
onLeave(closeShape)

export async function refreshShape(): Promise<void> {
  const { open, part, first, last } = useShape.getState()
  if (!open) return
  const data = await rest.shape(useDesk.getState().pieceId, part, first, last).catch(() => null)
  if (data) useShape.setState({ data })
  weighAgain()
}

/** Other bars, or one screen further. */
export function showBars(first: number, last: number): void {
  useShape.setState({ first: Math.max(first, 0), last: Math.max(last, first, 0), weighed: null })
  void refreshShape()
}

const LIVE_MS = 300
let lookedAt = 0

/**
 * While a recording to the click goes on, the strip and the list go with it: the last bars up to the one that is being
 * played.
 */
export const followRecording = (): (() => void) =>
  useDesk.subscribe((now, before) => {
    const live = now.recording && !now.recording.free && !now.recording.waiting
    if (!live || now.refs === before.refs || !useShape.getState().open || performance.now() - lookedAt < LIVE_MS) return
    lookedAt = performance.now()
    const tick = tickOf(nowUs())
    const bar = [...now.systems.values()]
      .flatMap((s) => s.bars)
      .find((b) => tick >= b.start && tick < b.start + b.ticks)?.index
    if (bar !== undefined) showBars(bar - BARS_SHOWN + 1, bar)
  })

/** The notes that are meant: those of the strip that are selected, or all of it. */
export function meant(): string[] {
  const { data } = useShape.getState()
  const { selection } = useDesk.getState()
  const all = (data?.notes ?? []).map((n) => n.id)
  const chosen = all.filter((id) => selection.has(id))
  return chosen.length ? chosen : all
}

export function setInPlace(more: Partial<InPlace>): void {
  useInPlace.setState((s) => ({ how: { ...s.how, ...more } }))
  weighAgain()
}

/** Ask what it would do; nothing is changed. */
export function weighAgain(): void {
  const { open, view } = useShape.getState()
  const ids = meant()
  if (!open || view !== 'times' || !ids.length) return useShape.setState({ weighed: null })
  send({ type: 'weigh-notes', do: useInPlace.getState().how, ids })
}

/** Edit the notes that are meant, and show what came of it. */
export function shapeNotes(change: Edit, only?: readonly string[]): void {
  if (!useShape.getState().data)
    return void refreshShape().then(() => {
      if (useShape.getState().data) shapeNotes(change, only)
    }) // a hand that is faster than the strip
  const ids = only ?? meant()
  if (!ids.length) return say('No notes are there to be changed')
  edit(change, ids, false) // what is selected stays so
  settled(() => void refreshShape())
}

export const quantizeNow = () => shapeNotes(useInPlace.getState().how)

/** The same again: on the selection, or on the bars of the strip. */
export function quantizeAgain(): void {
  const { selection } = useDesk.getState()
  if (useShape.getState().open) quantizeNow()
  else if (selection.size) edit(useInPlace.getState().how)
  else say('Select the notes that are to be quantized in place, or open the strip')
}
