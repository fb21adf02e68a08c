/**
 * The one WebSocket of an open piece: ordered messages out, typed messages in, reconnecting by itself. Strokes are held until the server says
 * that they are on disk; after a lost connection those that it has not said so of are sent again.
 */
import type { ClientMessage, HeardEvent, ServerMessage } from './wire'

const RETRY_MS = 800
const GONE = 4404
const EPOCH_US = () => Math.round(performance.timeOrigin * 1000)

type KeysMessage = Extract<ClientMessage, { events: unknown }>

export interface DeskSocket {
  /** Returns the number that the server's "done" will carry for this message. */
  send(message: ClientMessage): number
  keys(events: HeardEvent[], onlySound: boolean): number
  /** How many strokes are not known to be on disk. */
  unkept(): number
  close(): void
}

export function openDeskSocket(
  pieceId: string,
  onMessage: (message: ServerMessage) => void,
  onState: (state: 'open' | 'lost' | 'gone') => void,
): DeskSocket {
  let socket: WebSocket
  let closed = false
  let waiting: ClientMessage[] = []
  let sent = 0
  let number = 0
  const unkept = new Map<number, KeysMessage>()
  const flying = new Set<number>() // sent over a connection, so that they may be on disk without our knowing

  const put = (message: ClientMessage) => {
    if (message.type === 'keys' && message.number) flying.add(message.number)
    socket.send(JSON.stringify(message))
    sent += 1
  }

  function connect() {
    const scheme = location.protocol === 'https:' ? 'wss' : 'ws'
    socket = new WebSocket(`${scheme}://${location.host}/api/pieces/${pieceId}/desk`)
    socket.onopen = () => {
      sent = 0
      onState('open')
      for (const [key, message] of unkept) if (flying.has(key)) put({ ...message, again: true })
      for (const message of waiting) put(message)
      waiting = []
    }
    socket.onmessage = (event: MessageEvent<string>) => {
      const all = JSON.parse(event.data) as ServerMessage | ServerMessage[] // what came of one key comes together, and is drawn once
      for (const message of Array.isArray(all) ? all : [all]) {
        if (message.type === 'kept') for (const key of unkept.keys()) if (key <= message.number) { unkept.delete(key); flying.delete(key) }
        onMessage(message)
      }
    }
    socket.onclose = (event) => {
      if (closed) return
      onState(event.code === GONE ? 'gone' : 'lost')
      if (event.code !== GONE) setTimeout(connect, RETRY_MS)
    }
  }
  connect()
  const send = (message: ClientMessage) => {
    if (socket.readyState === WebSocket.OPEN) {
      put(message)
      return sent
    }
    return waiting.push(message) // nothing that was played is lost while the server is away
  }
  return {
    send,
    keys: (events, onlySound) => {
      number += 1
      const message: KeysMessage = { type: 'keys', epoch_us: EPOCH_US(), events, only_sound: onlySound, number }
      unkept.set(number, message)
      return send(message)
    },
    unkept: () => unkept.size,
    close() {
      closed = true
      socket.close()
    },
  }
}

export const epochUs = EPOCH_US
