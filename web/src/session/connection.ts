/**
 * The one WebSocket of an open piece: ordered, numbered messages out, typed messages in, reconnecting by itself. The
 * server keeps the place of this window under a token; what it is not known to have on disk is sent again after a
 * break, and has its effect once.
 */
import { Unsent, type Kept } from './unsent'
import type { ClientMessage, HeardEvent, ServerMessage } from './wire'

const RETRY_MS = 800
const GONE = 4404
const TAKEN = 4409
const LINGER_MS = 8000
const EPOCH_US = () => Math.round(performance.timeOrigin * 1000)

export interface DeskSocket {
  /** Returns the number that the server's "done" will carry for this message. */
  send(message: ClientMessage): number
  keys(events: HeardEvent[], onlySound: boolean): number
  /** How many strokes are not known to be on disk. */
  unkept(): number
  /** How many notes were struck that are not written yet, as far as is known. */
  unwritten(): number
  /** Does a message of a kind wait to be done? */
  waits(type: ClientMessage['type']): boolean
  close(): void
}

/** What a window keeps over a reload: its token, and what was not saved, by numbers of the wire. */
const shelf = (pieceId: string, what: 'seat' | 'unsent') => `ductus-${what}-${pieceId}`
function stored(name: string): string {
  try {
    return sessionStorage.getItem(name) ?? ''
  } catch {
    return ''
  }
}
function store(name: string, text: string): void {
  try {
    if (text) sessionStorage.setItem(name, text)
    else sessionStorage.removeItem(name)
  } catch {
    /* a window without storage has no place after a reload */
  }
}

/**
 * A piece that is opened by its address begins with the pen up; a page that is loaded again, or gone back to, takes its
 * place.
 */
let returning =
  (performance.getEntriesByType('navigation')[0] as PerformanceNavigationTiming | undefined)?.type !== 'navigate'

export function openDeskSocket(
  pieceId: string,
  onMessage: (message: ServerMessage) => void,
  onState: (state: 'open' | 'lost' | 'gone') => void,
  onPlaceLost: (notes: number) => void,
): DeskSocket {
  let socket: WebSocket
  let closed = false
  let left = false // the piece is not looked at any more
  let token = returning ? stored(shelf(pieceId, 'seat')) : ''
  returning = false // the next piece is opened from the shelf
  let base: number | null = null // wire number of this page's message 0; null before the first welcome
  let ready = false // welcomed on this connection
  const unsent = new Unsent()
  const unkept = new Set<number>()
  const flown = new Set<number>() // strokes that were sent over a connection: they may be on disk without our knowing

  const put = (number: number, message: ClientMessage) => {
    const wire = number + base!
    const keys = message.type === 'keys'
    const sent = keys ? { ...message, number: wire, again: message.again || flown.has(number) } : message
    if (keys) flown.add(number)
    socket.send(`{"n":${wire},"do":${JSON.stringify(sent)}}`)
  }

  function welcomed(told: Extract<ServerMessage, { type: 'welcome' }>) {
    token = told.token
    if (!left) store(shelf(pieceId, 'seat'), token)
    if (base === null) {
      const before = (JSON.parse(stored(shelf(pieceId, 'unsent')) || '[]') as Kept[]).filter(
        (k) => !told.resumed || k.number > told.handled,
      )
      store(shelf(pieceId, 'unsent'), '')
      base = told.handled
      if (before.length) replant(before, told.resumed)
    } else if (told.resumed) {
      unsent.saved(told.handled - base)
    } else {
      const notes = unsent.keepStrokesOnly()
      base = told.handled + 1 - unsent.first
      if (notes) onPlaceLost(notes)
    }
    ready = true
    for (const { number, message } of unsent.waiting()) put(number, message)
  }

  /** What a page before this one could not send goes first. */
  function replant(before: readonly Kept[], resumed: boolean) {
    const now = unsent.waiting()
    unsent.saved(Infinity)
    for (const { message } of before) {
      const strokes = message.type === 'keys'
      if (resumed || strokes)
        flown.add(unsent.add(strokes && !resumed ? { ...message, again: true, only_sound: true } : message))
    }
    for (const { message } of now) unsent.add(message)
    base = base! + 1 - unsent.first
  }

  function connect() {
    const scheme = location.protocol === 'https:' ? 'wss' : 'ws'
    ready = false
    socket = new WebSocket(
      `${scheme}://${location.host}/api/pieces/${pieceId}/desk?` +
        new URLSearchParams({ seat: token, fresh: String(base === null) }),
    )
    socket.onopen = () => {
      if (!left) onState('open')
    }
    socket.onmessage = (event: MessageEvent<string>) => {
      // what came of one key comes together, and is drawn once
      const all = JSON.parse(event.data) as ServerMessage | ServerMessage[]
      for (const message of Array.isArray(all) ? all : [all]) receive(message)
    }
    socket.onclose = (event) => {
      ready = false
      if (closed) return
      if (event.code === TAKEN) {
        // a copy of this window has its place: this one gets another
        token = ''
        base = null
      }
      if (!left) onState(event.code === GONE ? 'gone' : 'lost')
      if (event.code !== GONE) setTimeout(connect, RETRY_MS)
    }
  }

  function receive(message: ServerMessage) {
    const own = (wire: number) => wire - (base ?? 0)
    if (message.type === 'welcome') welcomed(message)
    else if (message.type === 'kept')
      for (const number of unkept) {
        if (number <= own(message.number)) unkept.delete(number)
      }
    if (message.type === 'saved') unsent.saved(own(message.number))
    if (message.type === 'done') {
      unsent.done(own(message.seq))
      if (!left) onMessage({ ...message, seq: own(message.seq) })
    } else if (!left) onMessage(message)
  }

  const send = (message: ClientMessage) => {
    const number = unsent.add(message) // nothing that was played is lost while the server is away
    if (ready && socket.readyState === WebSocket.OPEN) put(number, message)
    return number
  }

  const keepOver = () =>
    store(
      shelf(pieceId, 'unsent'),
      JSON.stringify(unsent.waiting().map((k) => ({ ...k, number: k.number + (base ?? 0) }))).replace(/^\[\]$/, ''),
    )
  window.addEventListener('pagehide', keepOver)
  connect()
  return {
    send,
    keys: (events, onlySound) => {
      const number = send({
        type: 'keys',
        epoch_us: EPOCH_US(),
        events,
        only_sound: onlySound,
        again: false,
        number: 0,
      })
      unkept.add(number)
      return number
    },
    unkept: () => unkept.size,
    unwritten: () => unsent.strokes,
    waits: (type) => unsent.has(type),
    close() {
      store(shelf(pieceId, 'seat'), '') // who leaves a piece finds the pen up when it is opened again
      left = true
      const until = Date.now() + LINGER_MS
      const end = () => {
        // what was done last is still brought over
        if (unsent.waiting().length && Date.now() < until) return void setTimeout(end, 50)
        closed = true
        window.removeEventListener('pagehide', keepOver)
        socket.close()
      }
      end()
    },
  }
}

export const epochUs = EPOCH_US
