/**
 * Doubts, and places that differ from what was played, on the sheet: an ochre wash behind the notes of each, stronger
 * behind the one in hand.
 */
import { memo, type RefObject, useLayoutEffect, useState } from 'react'
import { staffBox } from './geometry'
import { useOpenReading } from '../reading/reading'
import { useDeskParts } from '../session/store'

interface Wash {
  readonly key: number | string
  readonly left: number
  readonly top: number
  readonly width: number
  readonly height: number
}

const PAD = 7

export const Washes = memo(function Washes({ sheet }: { sheet: RefObject<HTMLDivElement | null> }) {
  const { refs, systems, panel, doubt, proof, differing } = useDeskParts(
    'refs',
    'systems',
    'panel',
    'doubt',
    'proof',
    'differing',
  )
  const reading = useOpenReading()
  const [washes, setWashes] = useState<readonly Wash[]>([])
  const doubts: readonly { key: number | string; ids: readonly string[] }[] | undefined =
    panel === 'read' ? reading?.doubts : panel === 'proof' ? proof?.differences : undefined
  const chosen = panel === 'proof' ? differing : doubt

  useLayoutEffect(() => {
    const root = sheet.current
    if (!root || !doubts?.length) return setWashes([])
    const measure = () => {
      const drawn = drawnIn(root)
      setWashes(doubts.flatMap((d) => washesOf(root, drawn, d.key, d.ids)))
    }
    measure()
    const observer = new ResizeObserver(measure)
    observer.observe(root)
    root.addEventListener('contentvisibilityautostatechange', measure, true)
    return () => {
      observer.disconnect()
      root.removeEventListener('contentvisibilityautostatechange', measure, true)
    }
  }, [doubts, refs, systems])

  const inHand = doubts?.find((d) => d.key === chosen)
  useLayoutEffect(() => {
    const id = inHand?.ids[0]
    if (id) document.getElementById(id)?.closest('[data-system]')?.scrollIntoView({ block: 'nearest' })
  }, [inHand?.key])

  return (
    <div aria-hidden className="pointer-events-none absolute inset-0 -z-1" data-testid="washes">
      {washes.map((w, i) => (
        <div
          key={i}
          data-doubt={w.key}
          className={`absolute rounded-[3px] bg-wash ${w.key === chosen ? 'outline-2 outline-ochre/70' : 'opacity-75'}`}
          style={{ left: w.left, top: w.top, width: w.width, height: w.height }}
        />
      ))}
    </div>
  )
})

/**
 * The systems that the browser draws, as they are near what is seen: to measure another it would have to lay it out
 * first.
 */
const drawnIn = (root: Element) =>
  new Set(
    [...root.querySelectorAll('[data-system] > *')]
      .filter((s) => s.checkVisibility?.({ contentVisibilityAuto: true }) ?? true)
      .map((s) => s.parentElement!),
  )

/** One wash for each staff that holds notes of the doubt. */
function washesOf(root: Element, drawn: ReadonlySet<Element>, key: number | string, ids: readonly string[]): Wash[] {
  const origin = root.getBoundingClientRect()
  const byStaff = new Map<Element, DOMRect[]>()
  for (const id of ids) {
    const note = document.getElementById(id)
    const staff = note?.closest('g.staff')
    const head = note?.querySelector('.notehead') ?? note
    if (staff && head && drawn.has(staff.closest('[data-system]')!))
      byStaff.set(staff, [...(byStaff.get(staff) ?? []), head.getBoundingClientRect()])
  }
  return [...byStaff].flatMap(([staff, heads]) => {
    const lines = staffBox(staff, origin)
    if (!lines || !heads[0]!.width) return []
    const left = Math.min(...heads.map((h) => h.left)) - origin.left - PAD
    const right = Math.max(...heads.map((h) => h.right)) - origin.left + PAD
    const top = Math.min(lines.top, ...heads.map((h) => h.top - origin.top)) - PAD
    const bottom = Math.max(lines.bottom, ...heads.map((h) => h.bottom - origin.top)) + PAD
    return [{ key, left, top, width: right - left, height: bottom - top }]
  })
}
