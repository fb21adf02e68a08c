/** What the desk shows: the server's messages, folded into one state; and the ways to talk back. */
import { create } from 'zustand'
import { openDeskSocket, type DeskSocket } from '../api/socket'
import type { ClientMessage, Pen, Reading, ServerMessage, State, System, SystemRef } from '../api/wire'
import { nowUs, onHeard } from '../input/port'

export type Way = 'step' | 'record' | 'read'

export interface RecordChoice {
  click: boolean
  countIn: number
  percent: number
  hands: 'reach' | 'split' | 'right' | 'left'
  split: number
  shortest: 'found' | 'quarter' | 'eighth' | '16th' | '32nd'
}

export interface DeskState {
  pieceId: string
  link: 'opening' | 'open' | 'lost' | 'gone'
  state: State | null
  pen: Pen | null
  refs: SystemRef[]
  systems: Map<string, System>
  said: string
  problem: string
  way: Way
  record: RecordChoice
  recording: { originUs: number } | null
  selection: ReadonlySet<string>
  sentAt: Map<number, number>
  readings: readonly Reading[]
  /** The reading that the line and the strip speak of while the way is "read", and its doubt in hand. */
  openReading: string
  doubt: number | null
  busy: string
}

const fresh = (pieceId: string): DeskState => ({
  pieceId, link: 'opening', state: null, pen: null, refs: [], systems: new Map(), said: '', problem: '', way: 'step',
  record: { click: true, countIn: 2, percent: 100, hands: 'reach', split: 60, shortest: '16th' },
  recording: null, selection: new Set(), sentAt: new Map(), readings: [], openReading: '', doubt: null, busy: '',
})

export const useDesk = create<DeskState>(() => fresh(''))
let socket: DeskSocket | null = null

/** During playback keys only sound (they are still kept in the journal); `listening` says so here. */
let sounding = () => false
export const whileSounding = (is: () => boolean) => { sounding = is }

export function openDesk(pieceId: string): () => void {
  useDesk.setState(fresh(pieceId), true)
  waiting = []
  sent = answered = 0
  socket = openDeskSocket(pieceId, receive, (link) => {
    if (link !== 'open') sent = answered = 0
    useDesk.setState({ link })
  })
  const deaf = onHeard((event) => {
    sent = socket?.keys([{ at_us: event.atUs, kind: event.kind, key: event.key, value: event.value, channel: event.channel - 1 }], sounding()) ?? sent
  })
  return () => {
    deaf()
    socket?.close()
    socket = null
  }
}

function receive(message: ServerMessage): void {
  switch (message.type) {
    case 'state':
      useDesk.setState((s) => ({ state: message, selection: s.selection }))
      break
    case 'sheet':
      useDesk.setState((s) => ({ refs: keepOld(s.refs, message.systems) }))
      break
    case 'system':
      useDesk.setState((s) => place(s, message))
      break
    case 'pen':
      useDesk.setState((s) => ({ pen: message, way: message.down && s.way === 'read' ? 'step' : s.way }))
      break
    case 'selection':
      useDesk.setState({ selection: new Set(message.ids) })
      break
    case 'say':
      useDesk.setState({ said: message.text })
      break
    case 'problem':
      useDesk.setState({ problem: message.message })
      break
    case 'recording':
      if (!message.going) useDesk.setState({ recording: null })
      awaited = message.take ?? null
      break
    case 'readings':
      useDesk.setState((s) => withReadings(s, message.readings))
      break
    case 'busy':
      useDesk.setState({ busy: message.words })
      break
    case 'done':
      answered = message.seq
      if (answered >= sent) nextWaiting()
      break
  }
}

/** A take that was just recorded is opened as soon as it has been read; a doubt that was settled hands over to the next. */
let awaited: number | null = null

function withReadings(s: DeskState, readings: readonly Reading[]): Partial<DeskState> {
  const come = readings.find((r) => r.take === awaited)
  if (come) awaited = null
  const openReading = come?.id ?? (readings.some((r) => r.id === s.openReading) ? s.openReading : (readings[0]?.id ?? ''))
  const doubts = readings.find((r) => r.id === openReading)?.doubts ?? []
  const tick = s.readings.flatMap((r) => r.doubts).find((d) => d.key === s.doubt)?.tick ?? -1
  const doubt = doubts.some((d) => d.key === s.doubt) ? s.doubt : (doubts.find((d) => d.tick >= tick)?.key ?? doubts[0]?.key ?? null)
  const way = come && !s.pen?.down ? 'read' : s.way === 'read' && !readings.length ? 'step' : s.way
  return { readings, openReading, doubt, way }
}

