/** What the desk shows: the server's messages, folded into one state; and the ways to talk back. */
import { create } from 'zustand'
import { useShallow } from 'zustand/react/shallow'
import { setHow, type PageSize } from '../playback/settings'
import { epochUs, openDeskSocket, type DeskSocket } from './connection'
import { rest } from './rest'
import type { Ask, ClientMessage, Clicks, ClicksWanted, Command, CutOff, Edit, FrameEdit, HeadWords, Heard, Pen, Proof, Reading, RecordLine, Selecting, ServerMessage, State, System, SystemRef, Take, TempoChoice, WeighedNotes } from './wire'
import { nowUs, onHeard } from '../input/port'
import { useSound } from '../playback/engine'
import { counted } from '../prompt/words'

export type Way = 'step' | 'record' | 'read' | 'proof'

export interface DeskState {
  pieceId: string
  link: 'opening' | 'open' | 'lost' | 'gone'
  /** The piece was deleted, in words; "" while it is there. */
  gone: string
  /** What is wrong with the disk, in words; "" when all is well. */
  trouble: string
  /** Strokes that are not known to be on disk for longer than a moment. */
  unkept: number
  /** Notes that were struck for longer than a moment and are not written yet. */
  unwritten: number
  /** What was said last must be spoken at once. */
  urgent: boolean
  state: State | null
  takes: readonly Take[]
  cutOff: readonly CutOff[]
  /** The journal: what was heard and not written. */
  heard: readonly Heard[]
  pen: Pen | null
  refs: SystemRef[]
  /** On pages: their size, and the first system of each. */
  leaves: { size: PageSize; first: readonly number[] }
  systems: Map<string, System>
  said: string
  problem: string
  ask: Ask | null
  way: Way
  /** ``waiting``: it begins as soon as the clicks have come, or with the first key. */
  recording: { originUs: number; waiting: boolean; free: boolean; proof?: boolean } | null
  recordLine: RecordLine | null
  selection: ReadonlySet<string>
  /** First and last bar (index) of the selected notes. */
  selectedBars: readonly [number, number] | null
  readings: readonly Reading[]
  /** The server has said how the takes on the page were read (which takes a moment after a piece is opened). */
  readingsTold: boolean
  /** Takes on the page of which was said how they were read, or that nothing of them is left there. */
  told: readonly number[]
  /** The reading that the line and the strip speak of while the way is "read", and its doubt in hand. */
  openReading: string
  doubt: number | null
  /** What was played is held against the page; the place that differs and is in hand, by its key. */
  proof: Proof | null
  differing: string
  busy: { words: string; share: number }
}

const fresh = (pieceId: string): DeskState => ({
  pieceId, link: 'opening', gone: '', trouble: '', unkept: 0, unwritten: 0, urgent: false, state: null, takes: [], cutOff: [], heard: [], pen: null, refs: [], leaves: { size: '', first: [] }, systems: new Map(), said: '',
  problem: '', ask: null, way: 'step', recording: null, recordLine: null, selection: new Set(), selectedBars: null, readings: [], readingsTold: false, told: [], openReading: '',
  doubt: null, proof: null, differing: '', busy: { words: '', share: 0 },
})

export const useDesk = create<DeskState>(() => fresh(''))
/** Some of what the desk knows: what uses it is drawn again only when one of these changes. */
export const useDeskParts = <K extends keyof DeskState>(...names: readonly K[]): Pick<DeskState, K> =>
  useDesk(useShallow((s) => Object.fromEntries(names.map((name) => [name, s[name]])) as Pick<DeskState, K>))
let socket: DeskSocket | null = null

/** What the page is told of its frame and marks (session/chosen.ts). */
type PageTold = Extract<ServerMessage, { type: 'frame-at' | 'weighed' | 'marks-chosen' }>
/** What quantize in place would do (shape/shape.ts). */
let notesWeighed = (_: WeighedNotes) => {}
export const whenNotesWeighed = (act: (told: WeighedNotes) => void) => { notesWeighed = act }
let pageTold = (_: PageTold) => {}
export const whenPageTold = (act: (told: PageTold) => void) => { pageTold = act }

/** During playback and the delay test keys only sound (they are still kept in the journal); those who sound say so here. */
const soundings: (() => boolean)[] = []
const sounding = () => soundings.some((is) => is())
export const whileSounding = (is: () => boolean) => { soundings.push(is) }
/** Where on the page the player is who is followed; null when nobody is any more. */
let followed = (_: number | null) => {}
export const whenFollowed = (act: (tick: number | null) => void) => { followed = act }
/** What must end when the server says that no recording goes on, though one was begun here. */
let cutOff = () => {}
/** A recording that was going on when this page was opened goes on. */
type Going = Extract<ServerMessage, { type: 'recording' }>
let resumed = (_: Going) => {}
export const whenResumed = (act: (going: Going) => void) => { resumed = act }
export const whenCutOff = (act: () => void) => { cutOff = act }

