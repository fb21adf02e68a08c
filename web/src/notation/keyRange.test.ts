import { describe, expect, it } from 'vitest'
import { FINGER_PX, keyRange } from './keyRange'

describe('the keys on the screen', () => {
  it('are all of A1 to C7 for a mouse', () => {
    const { whites, blacks, width, leftOf } = keyRange(false, 400, 4)
    expect([whites[0], whites.at(-1)]).toEqual([33, 96])
    expect(blacks[0]).toBe(34)
    expect(whites.length * width).toBeCloseTo(100)
    expect(leftOf(33)).toBe(0)
  })
  it('are wide enough for fingers, from C of the octave on, and stay on the keyboard', () => {
    for (const rowPx of [320, 768, 1024])
      for (const octave of [0, 4, 8]) {
        const { whites } = keyRange(true, rowPx, octave)
        expect(rowPx / whites.length >= FINGER_PX || whites.length === 7).toBe(true)
        expect(whites[0]! >= 33 && whites.at(-1)! <= 96).toBe(true)
      }
    expect(keyRange(true, 768, 4).whites[0]).toBe(60)
  })
})
