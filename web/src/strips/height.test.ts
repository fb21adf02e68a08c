import { expect, test } from 'vitest'
import { FIRST, LEAST, MOST, rowsOf, within } from './height'

test('a height stays readable and leaves room for the music', () => {
  expect(within(10)).toBe(LEAST)
  expect(within(5000)).toBe(MOST)
  expect(within(200.4)).toBe(200)
})

test('a higher strip gives its room to the strokes', () => {
  const [low, high] = [rowsOf(FIRST), rowsOf(FIRST + 100)]
  expect(high.curve).toEqual(low.curve)
  expect(high.notes[1] - high.notes[0]).toBe(low.notes[1] - low.notes[0] + 100)
  expect(high.diamond).toBe(low.diamond + 100)
})

test.each([LEAST, FIRST, MOST])('rows of a strip of %d px do not overlap', (height) => {
  const { curve, notes, diamond } = rowsOf(height)
  expect(curve[1]).toBeLessThan(notes[0])
  expect(notes[0]).toBeLessThan(notes[1])
  expect(notes[1]).toBeLessThan(diamond)
  expect(diamond + 20).toBeLessThan(height)
})
