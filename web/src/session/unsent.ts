/**
 * Messages that the server is not known to have on disk, by their numbers: what is sent again after a lost connection,
 * a reload or a killed server. A page counts from 1; the server counts over all pages of a place, so that a number on
 * the wire is the page's own plus a base.
 */
import type { ClientMessage } from './wire'

export interface Kept {
  readonly number: number
  readonly message: ClientMessage
}

export class Unsent {
  private last = 0
  private answered = 0
  private readonly queue = new Map<number, ClientMessage>()

  /** Take in a message; answers its number on this page. */
  add(message: ClientMessage): number {
    this.last += 1
    this.queue.set(this.last, message)
    return this.last
  }

  /** All that follows from messages up to this one has been told. */
  done(number: number): void {
    this.answered = Math.max(this.answered, number)
  }

  /** What messages up to this one led to is on disk. */
  saved(number: number): void {
    this.done(number)
    for (const key of this.queue.keys()) if (key <= number) this.queue.delete(key)
  }

  /**
   * Nothing of what waits is to be sent, but the strokes: their place is not known any more. Answers how many notes
   * were struck in them.
   */
  keepStrokesOnly(): number {
    for (const [key, message] of this.queue) {
      if (message.type === 'keys') this.queue.set(key, { ...message, again: true, only_sound: true })
      else this.queue.delete(key)
    }
    return strokes([...this.queue.values()])
  }

  /** The first number that waits, or the next that will be given. */
  get first(): number {
    return this.queue.keys().next().value ?? this.last + 1
  }

  /** What waits, in order; strokes may be on disk without our knowing. */
  waiting(): Kept[] {
    return [...this.queue].map(([number, message]) => ({ number, message }))
  }

  /** How many notes were struck that are not known to be done. */
  get strokes(): number {
    return strokes([...this.queue].filter(([number]) => number > this.answered).map(([, message]) => message))
  }

  /** Does a message of a kind wait to be done? */
  has(type: ClientMessage['type']): boolean {
    return [...this.queue].some(([number, message]) => number > this.answered && message.type === type)
  }
}

const strokes = (messages: readonly ClientMessage[]) =>
  messages.reduce(
    (n, m) => n + (m.type === 'keys' && !m.only_sound ? m.events.filter((e) => e.kind === 'down').length : 0),
    0,
  )
