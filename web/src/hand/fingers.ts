/** Touch on the sheet: one finger selects and a long press opens the field of marks; two scroll and pinch. */
import { twoFingers, type Point } from '../sheet/geometry'
import { zoomBy } from '../sheet/zoom'

export const LONG_PRESS_MS = 420
const PINCHED = 1.25 // how far apart (or together) two fingers go for one step of the zoom

/** After a long press the finger's end makes no click: a click would take the focus from the field that has opened. */
export function lettingGoIsNoTap(): void {
  const over = new AbortController()
  const end = (event: Event) => {
    if (event.cancelable) event.preventDefault()
    over.abort()
  }
  window.addEventListener('touchend', end, { capture: true, passive: false, signal: over.signal })
  window.addEventListener('touchcancel', end, { capture: true, signal: over.signal })
}

/** A ref for what two fingers scroll and pinch. The second finger ends whatever the first had begun. */
export function scrolledByFingers(element: HTMLElement | null) {
  if (!element) return undefined
  const fingers = new Map<number, Point>()
  let opened = 1 // how much further apart they are since the last step of the zoom
  const pair = (): [Point, Point] | null => {
    const [a, b] = [...fingers.values()]
    return a && b && fingers.size === 2 ? [a, b] : null
  }
  const onDown = (event: PointerEvent) => {
    if (event.pointerType !== 'touch') return
    fingers.set(event.pointerId, { x: event.clientX, y: event.clientY })
    opened = 1
    if (fingers.size === 2) window.dispatchEvent(new PointerEvent('pointercancel'))
  }
  const onMove = (event: PointerEvent) => {
    if (!fingers.has(event.pointerId)) return
    const before = pair()
    fingers.set(event.pointerId, { x: event.clientX, y: event.clientY })
    const now = pair()
    if (!before || !now) return
    const { dx, dy, ratio } = twoFingers(before, now)
    element.scrollBy({ left: -dx, top: -dy })
    opened *= ratio
    if (opened < PINCHED && opened > 1 / PINCHED) return
    zoomBy('zoom', opened > 1 ? 1 : -1)
    opened = 1
  }
  const onEnd = (event: PointerEvent) => void fingers.delete(event.pointerId)
  const onMenu = (event: Event) => {
    if (fingers.size) event.preventDefault() // a long press is ours
  }
  element.addEventListener('pointerdown', onDown)
  element.addEventListener('contextmenu', onMenu)
  window.addEventListener('pointermove', onMove)
  window.addEventListener('pointerup', onEnd)
  window.addEventListener('pointercancel', onEnd)
  return () => {
    element.removeEventListener('pointerdown', onDown)
    element.removeEventListener('contextmenu', onMenu)
    window.removeEventListener('pointermove', onMove)
    window.removeEventListener('pointerup', onEnd)
    window.removeEventListener('pointercancel', onEnd)
  }
}
