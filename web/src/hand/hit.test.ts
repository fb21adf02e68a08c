import { describe, expect, it } from 'vitest'
import { distanceTo, grown, nearest } from './hit'

const box = (left: number, top: number, width = 10, height = 10) => ({
  left,
  top,
  right: left + width,
  bottom: top + height,
})

describe('what a press means', () => {
  it('is inside a box, or so far from it', () => {
    expect(distanceTo(box(0, 0), 5, 5)).toBe(0)
    expect(distanceTo(box(0, 0), 13, 14)).toBe(5)
  })
  it('is the nearest head, and none that is too far', () => {
    const heads = [
      ['a', box(0, 0)],
      ['b', box(20, 0)],
    ] as const
    expect(nearest(heads, 14, 5, 8)).toBe('a')
    expect(nearest(heads, 16, 5, 8)).toBe('b')
    expect(nearest(heads, 15, 40, 8)).toBe(null)
  })
  it('is the middle one of heads that lie over each other', () => {
    expect(
      nearest(
        [
          ['low', box(0, 4)],
          ['high', box(0, 0)],
        ] as const,
        5,
        6,
        0,
      ),
    ).toBe('high')
    expect(
      nearest(
        [
          ['low', box(0, 4)],
          ['high', box(0, 0)],
        ] as const,
        5,
        9,
        0,
      ),
    ).toBe('low')
  })
  it('hits small signs by a box of a finger', () => {
    expect(grown(box(100, 100, 2, 40))).toEqual({ left: 89, right: 113, top: 100, bottom: 140 })
  })
})
