/**
 * What a press on the engraved page meant: glyphs are thin and hollow, so the nearest head and the whole box of a sign
 * count, not the ink.
 */

/** A rectangle in pixels of the window. */
export interface HitBox {
  readonly left: number
  readonly right: number
  readonly top: number
  readonly bottom: number
}

export const HEAD_PX = 8 // a head is meant up to this far from it
const LEAST_PX = 24 // signs are at least so high (WCAG 2.2, target size)

/** How far a point lies outside a box; 0 inside. */
export function distanceTo(box: HitBox, x: number, y: number): number {
  return Math.hypot(Math.max(box.left - x, 0, x - box.right), Math.max(box.top - y, 0, y - box.bottom))
}

/** A box that is at least so high and wide, about its middle. */
export function grown(box: HitBox, least = LEAST_PX): HitBox {
  const [w, h] = [Math.max(least - (box.right - box.left), 0) / 2, Math.max(least - (box.bottom - box.top), 0) / 2]
  return { left: box.left - w, right: box.right + w, top: box.top - h, bottom: box.bottom + h }
}

/**
 * The nearest of several boxes, none farther than `most`; of those that hold the point, the one whose middle is
 * nearest.
 */
export function nearest<T>(boxes: readonly (readonly [T, HitBox])[], x: number, y: number, most: number): T | null {
  let best: { of: T; far: number; off: number } | null = null
  for (const [of, box] of boxes) {
    const far = distanceTo(box, x, y)
    if (far > most) continue
    const off = Math.hypot((box.left + box.right) / 2 - x, (box.top + box.bottom) / 2 - y)
    if (!best || far < best.far || (far === best.far && off < best.off)) best = { of, far, off }
  }
  return best && best.of
}

const boxesOf = (holder: Element, selector: string): [Element, DOMRect][] =>
  [...holder.querySelectorAll(selector)]
    .map((e) => [e, e.getBoundingClientRect()] as [Element, DOMRect])
    .filter(([, r]) => r.width > 0)

/**
 * The element that a press meant: a head that was hit, what else was hit, else the nearest head within `reach`, else
 * the sign whose whole box (grown) holds the point, else what was hit.
 */
export function meantBy(
  target: Element,
  x: number,
  y: number,
  direct: string,
  signs: string,
  reach = HEAD_PX,
): Element {
  const holder = target.closest('[data-system]')
  if (!holder) return target
  const heads = boxesOf(holder, 'g.notehead')
  const struck = nearest(heads, x, y, 0) // the box of words may reach over a head
  if (struck) return struck
  if (target.closest(direct)) return target
  const exact = boxesOf(holder, signs)
  return (
    nearest(exact, x, y, 0) ??
    nearest(heads, x, y, reach) ??
    nearest(
      exact.map(([e, r]) => [e, grown(r)] as const),
      x,
      y,
      0,
    ) ??
    target
  )
}
