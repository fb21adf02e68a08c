import { describe, expect, it } from 'vitest'
import { Unsent } from './unsent'
import type { ClientMessage } from './wire'

const stroke = (key: number): ClientMessage => ({
  type: 'keys',
  epoch_us: 0,
  events: [{ at_us: 1, kind: 'down', key, value: 70, channel: 0 }],
  only_sound: false,
  again: false,
  number: 0,
})
const rest: ClientMessage = { type: 'command', do: { name: 'rest' }, at_us: 0 }

describe('messages that are not known to be on disk', () => {
  it('are numbered in order and kept until they are saved', () => {
    const unsent = new Unsent()
    expect([unsent.add(stroke(60)), unsent.add(rest), unsent.add(stroke(62))]).toEqual([1, 2, 3])
    unsent.done(3)
    expect(unsent.waiting().map((k) => k.number)).toEqual([1, 2, 3])
    unsent.saved(2)
    expect(unsent.waiting().map((k) => k.number)).toEqual([3])
    expect(unsent.first).toBe(3)
  })
  it('count the notes that wait to be written', () => {
    const unsent = new Unsent()
    unsent.add(stroke(60))
    unsent.add(stroke(62))
    expect(unsent.strokes).toBe(2)
    unsent.done(1)
    expect(unsent.strokes).toBe(1)
    expect(unsent.has('keys')).toBe(true)
    expect(unsent.has('record-start')).toBe(false)
  })
  it('are strokes only where the place is not known any more', () => {
    const unsent = new Unsent()
    unsent.add(rest)
    unsent.add(stroke(60))
    unsent.keepStrokesOnly()
    expect(unsent.waiting()).toEqual([{ number: 2, message: { ...stroke(60), again: true, only_sound: true } }])
    expect(unsent.first).toBe(2)
  })
})
