/** Choices that are kept in the browser. Nothing here writes notes unasked. */
import { create } from 'zustand'

interface Preferences {
  /** A short tone when the pen enters a bar. */
  barTone: boolean
  /** When playback stops, the pen goes there. */
  penFollows: boolean
  /** Minutes without a key after which the pen lifts itself; 0: never. */
  idleMinutes: number
  set(more: Partial<Pick<Preferences, 'barTone' | 'penFollows' | 'idleMinutes'>>): void
}

const STORE = 'ductus.preferences'
const kept = JSON.parse(localStorage.getItem(STORE) ?? '{}') as Partial<Preferences>

export const usePreferences = create<Preferences>((set, get) => ({
  barTone: false,
  penFollows: false,
  idleMinutes: 10,
  ...kept,
  set: (more) => {
    set(more)
    const { barTone, penFollows, idleMinutes } = get()
    localStorage.setItem(STORE, JSON.stringify({ barTone, penFollows, idleMinutes }))
  },
}))
