import { expect, test } from 'vitest'
import { lineShare, type LineShare } from './lines'

const SHARES: LineShare[] = [100, 76, 58, 44, 34]
const staff = (width: number, share: LineShare) => (0.03 * (width - 56) * 100) / share

test('staves are at least 26 px high in any window from 400 px on', () => {
  for (let width = 400; width <= 1500; width += 7)
    for (const now of SHARES) expect(staff(width, lineShare(width, now))).toBeGreaterThanOrEqual(26)
})

test('a wide window has the longest lines, whatever it had before', () => {
  for (const now of SHARES) expect(lineShare(1400, now)).toBe(100)
})

test('what fits stays: a margin that folds and unfolds changes the lines once', () => {
  const folded = 952
  const unfolded = 728
  expect(lineShare(folded, 100)).toBe(100)
  expect(lineShare(unfolded, 100)).toBe(76)
  expect(lineShare(folded, 76)).toBe(76)
  expect(lineShare(unfolded, 76)).toBe(76)
})
