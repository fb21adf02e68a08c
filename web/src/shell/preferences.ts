/** Choices that are kept in the browser. Nothing here writes notes unasked. */
import { create } from 'zustand'
import { persist } from 'zustand/middleware'

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

export const usePreferences = create<Preferences>()(
  persist(
    (set) => ({
      barTone: false,
      beatTone: false,
      company: false,
      penFollows: false,
      idleMinutes: 10,
      set: (more) => set(more),
    }),
    { name: 'ductus.preferences' },
  ),
)
