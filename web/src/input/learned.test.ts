import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'

const memory = new Map<string, string>()
vi.stubGlobal('localStorage', {
  getItem: (k: string) => memory.get(k) ?? null,
  setItem: (k: string, v: string) => memory.set(k, v),
})
vi.stubGlobal('window', globalThis)
const { onLearned, takenByCommand, triggerWords, useLearned } = await import('./learned')

const done: string[] = []
onLearned({
  run: (c) => done.push(c),
  hold: (c) => (c === 'dot' ? () => done.push('dot held') : null),
  label: (c) => c,
})

beforeEach(() => {
  done.length = 0
  vi.useFakeTimers()
  useLearned.getState().reset()
})
afterEach(() => vi.useRealTimers())

const learn = (command: string, number: number, source: string, channel: number) => {
  useLearned.getState().learn(command)
  takenByCommand('down', number, 100, source, channel)
}

describe('learned controls', () => {
  it('belong to their instrument and channel', () => {
    learn('back', 38, 'pads', 10)
    expect(takenByCommand('down', 38, 100, 'pads', 10)).toBe(true)
    expect(takenByCommand('down', 38, 100, 'piano', 1)).toBe(false)
    expect(takenByCommand('down', 38, 100, 'pads', 1)).toBe(false)
    expect(done).toEqual(['back'])
    expect(triggerWords('key 38 10 pads')).toBe('key D2 on channel 10')
  })
  it('of earlier days hold for any instrument', () => {
    useLearned.setState({ bound: { 'key 36': 'rest' } })
    expect(takenByCommand('down', 36, 100, 'piano', 1)).toBe(true)
    expect(done).toEqual(['rest'])
  })
  it('latch when they are held, as keys do', () => {
    learn('dot', 40, 'pads', 10)
    takenByCommand('down', 40, 100, 'pads', 10)
    vi.advanceTimersByTime(100)
    takenByCommand('up', 40, 0, 'pads', 10)
    expect(done).toEqual(['dot'])
    takenByCommand('down', 40, 100, 'pads', 10)
    vi.advanceTimersByTime(600)
    takenByCommand('up', 40, 0, 'pads', 10)
    expect(done).toEqual(['dot', 'dot held'])
  })
})