/** What ends, or closes, with the piece: each module that keeps something of the open piece says here how it lets go of it. */
const leavings: (() => void)[] = []
export const whenLeft = (act: () => void) => { leavings.push(act) }

const LOOK_MS = 700

export function openDesk(pieceId: string): () => void {
  useDesk.setState(fresh(pieceId), true)
  waiting = []
  sent = answered = 0
  socket = openDeskSocket(pieceId, receive, (link) => useDesk.setState({ link }), (notes) =>
    say(`Ductus does not know where you were any more. The ${counted(notes, 'note')} that you played meanwhile ${notes === 1 ? 'is' : 'are'} in the journal, in the margin`))
  const deaf = onHeard((event) => {
    sent = socket?.keys([{ at_us: event.atUs, kind: event.kind, key: event.key, value: event.value, channel: event.channel - 1 }], sounding()) ?? sent
  })
  let before: readonly [number, number] = [0, 0]
  const watch = window.setInterval(() => {
    const now = [socket?.unkept() ?? 0, socket?.unwritten() ?? 0] as const
    const [unkept, unwritten] = [Math.min(before[0], now[0]), Math.min(before[1], now[1])]
    const known = useDesk.getState()
    if (known.unkept !== unkept || known.unwritten !== unwritten) useDesk.setState({ unkept, unwritten })
    before = now
  }, LOOK_MS)
  return () => {
    for (const leave of leavings) leave()
    deaf()
    window.clearInterval(watch)
    socket?.close()
    socket = null
  }
}

