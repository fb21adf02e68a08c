/** Settings of playback and of the sheet, kept for each piece. None of them touches the writing. */
import { create } from 'zustand'
import { persist } from 'zustand/middleware'

export interface PlaybackSettings {
  /** Parts that are not heard; while some are alone, only these are. */
  readonly off: readonly string[]
  readonly alone: readonly string[]
  /** The practice tempo: in percent of the written, or one number of beats a minute for all (then in quarters). */
  readonly percent: number
  readonly qpm: number | null
  readonly repeats: boolean
  /** Notes that were played sound when they were played, not when they are written. */
  readonly asPlayed: boolean
  /** Small differences of time, length and velocity, in percent of the most; `feels` is their switch. */
  readonly feel: number
  readonly feels: boolean
  /** Bars (indices) that go round and round. */
  readonly loop: { readonly first: number; readonly last: number } | null
  readonly follows: 'system' | 'page' | 'not at all'
  /** Of the sheet and of the strip, 1 is as large as it fits. */
  readonly zoom: number
  readonly stripZoom: number
  /** The size of the pages that the sheet is laid on; empty: one scroll. */
  readonly pages: PageSize
}
export type PageSize = '' | 'a4' | 'letter'

const USUAL: PlaybackSettings = {
  off: [],
  alone: [],
  percent: 100,
  qpm: null,
  repeats: true,
  asPlayed: false,
  feel: 40,
  feels: false,
  loop: null,
  follows: 'system',
  zoom: 1,
  stripZoom: 1,
  pages: '',
}
const MOST_KEPT = 60

interface Kept {
  readonly piece: string
  readonly kept: Readonly<Record<string, PlaybackSettings>>
}
const useKept = create<Kept>()(
  persist((): Kept => ({ piece: '', kept: {} }), {
    name: 'ductus.listening',
    partialize: ({ kept }) => ({ piece: '', kept }),
  }),
)

const settingsOf = ({ piece, kept }: Kept): PlaybackSettings => kept[piece] ?? USUAL
export const playbackSettings = (): PlaybackSettings => settingsOf(useKept.getState())
export const usePlayback = <T>(pick: (h: PlaybackSettings) => T): T => useKept((s) => pick(settingsOf(s)))

/** Open the settings of a piece as they were left. */
export const openPlayback = (piece: string) =>
  useKept.setState((s) => ({
    piece,
    kept: { ...s.kept, ...(s.kept[piece] ? { [piece]: { ...USUAL, ...s.kept[piece] } } : {}) },
  }))

export function setPlayback(more: Partial<PlaybackSettings>): void {
  useKept.setState((s) => {
    const others = Object.entries(s.kept)
      .filter(([id]) => id !== s.piece)
      .slice(1 - MOST_KEPT)
    return { kept: { ...Object.fromEntries(others), [s.piece]: { ...settingsOf(s), ...more } } }
  })
}

export function isHeard(part: string): boolean {
  const { off, alone } = playbackSettings()
  return alone.length ? alone.includes(part) : !off.includes(part)
}

const toggled = (list: readonly string[], part: string) =>
  list.includes(part) ? list.filter((p) => p !== part) : [...list, part]
export const toggleOff = (part: string) => setPlayback({ off: toggled(playbackSettings().off, part) })
export const toggleAlone = (part: string) => setPlayback({ alone: toggled(playbackSettings().alone, part) })
