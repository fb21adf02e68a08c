/**
 * Small handles at the ends of a chosen mark that spans, dragged to another place, and in the middle of a slur, which
 * bends it; and the outline of what is chosen.
 */
import { cx } from '../shell/classes'
import { useLayoutEffect, useState, type PointerEvent, type RefObject } from 'react'
import { placeAt, staffTenth, type ClefAt } from './geometry'
import { useDesk } from '../session/store'
import type { System } from '../session/wire'
import { editMarks, usePage } from '../session/chosen'

interface Box {
  readonly left: number
  readonly top: number
  readonly width: number
  readonly height: number
}
interface Point {
  readonly x: number
  readonly y: number
}

const CONTROL = 4 / 3 // the middle of a cubic curve goes three quarters of the way with its two control points

export function Handles({
  sheet,
  clefAt,
  viewOf,
}: {
  sheet: RefObject<HTMLDivElement | null>
  clefAt: ClefAt
  viewOf: (holder: Element) => System | undefined
}) {
  const marks = usePage((s) => s.marks)
  const systems = useDesk((s) => s.systems)
  const refs = useDesk((s) => s.refs)
  const [boxes, setBoxes] = useState<readonly Box[]>([])
  const [arch, setArch] = useState<Point | null>(null)

  useLayoutEffect(() => {
    const root = sheet.current
    if (!root || !marks?.ids.length) return setBoxes([])
    const measure = () => {
      const origin = root.getBoundingClientRect()
      setBoxes(
        marks.ids.flatMap((id) =>
          [...root.querySelectorAll(`[id="${CSS.escape(id)}"]`)]
            .map((e) => e.getBoundingClientRect())
            .filter((r) => r.width)
            .map((r) => ({ left: r.left - origin.left, top: r.top - origin.top, width: r.width, height: r.height })),
        ),
      )
      const curve = marks.bends && curvesOf(root, marks.ids)[0]
      const top = curve && topOf(curve)
      setArch(top ? { x: top.x - origin.left, y: top.y - origin.top } : null)
    }
    measure()
    const observer = new ResizeObserver(measure)
    observer.observe(root)
    return () => observer.disconnect()
  }, [marks, systems, refs])

  const drag = (end: 'start' | 'end') => (event: PointerEvent<HTMLButtonElement>) => {
    event.stopPropagation()
    const handle = event.currentTarget
    handle.setPointerCapture(event.pointerId)
    const begin = event.clientX
    const onMove = (e: globalThis.PointerEvent) => {
      handle.style.transform = `translateX(${e.clientX - begin}px)`
    }
    const onUp = (e: globalThis.PointerEvent) => {
      handle.removeEventListener('pointermove', onMove)
      handle.style.transform = ''
      handle.style.pointerEvents = 'none'
      const holder = document.elementFromPoint(e.clientX, e.clientY)?.closest('[data-system]')
      handle.style.pointerEvents = ''
      const view = holder && viewOf(holder)
      const found =
        holder && view && sheet.current ? placeAt(sheet.current, holder, view, clefAt, e.clientX, e.clientY) : null
      if (found) editMarks({ name: 'mark-reaches', tick: found.tick, end })
    }
    handle.addEventListener('pointermove', onMove)
    handle.addEventListener('pointerup', onUp, { once: true })
  }

  const bend = (event: PointerEvent<HTMLButtonElement>) => {
    event.stopPropagation()
    const handle = event.currentTarget
    const curves = sheet.current && marks ? curvesOf(sheet.current, marks.ids) : []
    const own = curves.map((c) => c.getAttribute('d') ?? '')
    handle.setPointerCapture(event.pointerId)
    const begin = event.clientY
    const onMove = (e: globalThis.PointerEvent) => {
      handle.style.transform = `translateY(${e.clientY - begin}px)`
      curves.forEach((c, i) =>
        c.setAttribute('d', bentBy(own[i]!, ((e.clientY - begin) * CONTROL) / (c.getScreenCTM()?.a ?? 1))),
      )
    }
    const onUp = (e: globalThis.PointerEvent) => {
      handle.removeEventListener('pointermove', onMove)
      handle.style.transform = ''
      curves.forEach((c, i) => c.setAttribute('d', own[i]!))
      const up = curves[0] ? Math.round((begin - e.clientY) / staffTenth(curves[0])) : 0
      if (up) editMarks({ name: 'bend-slurs', up })
    }
    handle.addEventListener('pointermove', onMove)
    handle.addEventListener('pointerup', onUp, { once: true })
  }

  const first = boxes[0]
  const last = boxes.at(-1)
  const handle = cx(
    'absolute h-6 w-6 -translate-x-1/2 -translate-y-1/2 rounded-full after:absolute after:inset-[7px]',
    'after:rounded-full after:border-2 after:border-vermilion after:bg-paper',
  )
  return (
    <div className="pointer-events-none absolute inset-0" data-testid="handles">
      {boxes.map((b, i) => (
        <div
          key={i}
          aria-hidden
          className="absolute rounded-[3px] border border-vermilion/60"
          style={{ left: b.left - 4, top: b.top - 4, width: b.width + 8, height: b.height + 8 }}
        />
      ))}
      {marks?.spans && first && last && (
        <>
          <button
            type="button"
            aria-label="beginning of the mark"
            onPointerDown={drag('start')}
            className={`${handle} cursor-ew-resize pointer-events-auto`}
            style={{ left: first.left, top: first.top + first.height / 2 }}
          />
          <button
            type="button"
            aria-label="end of the mark"
            onPointerDown={drag('end')}
            className={`${handle} cursor-ew-resize pointer-events-auto`}
            style={{ left: last.left + last.width, top: last.top + last.height / 2 }}
          />
        </>
      )}
      {arch && (
        <button
          type="button"
          aria-label="curve of the slur"
          onPointerDown={bend}
          className={`${handle} cursor-ns-resize pointer-events-auto`}
          style={{ left: arch.x, top: arch.y }}
        />
      )}
    </div>
  )
}

const curvesOf = (root: Element, ids: readonly string[]): SVGPathElement[] =>
  ids.flatMap((id) => [...root.querySelectorAll<SVGPathElement>(`g.slur[id="${CSS.escape(id)}"] > path`)])

/** The middle of a curve on the screen: it is drawn there and back. */
function topOf(curve: SVGPathElement): Point | null {
  const at = curve.getPointAtLength(curve.getTotalLength() / 4)
  const matrix = curve.getScreenCTM()
  return matrix && at.matrixTransform(matrix)
}

/** A curve whose control points go down by so many units of the drawing. */
const bentBy = (path: string, down: number): string =>
  path.replace(
    /C(-?[\d.]+),(-?[\d.]+) (-?[\d.]+),(-?[\d.]+)/g,
    (_, a: string, b: string, c: string, d: string) => `C${a},${Number(b) + down} ${c},${Number(d) + down}`,
  )
