/** Which keys a keyboard on the screen shows: wide enough for fingers, a whole number of white keys. */

const BLACK = new Set([1, 3, 6, 8, 10])
const isBlack = (key: number) => BLACK.has(key % 12)

const LOWEST = 33 // A1
const HIGHEST = 96 // C7
export const FINGER_PX = 44

export interface KeyRange {
  readonly whites: readonly number[]
  readonly blacks: readonly number[]
  /** Width of a white key, in percent of the row. */
  readonly width: number
  /** The left edge of a key that lies on the row, in percent. */
  readonly leftOf: (key: number) => number
}

/** All keys from A1 to C7; where fingers play, as many from C of an octave on as are 44 px wide each. */
export function keyRange(fingers: boolean, rowPx: number, octave: number): KeyRange {
  const all = Array.from({ length: HIGHEST - LOWEST + 1 }, (_, k) => LOWEST + k)
  const allWhite = all.filter((key) => !isBlack(key))
  const fit = Math.max(Math.floor(rowPx / FINGER_PX), 7)
  let whites: readonly number[] = allWhite
  if (fingers && fit < allWhite.length) {
    const wanted = allWhite.findIndex((key) => key >= 12 * (octave + 1))
    const from = Math.min(Math.max(wanted < 0 ? allWhite.length : wanted, 0), allWhite.length - fit)
    whites = allWhite.slice(from, from + fit)
  }
  const width = 100 / whites.length
  return {
    whites,
    blacks: all.filter((key) => isBlack(key) && key > whites[0]! && key < whites.at(-1)!),
    width,
    leftOf: (key) => whites.filter((white) => white < key).length * width,
  }
}
