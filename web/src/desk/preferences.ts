/** Choices that are kept in the browser. Nothing here writes notes unasked. */
import { create } from 'zustand'
import { persist } from 'zustand/middleware'

export interface RecordChoice {
  click: boolean
  countIn: number
  percent: number
  hands: 'reach' | 'split' | 'right' | 'left'
  split: number
  shortest: 'found' | 'quarter' | 'eighth' | '16th' | '32nd'
}

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
  /** The way of working was recording. */
  records: boolean
  record: RecordChoice
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
      records: false,
      record: { click: true, countIn: 2, percent: 100, hands: 'reach', split: 60, shortest: '16th' },
      set: (more) => set(more),
    }),
    { name: 'ductus.preferences' },
  ),
)
