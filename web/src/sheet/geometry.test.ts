import { describe, expect, it } from 'vitest'
import { scrollToClear } from './geometry'

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
