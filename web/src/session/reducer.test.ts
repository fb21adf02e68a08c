import { describe, expect, it } from 'vitest'
import { reduce } from './reducer'
import { fresh, type DeskState } from './state'
import type { Pen, Proof, Reading, ServerMessage, System, SystemRef } from './wire'

const at = (changes: Partial<DeskState>): DeskState => ({ ...fresh('p'), ...changes })
const told = (state: DeskState, message: unknown) => reduce(state, message as ServerMessage)
const ref = (first: number, key: string | null) => ({ first, last: first + 3, key }) as SystemRef
const reading = (id: string, take: number, ...doubts: { key: number; tick: number }[]) =>
  ({ id, take, doubts, questions: [] }) as unknown as Reading
const pen = (down: boolean) => ({ type: 'pen', down }) as unknown as Pen

describe('the sheet', () => {
  it('keeps the old drawing of a system until the new one comes', () => {
    const before = at({ refs: [ref(0, 'a'), ref(4, 'b')] })
    const after = told(before, { type: 'sheet', systems: [ref(0, 'a'), ref(4, null)] })
    expect(after.refs).toBe(before.refs)
    expect(told(before, { type: 'sheet', systems: [ref(0, 'a'), ref(4, 'c')] }).refs[1]!.key).toBe('c')
  })

  it('places a system, and forgets old drawings only when they are many', () => {
    const systems = new Map(Array.from({ length: 41 }, (_, k) => [`old${k}`, { key: `old${k}` } as System]))
    const few = told(at({ refs: [ref(0, null)] }), { type: 'system', key: 'new', first: 0, last: 3 })
    expect([...few.systems.keys()]).toEqual(['new'])
    const many = told(at({ refs: [ref(0, null)], systems }), { type: 'system', key: 'new', first: 0, last: 3 })
    expect([...many.systems.keys()]).toEqual(['new'])
    expect(many.refs[0]!.key).toBe('new')
  })
})

describe('panels', () => {
  it('leaves reading and proof when the pen comes down', () => {
    for (const panel of ['read', 'proof'] as const) expect(told(at({ panel }), pen(true)).panel).toBe('step')
    expect(told(at({ panel: 'record' }), pen(true)).panel).toBe('record')
    expect(told(at({ panel: 'read' }), pen(false)).panel).toBe('read')
  })

  it('goes to recording from entry only, and back', () => {
    expect(told(at({ panel: 'step' }), { type: 'record-line', on: true }).panel).toBe('record')
    expect(told(at({ panel: 'proof' }), { type: 'record-line', on: true }).panel).toBe('proof')
    expect(told(at({ panel: 'record' }), { type: 'record-line', on: false }).panel).toBe('step')
  })
})

describe('readings', () => {
  it('opens the take that was just recorded as soon as it has been read', () => {
    const ended = told(at({ recording: { originUs: 0, waiting: false, free: false } }), {
      type: 'recording',
      going: false,
      take: 7,
    })
    expect([ended.recording, ended.awaitedTake]).toEqual([null, 7])
    const other = told(ended, { type: 'readings', readings: [reading('r1', 3)] })
    expect([other.panel, other.awaitedTake]).toEqual(['step', 7])
    const come = told(other, {
      type: 'readings',
      readings: [reading('r1', 3), reading('r2', 7, { key: 4, tick: 960 })],
    })
    expect([come.panel, come.openReading, come.doubt, come.awaitedTake]).toEqual(['read', 'r2', 4, null])
  })

  it('does not open it under a pen that is down', () => {
    const waiting = at({ awaitedTake: 7, pen: pen(true) })
    expect(told(waiting, { type: 'readings', readings: [reading('r2', 7)] }).panel).toBe('step')
  })

  it('hands a settled doubt over to the next one in time', () => {
    const doubts = [
      { key: 1, tick: 0 },
      { key: 2, tick: 960 },
      { key: 3, tick: 1920 },
    ]
    const before = at({ readings: [reading('r', 1, ...doubts)], openReading: 'r', doubt: 2 })
    expect(told(before, { type: 'readings', readings: [reading('r', 1, doubts[0]!, doubts[2]!)] }).doubt).toBe(3)
    expect(told(before, { type: 'readings', readings: [reading('r', 1, doubts[0]!)] }).doubt).toBe(1)
    expect(told(before, { type: 'readings', readings: [] }).doubt).toBe(null)
  })

  it('leaves the panel of readings with the last reading', () => {
    expect(told(at({ panel: 'read', readings: [reading('r', 1)] }), { type: 'readings', readings: [] }).panel).toBe(
      'step',
    )
  })
})

describe('proof', () => {
  const differences = (...keys: string[]) => keys.map((key, k) => ({ key, tick: 960 * k }))
  it('keeps the difference in hand, or takes the one after it', () => {
    const before = told(at({}), { type: 'proof', take: 1, differences: differences('a', 'b', 'c') })
    expect([before.panel, before.differing]).toEqual(['proof', 'a'])
    const inHand = { ...before, differing: 'b' }
    expect(told(inHand, { type: 'proof', take: 1, differences: differences('a', 'b') }).differing).toBe('b')
    const rest = [
      { key: 'a', tick: 0 },
      { key: 'c', tick: 1920 },
    ]
    expect(told(inHand, { type: 'proof', take: 1, differences: rest } as unknown as Proof).differing).toBe('c')
    expect(told(inHand, { type: 'proof', take: 0, differences: [] }).proof).toBe(null)
  })
})

it('leaves the state as it is for messages that it does not keep', () => {
  const state = at({})
  for (const type of ['followed', 'done', 'clicks', 'weighed']) expect(told(state, { type })).toBe(state)
})

it('keeps the selection as a set, and no bars where there are none', () => {
  const chosen = told(at({}), { type: 'selection', ids: ['n1', 'n1', 'n2'], first_bar: 2, last_bar: 3 })
  expect([...chosen.selection]).toEqual(['n1', 'n2'])
  expect(chosen.selectedBars).toEqual([2, 3])
  expect(told(chosen, { type: 'selection', ids: [], first_bar: -1, last_bar: -1 }).selectedBars).toBe(null)
})
