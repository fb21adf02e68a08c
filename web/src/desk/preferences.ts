/** Choices that are kept in the browser. Nothing here writes notes unasked. */
import { create } from 'zustand'

interface Preferences {
  /** A short tone when the pen enters a bar. */
  barTone: boolean
  /** A tone for the rank of each place the pen comes to: bar, beat, half beat. */
  beatTone: boolean
  /** The first key of each step sounds what the other parts and staves hold there. */
  company: boolean
  /** When playback stops, the pen goes there. */
  penFollows: boolean
  /** Minutes without a key after which the pen lifts itself; 0: never. */
  idleMinutes: number
  set(more: Partial<Omit<Preferences, 'set'>>): void
}

const STORE = 'ductus.preferences'
const kept = JSON.parse(localStorage.getItem(STORE) ?? '{}') as Partial<Preferences>

export const usePreferences = create<Preferences>((set, get) => ({
  barTone: false,
  beatTone: false,
  company: false,
  penFollows: false,
  idleMinutes: 10,
  ...kept,
  set: (more) => {
    set(more)
    localStorage.setItem(STORE, JSON.stringify({ ...get(), set: undefined }))
  },
}))