/** A system that waits to be engraved keeps its old drawing until the new one comes. */
function keepOld(old: SystemRef[], fresh: SystemRef[]): SystemRef[] {
  const known = new Map(old.map((r) => [`${r.first}-${r.last}`, r]))
  const kept = fresh.map((r) => {
    const before = known.get(`${r.first}-${r.last}`)
    return before && (r.key === null || r.key === before.key) ? before : r
  })
  return kept.length === old.length && kept.every((r, i) => r === old[i]) ? old : kept // nothing to draw again
}

function place(s: DeskState, system: System): Partial<DeskState> {
  const systems = new Map(s.systems).set(system.key, system)
  const refs = s.refs.map((r) => (r.first === system.first && r.last === system.last ? { ...r, key: system.key } : r))
  const used = new Set(refs.map((r) => r.key))
  if (systems.size > refs.length + 40) for (const key of systems.keys()) if (!used.has(key)) systems.delete(key)
  return { refs, systems }
}

export function send(message: ClientMessage): void {
  sent = socket?.send(message) ?? sent
}
export const command = (name: string, argument = '') => send({ type: 'command', name, argument, at_us: nowUs() })

/**
 * What depends on a revision or on the selection waits until the server has answered everything sent before it: so a fast hand never meets a
 * refusal that its own last key caused, and undo goes one by one however fast the key repeats.
 */
let waiting: (() => void)[] = []
let sent = 0
let answered = 0

export function settled(act: () => void): void {
  waiting.push(act)
  if (answered >= sent) nextWaiting()
}

function nextWaiting(): void {
  waiting.shift()?.()
  if (waiting.length && answered >= sent) nextWaiting()
}

export function travel(type: 'undo' | 'redo'): void {
  settled(() => {
    const { state } = useDesk.getState()
    if (state) send({ type, base: state.revision })
  })
}

/** An edit of the selected notes (core/score/selection_edits.py), made on the revision that is seen. */
export function edit(name: string, argument = ''): void {
  settled(() => {
    const { state, selection } = useDesk.getState()
    if (state) send({ type: 'edit', base: state.revision, name, ids: [...selection], argument })
  })
}

export const select = (what: string) => settled(() => send({ type: 'select', what, ids: [...useDesk.getState().selection] }))

/** The arrows move the pen; while notes are selected they go from note to note, which are spoken. */
export const walk = (what: 'previous' | 'next', name: string) =>
  settled(() => {
    const { selection } = useDesk.getState()
    if (selection.size) send({ type: 'select', what, ids: [...selection] })
    else command(name)
  })

export const say = (said: string) => useDesk.setState({ said })

/** The bar where a recording begins: that of the pen. */
export function startRecording(originUs: number, qpm: number | null, countIn: number): void {
  const { pen, record, state } = useDesk.getState()
  if (!pen || !state) return
  useDesk.setState({ recording: { originUs } })
  send({
    type: 'record-start', origin_us: originUs, now_us: nowUs(), qpm, count_in: countIn, bar: pen.bar,
    staff: record.hands === 'split' || record.hands === 'reach' ? 0 : record.hands === 'right' ? 1 : 2,
    shortest: record.shortest === 'found' ? null : record.shortest, split: record.hands === 'split' ? record.split : null, tuplets: null,
  })
}

export function stopRecording(drop = false): void {
  if (useDesk.getState().recording) send({ type: 'record-stop', end_us: nowUs(), drop })
}

const BEAT_QUARTERS: Record<string, number> = { quarter: 1, 'dotted quarter': 1.5, half: 2, eighth: 0.5, 'dotted half': 3, 'dotted eighth': 0.75 }

/** Quarters a minute of the click: the tempo of the piece, made slower or faster for the take. */
export function clickTempo(): number {
  const { state, record } = useDesk.getState()
  if (!state) return 100
  return (state.beats_per_minute * (BEAT_QUARTERS[state.beat] ?? 1) * record.percent) / 100
}
