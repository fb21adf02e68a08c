/** What a person does with the open piece, as messages to the server: entry, edits, selections, recording. */
import { nowUs, onHeard, type HeardKind } from '../input/port'
import { lineShare } from '../shell/lines'
import { setPlayback, type PageSize } from '../playback/settings'
import { counted } from '../prompt/words'
import { epochUs, openDeskSocket, type DeskSocket } from './connection'
import { tellLeave, tellMessage } from './events'
import { AnswerQueue } from './queue'
import { reduce } from './reducer'
import { rest } from './rest'
import { fresh } from './state'
import { useDesk } from './store'
import type { ClientMessage, Command, Edit, FrameEdit, HeadWords, Selecting, ServerMessage, TempoChoice } from './wire'

const LOOK_MS = 700

let socket: DeskSocket | null = null
const queue = new AnswerQueue()

/**
 * During playback and the delay test keys only sound (they are still kept in the journal); those modules say so here.
 */
const soundings: (() => boolean)[] = []
export const whileSounding = (is: () => boolean) => void soundings.push(is)

/** Open a piece; returns how to leave it. */
export function openDesk(pieceId: string): () => void {
  useDesk.setState(fresh(pieceId), true)
  queue.clear()
  const connection = openDeskSocket(pieceId, receive, (link) => useDesk.setState({ link }), sayPlaceLost)
  socket = connection
  const deaf = onHeard((event) => {
    const { atUs, kind, key, value, channel } = event
    queue.noteSent(
      connection.keys(
        [{ at_us: atUs, kind, key, value, channel: channel - 1 }],
        soundings.some((is) => is()),
      ),
    )
  })
  const unwatch = watchUnsent(connection)
  return () => {
    tellLeave()
    deaf()
    unwatch()
    connection.close()
    socket = null
  }
}

/** Send events that were heard before the piece was open. */
export function hearBefore(
  events: readonly { atUs: number; kind: HeardKind; key: number; value: number; channel: number }[],
) {
  for (const { atUs, kind, key, value, channel } of events)
    if (socket) queue.noteSent(socket.keys([{ at_us: atUs, kind, key, value, channel: channel - 1 }], false))
}

function sayPlaceLost(notes: number): void {
  const are = notes === 1 ? 'is' : 'are'
  say(
    `Ductus has lost your place. The ${counted(notes, 'note')} that you played meanwhile ${are} in the journal, ` +
      'in the margin',
  )
}

/** Only what waits for two looks in a row is shown: a moment is usual. */
function watchUnsent(connection: DeskSocket): () => void {
  let before: readonly [number, number] = [0, 0]
  const timer = window.setInterval(() => {
    const now = [connection.unkept(), connection.unwritten()] as const
    const [unkept, unwritten] = [Math.min(before[0], now[0]), Math.min(before[1], now[1])]
    const known = useDesk.getState()
    if (known.unkept !== unkept || known.unwritten !== unwritten) useDesk.setState({ unkept, unwritten })
    before = now
  }, LOOK_MS)
  return () => window.clearInterval(timer)
}

function receive(message: ServerMessage): void {
  if (message.type === 'done') return queue.noteAnswered(message.seq)
  // it has not begun there yet
  if (message.type === 'recording' && !message.going && socket?.waits('record-start')) return
  const before = useDesk.getState()
  const after = reduce(before, message)
  if (after !== before) useDesk.setState(after)
  tellMessage(message, before)
}

export function send(message: ClientMessage): void {
  if (socket) queue.noteSent(socket.send(message))
}

/** Act once the server has answered everything sent before. */
export const settled = (act: () => void) => queue.whenSettled(act)

/** Commands go at once, but never past an edit or a selection that still waits: the first asked is the first done. */
export function give(command: Command): void {
  const at_us = nowUs()
  queue.inOrder(() => send({ type: 'command', do: command, at_us }))
}

/** Undo or redo; while answers are still on their way it means the latest that was done. */
export function travel(direction: 'undo' | 'redo'): void {
  queue.inOrder(() => {
    const { state } = useDesk.getState()
    if (state) send({ type: 'travel', do: direction, base: queue.isSettled ? state.revision : null })
  })
}

/** An edit of the selected notes (or of these), made on the revision that is seen; `select`: they are selected then. */
export function edit(change: Edit, ids?: readonly string[], select = true): void {
  settled(() => {
    const { state, selection } = useDesk.getState()
    if (state) send({ type: 'edit', base: state.revision, do: change, ids: [...(ids ?? selection)], select })
  })
}

/** An edit of the frame: meter, key, tempo, pick-up, bars, parts. */
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

export const select = (how: Selecting) =>
  settled(() => send({ type: 'select', do: how, ids: [...useDesk.getState().selection] }))

/** Speak what stands at the pen, once everything before is written. */
export const readAloud = (what: 'column' | 'sounding' | 'voice' | 'bar' | 'where') =>
  settled(() => send({ type: 'aloud', what }))

/** Select exactly these notes. */
export function choose(ids: Iterable<string>): void {
  const selection = new Set(ids)
  queue.inOrder(() => {
    useDesk.setState({ selection })
    send({ type: 'select', do: { name: 'select', what: 'these' }, ids: [...selection] })
  })
}

/** The arrows move the pen; while notes are selected they go from note to note, which are spoken. */
export const walk = (to: 'left' | 'right') =>
  settled(() => {
    const { selection } = useDesk.getState()
    if (selection.size)
      send({ type: 'select', do: { name: 'select', what: to === 'left' ? 'previous' : 'next' }, ids: [...selection] })
    else give({ name: 'move', by: 'step', to })
  })

export const say = (said: string) => useDesk.setState({ said, urgent: false })

/** Lay the sheet on pages, as they are printed, or as one scroll; kept for the piece. */
export function layOut(size: PageSize): void {
  setPlayback({ pages: size })
  send({ type: 'lay-out', size })
}

/** The sheet is so wide (px): its lines are as long as leaves staves that can be read. */
export function fitLines(width: number): void {
  const { line } = useDesk.getState()
  const share = lineShare(width, line)
  if (share === line) return
  useDesk.setState({ line: share })
  send({ type: 'fit-line', share })
}

/** A recording begins at a bar (index); what is not given goes as the prompt says. */
export function startRecording(
  originUs: number,
  bar: number,
  how: { freely?: boolean; tempo?: TempoChoice; proof?: boolean },
): void {
  const { freely, tempo, proof = false } = how
  useDesk.setState({ recording: { originUs, waiting: false, free: (freely && !proof) ?? false, proof } })
  send({
    type: 'record-start',
    origin_us: originUs,
    now_us: nowUs(),
    epoch_us: epochUs(),
    bar,
    freely: freely ?? null,
    tempo: tempo ?? null,
    count_in: null,
    proof,
  })
}

export function stopRecording(drop = false): void {
  if (useDesk.getState().recording) send({ type: 'record-stop', end_us: nowUs(), epoch_us: epochUs(), drop })
}

/** Change the words at the head of the page, and how it is drawn. */
export function changeHead(facts: HeadWords & { cautions?: 'plain' | 'parentheses' | 'none' }): void {
  settled(() => {
    const { pieceId, state } = useDesk.getState()
    if (state)
      rest
        .renameTo(pieceId, state.revision, facts)
        .catch((error: Error) => useDesk.setState({ problem: error.message }))
  })
}

/** Say what a file that was just exported leaves out. */
export async function sayLeftOut(): Promise<void> {
  const sentences = await rest.leftOut(useDesk.getState().pieceId).catch(() => [])
  if (sentences.length) say(`Exported. ${sentences.join(' ')}`)
}
