import { expect, test } from 'vitest'
import { stretchAt, stretchesOf } from './stretches'

// bars of four beats of 10 ticks: 1 to 2, 1, 3
const ORDER = [
  { start: 0, end: 80 },
  { start: 0, end: 40 },
  { start: 80, end: 120 },
]
const TICKS = [0, 10, 20, 30, 40, 50, 60, 70, 0, 10, 20, 30, 80, 90]

test('each beat is told the stretch that it sounds in', () => {
  expect(stretchesOf(TICKS, ORDER)).toEqual([0, 0, 0, 0, 0, 0, 0, 0, 1, 1, 1, 1, 2, 2])
})

test('a bar that is played twice in a row is two stretches', () => {
  const twice = [
    { start: 0, end: 40 },
    { start: 0, end: 40 },
  ]
  expect(stretchesOf([0, 10, 20, 30, 0, 10], twice)).toEqual([0, 0, 0, 0, 1, 1])
})

test('playing that begins in a later stretch counts from there', () => {
  expect(stretchesOf([0, 10, 80], ORDER, 1)).toEqual([1, 1, 2])
})

test('a place begins in the first stretch that holds it', () => {
  expect(stretchAt(90, ORDER)).toBe(2)
  expect(stretchAt(10, ORDER)).toBe(0)
  expect(stretchAt(500, ORDER)).toBe(0)
})
