/** The one WebSocket of an open piece: ordered messages out, typed messages in, reconnecting by itself. */
import type { ClientMessage, Heard, ServerMessage } from './wire'

const RETRY_MS = 800
const GONE = 4404

export interface DeskSocket {
  /** Returns the number that the server's "done" will carry for this message. */
  send(message: ClientMessage): number
  keys(events: Heard[], onlySound: boolean): number
  close(): void
}

export function openDeskSocket(
  pieceId: string,
  onMessage: (message: ServerMessage) => void,
  onState: (state: 'open' | 'lost' | 'gone') => void,
): DeskSocket {
  let socket: WebSocket
  let closed = false
  let waiting: string[] = []
  let sent = 0

  function connect() {
    const scheme = location.protocol === 'https:' ? 'wss' : 'ws'
    socket = new WebSocket(`${scheme}://${location.host}/api/pieces/${pieceId}/desk`)
    socket.onopen = () => {
      onState('open')
      sent = waiting.length
      for (const text of waiting) socket.send(text)
      waiting = []
    }
    socket.onmessage = (event: MessageEvent<string>) => {
      const all = JSON.parse(event.data) as ServerMessage | ServerMessage[] // what came of one key comes together, and is drawn once
      for (const message of Array.isArray(all) ? all : [all]) onMessage(message)
    }
    socket.onclose = (event) => {
      if (closed) return
      onState(event.code === GONE ? 'gone' : 'lost')
      if (event.code !== GONE) setTimeout(connect, RETRY_MS)
    }
  }
  connect()

  const send = (message: ClientMessage) => {
    const text = JSON.stringify(message)
    if (socket.readyState === WebSocket.OPEN) {
      socket.send(text)
      return ++sent
    }
    return waiting.push(text) // nothing that was played is lost while the server is away
  }
  return {
    send,
    keys: (events, onlySound) => send({ type: 'keys', epoch_us: Math.round(performance.timeOrigin * 1000), events, only_sound: onlySound }),
    close() {
      closed = true
      socket.close()
    },
  }
}