function receive(message: ServerMessage): void {
  switch (message.type) {
    case 'state':
      useDesk.setState({ state: message })
      break
    case 'takes':
      useDesk.setState({ takes: message.takes, cutOff: message.cut_off, heard: message.heard })
      break
    case 'sheet':
      useDesk.setState((s) => ({ refs: keepOld(s.refs, message.systems), leaves: keepLeaves(s.leaves, message.size ?? '', message.leaves ?? []) }))
      break
    case 'system':
      useDesk.setState((s) => ({ ...place(s, message), ...(message.leaves?.length ? { leaves: keepLeaves(s.leaves, s.leaves.size, message.leaves) } : {}) }))
      break
    case 'pen':
      useDesk.setState((s) => ({ pen: message, way: message.down && (s.way === 'read' || s.way === 'proof') ? 'step' : s.way }))
      break
    case 'selection':
      useDesk.setState({ selection: new Set(message.ids), selectedBars: message.first_bar < 0 ? null : [message.first_bar, message.last_bar] })
      break
    case 'say':
      useDesk.setState({ said: message.text, urgent: message.urgent ?? false })
      break
    case 'problem':
      useDesk.setState({ problem: message.message })
      break
    case 'ask':
      useDesk.setState({ ask: message })
      break
    case 'frame-at':
    case 'weighed':
    case 'marks-chosen':
      pageTold(message)
      break
    case 'weighed-notes':
      notesWeighed(message)
      break
    case 'keeping':
      useDesk.setState({ trouble: message.trouble })
      break
    case 'gone':
      useDesk.setState({ gone: message.message })
      break
    case 'record-line':
      useDesk.setState((s) => ({ recordLine: message, way: message.on ? (s.way === 'step' ? 'record' : s.way) : s.way === 'record' ? 'step' : s.way }))
      break
    case 'clicks':
      if (message.from_us != null) bend(message)
      else clicksAwaited.get(message.since)?.(message)
      clicksAwaited.delete(message.since)
      break
    case 'recording':
      if (message.going) {
        if (!useDesk.getState().recording) resumed(message)
        break
      }
      if (socket?.waits('record-start')) break // it has not begun there yet
      if (useDesk.getState().recording && !useDesk.getState().recording?.waiting && message.take == null) cutOff()
      if (!message.going && useDesk.getState().recording?.proof) followed(null)
      if (!message.going) useDesk.setState({ recording: null })
      awaited = message.take ?? null
      break
    case 'readings':
      useDesk.setState((s) => withReadings(s, message.readings))
      break
    case 'proof':
      useDesk.setState((s) => withProof(s, message))
      break
    case 'followed':
      if (useDesk.getState().recording?.proof) followed(message.tick)
      break
    case 'busy':
      useDesk.setState({ busy: { words: message.words, share: message.share ?? 0 } })
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
  return { readings, readingsTold: true, told: s.state?.read ?? [], openReading, doubt, way }
}

/** The place in hand stays, or is the one after it. */
function withProof(s: DeskState, told: Proof): Partial<DeskState> {
  if (!told.take) return { proof: null, differing: '' }
  const tick = s.proof?.differences.find((d) => d.key === s.differing)?.tick ?? -1
  const next = told.differences.find((d) => d.key === s.differing) ?? told.differences.find((d) => d.tick >= tick) ?? told.differences[0]
  return { proof: told, differing: next?.key ?? '', way: s.pen?.down ? s.way : 'proof' }
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

const keepLeaves = (old: DeskState['leaves'], size: PageSize, first: readonly number[]) =>
  old.size === size && old.first.join() === first.join() ? old : { size, first }

/** The sheet as pages, as they are printed, or as one scroll; kept for the piece. */
export function layOut(size: PageSize): void {
  setHow({ pages: size })
  send({ type: 'lay-out', size })
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
/** Commands go at once, but never past an edit or a selection that still waits: what was asked for first is done first. */
export function give(command: Command): void {
  const at_us = nowUs()
  ordered(() => send({ type: 'command', do: command, at_us }))
}
function ordered(act: () => void): void {
  if (waiting.length) waiting.push(act)
  else act()
}

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

/** Sent at once unless an edit before it waits, so that no later key overtakes it: while answers are still on their way it means the latest that was done. */
export function travel(way: 'undo' | 'redo'): void {
  ordered(() => {
    const { state } = useDesk.getState()
    if (state) send({ type: 'travel', do: way, base: answered >= sent ? state.revision : null })
  })
}

/** An edit of the selected notes (or of these), made on the revision that is seen; `select`: they are selected then. */
export function edit(change: Edit, ids?: readonly string[], select = true): void {
  settled(() => {
    const { state, selection } = useDesk.getState()
    if (state) send({ type: 'edit', base: state.revision, do: change, ids: [...(ids ?? selection)], select })
  })
}

/** Meter, key, tempo, pick-up. */
export function frame(change: FrameEdit): void {
  settled(() => {
    const { state } = useDesk.getState()
    if (state) send({ type: 'frame', base: state.revision, do: change })
  })
}

export function clip(what: 'copy' | 'cut' | 'paste'): void {
  settled(() => {
    const { state, selection } = useDesk.getState()
    if (state) send({ type: 'clip', base: state.revision, do: what, ids: [...selection] })
  })
}

export const select = (how: Selecting) => settled(() => send({ type: 'select', do: how, ids: [...useDesk.getState().selection] }))

/** What stands at the pen is said, once what was done before is written. */
export const readAloud = (what: 'column' | 'sounding' | 'voice' | 'bar' | 'where') => settled(() => send({ type: 'aloud', what }))

/** Exactly these notes are selected; the server says which, and knows them. */
export function choose(ids: Iterable<string>): void {
  const selection = new Set(ids)
  ordered(() => {
    useDesk.setState({ selection })
    send({ type: 'select', do: { name: 'select', what: 'these' }, ids: [...selection] })
  })
}

/** The arrows move the pen; while notes are selected they go from note to note, which are spoken. */
export const walk = (to: 'left' | 'right') =>
  settled(() => {
    const { selection } = useDesk.getState()
    if (selection.size) send({ type: 'select', do: { name: 'select', what: to === 'left' ? 'previous' : 'next' }, ids: [...selection] })
    else give({ name: 'move', by: 'step', to })
  })

export const say = (said: string) => useDesk.setState({ said, urgent: false })

/** What is heard in a stretch of a recording, from the server. Fails where it cannot be had (the page then says why). */
export function clicksFor(wanted: ClicksWanted): Promise<Clicks> {
  return new Promise((resolve, reject) => {
    const since = wanted.since ?? 0
    const late = window.setTimeout(() => { clicksAwaited.delete(since); reject(new Error('no clicks')) }, CLICKS_MS)
    clicksAwaited.set(since, (clicks) => { window.clearTimeout(late); resolve(clicks) })
    send({ ...wanted, type: 'clicks-wanted', halves: useSound.getState().halves })
  })
}
/** What to do when the click goes with the player. */
let bend: (clicks: Clicks) => void = () => {}
export const whenBent = (act: (clicks: Clicks) => void) => { bend = act }
const clicksAwaited = new Map<number, (clicks: Clicks) => void>()
const CLICKS_MS = 5000

/** A recording begins at a bar (index); what is not given goes as the line says. */
export function startRecording(originUs: number, bar: number, how: { freely?: boolean; tempo?: TempoChoice; proof?: boolean }): void {
  useDesk.setState({ recording: { originUs, waiting: false, free: (how.freely && !how.proof) ?? false, proof: how.proof ?? false } })
  send({
    type: 'record-start', origin_us: originUs, now_us: nowUs(), epoch_us: epochUs(), bar, freely: how.freely ?? null, tempo: how.tempo ?? null,
    count_in: null, proof: how.proof ?? false,
  })
}

export function stopRecording(drop = false): void {
  if (useDesk.getState().recording) send({ type: 'record-stop', end_us: nowUs(), epoch_us: epochUs(), drop })
}

/** What the page says at its head, and how it is drawn. */
export function changeHead(facts: HeadWords & { cautions?: 'plain' | 'parentheses' | 'none' }): void {
  settled(() => {
    const { pieceId, state } = useDesk.getState()
    if (state) rest.renameTo(pieceId, state.revision, facts).catch((error: Error) => useDesk.setState({ problem: error.message }))
  })
}

/** A file that leaves something out says so. */
export async function sayLeftOut(): Promise<void> {
  const sentences = await rest.leftOut(useDesk.getState().pieceId).catch(() => [])
  if (sentences.length) say(`Exported. ${sentences.join(' ')}`)
}
