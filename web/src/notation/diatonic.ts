/** Where keys stand on a staff before they are spelled: good enough for heads that are replaced in a moment. */

const STEPS = [0, 0, 1, 1, 2, 3, 3, 4, 4, 5, 5, 6]
const SHARP = new Set([1, 3, 6, 8, 10])

/** Diatonic number of a MIDI key, C0 being 0: D4 is 29. */
export const diatonicOf = (key: number) => 7 * (Math.floor(key / 12) - 1) + STEPS[key % 12]!

/** Is a key written with a sharp? */
export const isSharp = (key: number) => SHARP.has(key % 12)
