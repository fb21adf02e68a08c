/** Events of the open piece for modules that act on a message, beside what the reducer keeps of it. */
import type { DeskState } from './state'
import type { ServerMessage } from './wire'

type Kind = ServerMessage['type']
type Message<K extends Kind> = Extract<ServerMessage, { type: K }>
type Hearer = (message: ServerMessage, before: DeskState) => void

const hearers = new Map<Kind, Hearer[]>()
const leavings: (() => void)[] = []

/** Act on each message of a kind, after it was folded into the state; `before` is the state without it. */
export function onMessage<K extends Kind>(kind: K, act: (message: Message<K>, before: DeskState) => void): void {
  hearers.set(kind, [...(hearers.get(kind) ?? []), act as Hearer])
}

/** Let go of what belongs to the open piece, while its connection is still there. */
export const onLeave = (act: () => void) => void leavings.push(act)

export const tellMessage = (message: ServerMessage, before: DeskState) =>
  hearers.get(message.type)?.forEach((act) => act(message, before))
export const tellLeave = () => leavings.forEach((act) => act())
