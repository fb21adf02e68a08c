/**
 * Zoom of the sheet and of the strip: by key, in the Desk menu, and by the wheel with Ctrl (which is also what two
 * fingers on a pad send).
 */
import { say } from '../session/actions'
import { playbackSettings, setPlayback } from '../playback/settings'

type What = 'zoom' | 'stripZoom'
const STEPS: Record<What, readonly number[]> = {
  zoom: [0.5, 0.65, 0.8, 1, 1.25, 1.5, 2, 2.5, 3],
  stripZoom: [0.5, 1, 1.5, 2, 3, 4, 6, 8, 12],
}
const NAMES: Record<What, string> = { zoom: 'The sheet', stripZoom: 'The strip' }

/** One step larger (1) or smaller (-1), or as it fits (0). */
export function zoomBy(what: What, by: -1 | 0 | 1): void {
  const steps = STEPS[what]
  const near = steps.reduce(
    (best, s, i) =>
      Math.abs(s - playbackSettings()[what]) < Math.abs(steps[best]! - playbackSettings()[what]) ? i : best,
    0,
  )
  const to = by ? steps[Math.min(Math.max(near + by, 0), steps.length - 1)]! : 1
  setPlayback({ [what]: to })
  say(to === 1 ? `${NAMES[what]} is as large as it fits` : `${NAMES[what]} at ${Math.round(to * 100)} %`)
}

const NOTCH = 40 // wheel travel of one step

/** A ref for what is zoomed by the wheel. */
export function zoomByWheel(what: What) {
  return (element: HTMLElement | null) => {
    if (!element) return
    let travel = 0
    const turn = (event: WheelEvent) => {
      if (!event.ctrlKey) return
      event.preventDefault()
      travel += event.deltaY
      if (Math.abs(travel) < NOTCH) return
      zoomBy(what, travel < 0 ? 1 : -1)
      travel = 0
    }
    element.addEventListener('wheel', turn, { passive: false })
    return () => element.removeEventListener('wheel', turn)
  }
}
