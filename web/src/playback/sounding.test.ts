import { expect, it } from 'vitest'
import type { Sounding } from '../session/wire'
import { SoundingNotes } from './sounding'

const note = (name: string, onset_us: number, length_us: number) =>
  ({ note: name, onset_us, length_us, key: 60, velocity: 80, part: 'p1' }) satisfies Sounding
const names = (notes: readonly Sounding[] | null) => notes?.map((n) => n.note)

it('tells what sounds, and only when it changes', () => {
  const sounding = new SoundingNotes([note('b', 100, 100), note('a', 0, 150), note('c', 300, 50)])
  expect(names(sounding.at(0))).toEqual(['a'])
  expect(sounding.at(50)).toBe(null)
  expect(names(sounding.at(120))).toEqual(['a', 'b'])
  expect(names(sounding.at(160))).toEqual(['b'])
  expect(names(sounding.at(250))).toEqual([])
  expect(sounding.at(260)).toBe(null)
  expect(names(sounding.at(320))).toEqual(['c'])
})

it('leaves out what has begun and ended between two looks', () => {
  const sounding = new SoundingNotes([note('short', 10, 5), note('long', 0, 100)])
  expect(names(sounding.at(50))).toEqual(['long'])
})
