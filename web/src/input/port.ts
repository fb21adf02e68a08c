/** One port for all instruments: every source calls `hear`, every listener gets the event at once, with its time. */

export type HeardKind = 'down' | 'up' | 'control'

interface PlayedEvent {
  readonly kind: HeardKind
  readonly key: number
  readonly value: number
  readonly atUs: number
  readonly source: string
  /** MIDI channel, 1 to 16. */
  readonly channel: number
}

import { takenByCommand } from './learned'

type Listener = (event: PlayedEvent) => void

export const SUSTAIN = 64
const listeners = new Set<Listener>()
const first = new Set<Listener>()
const held = new Map<number, Set<string>>() // key -> the sources that hold it

/** Microseconds of the event clock. */
export const nowUs = () => Math.round(performance.now() * 1000)

export function hear(kind: HeardKind, key: number, value: number, source: string, atUs = nowUs(), channel = 1): void {
  if (kind === 'down') held.set(key, (held.get(key) ?? new Set()).add(source))
  if (kind === 'up') {
    const sources = held.get(key)
    sources?.delete(source)
    if (!sources?.size) held.delete(key)
  }
  if (takenByCommand(kind, key, value, source, channel)) return // a learned control no longer writes or sounds
  const event: PlayedEvent = { kind, key, value, atUs, source, channel }
  for (const listener of [...first]) listener(event)
  for (const listener of listeners) listener(event)
}

/** Hears of every event before all others do: what must begin with a key begins before that key is sent. */
export function beforeHeard(listener: Listener): () => void {
  first.add(listener)
  return () => first.delete(listener)
}

export function onHeard(listener: Listener): () => void {
  listeners.add(listener)
  return () => listeners.delete(listener)
}

/** Let go of every key that a source holds: it was unplugged, or stopped listening. Returns how many there were. */
export function letGoOf(source: string): number {
  const mine = [...held].filter(([, sources]) => sources.has(source)).map(([key]) => key)
  for (const key of mine) hear('up', key, 0, source)
  return mine.length
}

/** Keys that are down now, from any source. */
export const heldKeys = (): ReadonlySet<number> => new Set(held.keys())
