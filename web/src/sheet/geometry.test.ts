import { describe, expect, it } from 'vitest'
import { scrollToClear, strokeColumns } from './geometry'

describe('a menu over the sheet', () => {
  it('scrolls nothing where the system ends above it', () => {
    expect(scrollToClear({ top: 100, bottom: 300 }, 320, 60)).toBe(0)
  })
  it('scrolls a covered system up until it ends above the menu', () => {
    expect(scrollToClear({ top: 300, bottom: 480 }, 400, 60)).toBe(80)
  })
  it('never scrolls the head of a tall system out of sight', () => {
    expect(scrollToClear({ top: 100, bottom: 600 }, 320, 60)).toBe(40)
  })
})

describe('strokes beside the pen', () => {
  it('stand in columns: keys that go down together share one', () => {
    const at = (ms: number, key: number) => ({ key, atUs: ms * 1000 })
    expect(strokeColumns([at(0, 60), at(300, 64), at(310, 67), at(700, 62)]).map((s) => s.column)).toEqual([0, 1, 1, 2])
    expect(strokeColumns([])).toEqual([])
  })
})
