/** How playback goes, and which parts are heard in it: kept for each piece. Nothing of it touches the writing. */
import { create } from 'zustand'
import { persist } from 'zustand/middleware'

export interface How {
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

const USUAL: How = {
  off: [], alone: [], percent: 100, qpm: null, repeats: true, asPlayed: false, feel: 40, feels: false, loop: null, follows: 'system', zoom: 1, stripZoom: 1, pages: '',
}
const MOST_KEPT = 60

interface Kept { readonly piece: string; readonly kept: Readonly<Record<string, How>> }
const useKept = create<Kept>()(persist((): Kept => ({ piece: '', kept: {} }), { name: 'ductus.listening', partialize: ({ kept }) => ({ piece: '', kept }) }))

const howOf = ({ piece, kept }: Kept): How => kept[piece] ?? USUAL
export const how = (): How => howOf(useKept.getState())
export const useHow = <T>(pick: (h: How) => T): T => useKept((s) => pick(howOf(s)))

/** How a piece is heard comes back as it was left. */
export const openHow = (piece: string) => useKept.setState((s) => ({ piece, kept: { ...s.kept, ...(s.kept[piece] ? { [piece]: { ...USUAL, ...s.kept[piece] } } : {}) } }))

export function setHow(more: Partial<How>): void {
  useKept.setState((s) => {
    const others = Object.entries(s.kept).filter(([id]) => id !== s.piece).slice(1 - MOST_KEPT)
    return { kept: { ...Object.fromEntries(others), [s.piece]: { ...howOf(s), ...more } } }
  })
}

export function isHeard(part: string): boolean {
  const { off, alone } = how()
  return alone.length ? alone.includes(part) : !off.includes(part)
}

const toggled = (list: readonly string[], part: string) => (list.includes(part) ? list.filter((p) => p !== part) : [...list, part])
export const toggleOff = (part: string) => setHow({ off: toggled(how().off, part) })
export const toggleAlone = (part: string) => setHow({ alone: toggled(how().alone, part) })
