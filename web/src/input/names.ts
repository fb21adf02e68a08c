/** Names of MIDI keys. */
const NAMES = ['C', 'C♯', 'D', 'E♭', 'E', 'F', 'F♯', 'G', 'A♭', 'A', 'B♭', 'B']

/** "C4" for 60. */
export const keyName = (key: number) => `${NAMES[key % 12]}${Math.floor(key / 12) - 1}`
