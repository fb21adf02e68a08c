import { describe, expect, it } from 'vitest'
import { scrollToClear, strokeColumns, twoFingers } from './geometry'

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

describe('two fingers', () => {
  it('scroll by the way of their middle and zoom by how far they part', () => {
    const at = (x: number, y: number) => ({ x, y })
    expect(twoFingers([at(0, 0), at(100, 0)], [at(10, 30), at(110, 30)])).toEqual({ dx: 10, dy: 30, ratio: 1 })
    expect(twoFingers([at(0, 0), at(100, 0)], [at(-50, 0), at(150, 0)])).toEqual({ dx: 0, dy: 0, ratio: 2 })
  })
})
