/** How high the strip is: 140 px at first, dragged by its upper edge, kept in the browser. Lengths in px. */
import { create } from 'zustand'
import { persist } from 'zustand/middleware'

export const FIRST = 140
export const LEAST = 100
export const MOST = 420
/** What an arrow key adds. */
export const STEP = 20

export const useStripHeight = create<{ readonly height: number }>()(
  persist(() => ({ height: FIRST }), { name: 'ductus.strip' }),
)

/** A height that was asked for, within what can be read and what leaves room for music. */
export const within = (height: number) => Math.round(Math.min(Math.max(height, LEAST), MOST))

export const setHeight = (height: number) => useStripHeight.setState({ height: within(height) })

/** Where the rows of the strip lie at a height: only the strokes take more room in a higher one. */
export const rowsOf = (height: number) => ({
  curve: [10, 24] as const,
  notes: [36, height - 38] as const,
  diamond: height - 26,
})

export const useRows = () => rowsOf(useStripHeight((s) => s.height))
