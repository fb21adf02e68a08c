import { expect, it } from 'vitest'
import { headPlace, isOver, ledgers, QUIET_MS } from './openStaff'

const at = (key: number, ms = 0) => headPlace({ key, atUs: ms * 1000 }, 0, ms * 1000)

it('puts keys on the lines where they are written', () => {
  expect(at(64).y).toBe(60) // E4: the bottom line of the treble staff
  expect(at(77).y).toBe(20) // F5: its top line
  expect(at(43).y).toBe(130) // G2: the bottom line of the bass staff
  expect(at(57).y).toBe(90) // A3: its top line
})

it('gives middle C a ledger line below the treble staff, and notes on the staff none', () => {
  expect(ledgers(60, at(60).y)).toEqual([70])
  expect(ledgers(71, at(71).y)).toEqual([])
  expect(ledgers(84, at(84).y)).toEqual([10, 0]) // C6
})

it('keeps the newest head in sight', () => {
  expect(at(60, 60_000).x).toBe(940)
  expect(at(60, 1000).x).toBe(150)
})

it('takes the playing to be over after eight seconds without a key, and not while one is held', () => {
  expect(isOver(0, QUIET_MS - 1, 0)).toBe(false)
  expect(isOver(0, QUIET_MS, 0)).toBe(true)
  expect(isOver(0, QUIET_MS, 1)).toBe(false)
})
