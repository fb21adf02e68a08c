/** Where written places lie on the engraved page, and back. All coordinates are pixels inside the sheet. */
import type { BarInfo, Pen, System } from '../session/wire'

export interface StaffLines {
  readonly top: number
  readonly bottom: number
}

export interface Box {
  readonly left: number
  readonly right: number
  readonly top: number
  readonly bottom: number
}

const STAFF_LINES = 5
const OPENING_GAP = 14
/** Diatonic number (C0 = 0) of the lowest line of each clef. */
export const BOTTOM_LINE: Record<string, number> = {
  treble: 30,
  bass: 18,
  'treble-8': 23,
  'treble+8': 37,
  'bass-8': 11,
  soprano: 28,
  alto: 24,
  tenor: 22,
  percussion: 30,
}

/** The clef of a staff (counted over all parts) at a tick. */
export type ClefAt = (staffIndex: number, tick: number) => string

function box(element: Element, origin: DOMRect): Box {
  const r = element.getBoundingClientRect()
  return {
    left: r.left - origin.left,
    right: r.right - origin.left,
    top: r.top - origin.top,
    bottom: r.bottom - origin.top,
  }
}

/**
 * The holder of a system on the sheet. By its number among its neighbours on its page: a search would walk through all
 * music before it.
 */
export function holderOf(sheet: Element | null, index: number): Element | null {
  let left = index
  for (const leaf of sheet?.querySelectorAll(':scope > .leaf > .leaf-systems') ?? []) {
    if (left < leaf.children.length) return leaf.children[left] ?? null
    left -= leaf.children.length
  }
  return null
}

const measureOf = (system: Element, bar: number) => system.querySelector(`g.measure[id^="b${bar}-"]`)
const stavesOf = (measure: Element) => [...measure.querySelectorAll(':scope > g.staff')]
const linesOf = (staff: Element) => [...staff.querySelectorAll(':scope > path')].slice(0, STAFF_LINES)

export function staffBox(staff: Element, origin: DOMRect): Box | null {
  const lines = linesOf(staff)
  if (lines.length < STAFF_LINES) return null
  const first = box(lines[0]!, origin)
  const last = box(lines[STAFF_LINES - 1]!, origin)
  return {
    left: first.left,
    right: first.right,
    top: (first.top + first.bottom) / 2,
    bottom: (last.top + last.bottom) / 2,
  }
}

/** Where music begins in a bar: right of the clef, key and meter if they stand there. */
function opening(staff: Element, lines: Box, origin: DOMRect): number {
  let x = lines.left
  for (const sign of staff.querySelectorAll(
    ':scope > .clef, :scope > .keySig, :scope > .meterSig:not([visibility=hidden])',
  )) {
    const r = box(sign, origin)
    if (r.right > r.left) x = Math.max(x, r.right)
  }
  return x + OPENING_GAP
}

/** x of the columns of a bar: [tick, x] from its start to its end. */
function columnsOf(system: Element, view: System, bar: BarInfo, origin: DOMRect): [number, number][] {
  const measure = measureOf(system, bar.index)
  const staff = measure && stavesOf(measure)[0]
  const lines = staff && staffBox(staff, origin)
  if (!measure || !staff || !lines) return []
  const out: [number, number][] = []
  for (const [tick, id] of view.columns) {
    if (tick < bar.start || tick >= bar.start + bar.ticks) continue
    const element = system.querySelector(`[id="${CSS.escape(id)}"]`)
    if (!element || element.classList.contains('mRest')) continue
    const head = element.querySelector('.notehead') ?? element
    const r = box(head, origin)
    if (r.right > r.left) out.push([tick, (r.left + r.right) / 2])
  }
  if (!out.length || out[0]![0] > bar.start)
    out.unshift([bar.start, Math.min(opening(staff, lines, origin), out[0]?.[1] ?? Infinity)])
  out.push([bar.start + bar.ticks, lines.right])
  return out
}

function between(columns: [number, number][], tick: number): number | null {
  for (let i = 0; i + 1 < columns.length; i++) {
    const [a, xa] = columns[i]!
    const [b, xb] = columns[i + 1]!
    if (tick >= a && tick < b) return xa + ((tick - a) / (b - a)) * (xb - xa)
  }
  return null
}

/** A bar on the sheet, from the top staff to the lowest; null while it is not drawn. */
export function barBox(sheet: Element, bar: number): Box | null {
  const measure = measureOf(sheet, bar)
  const staves = measure ? stavesOf(measure) : []
  const origin = sheet.getBoundingClientRect()
  const first = staves[0] && staffBox(staves[0], origin)
  const last = staves.length ? staffBox(staves.at(-1)!, origin) : null
  return first && last ? { left: first.left, right: first.right, top: first.top, bottom: last.bottom } : null
}

export interface PenPlace {
  readonly x: number
  readonly staff: StaffLines
  readonly bottomLine: number
  /** Lower edge of the lowest staff of the system, where the label stands clear of the music. */
  readonly systemBottom: number
  /** What is written near it in words or numbers: the pen never lies over it. */
  readonly words: readonly Box[]
}

const WORDS = 'g.tempo, g.dir, g.harm, g.dynam, g.syl, g.reh, g.fing, g.mNum, g.ending text'
const REACH = 80 // px on each side of the pen

/** Words of a system and of the one below it, near a place. */
function wordsNear(system: Element, x: number, origin: DOMRect): Box[] {
  const below = system.nextElementSibling
  return [...system.querySelectorAll(WORDS), ...(below?.querySelectorAll(WORDS) ?? [])]
    .map((element) => box(element, origin))
    .filter((b) => b.right > x - REACH && b.left < x + REACH && b.right > b.left)
}

/** Does a box touch none of these? */
export const clearOf = (boxes: readonly Box[], a: Box): boolean =>
  boxes.every((b) => a.right <= b.left || a.left >= b.right || a.bottom <= b.top || a.top >= b.bottom)

/** Where the pen stands; null if its system is not drawn yet. */
export function penPlace(sheet: Element, system: Element, view: System, pen: Pen, staffIndex: number): PenPlace | null {
  const origin = sheet.getBoundingClientRect()
  const bar = view.bars.find((b) => b.index === pen.bar)
  const measure = bar && measureOf(system, bar.index)
  const staff = measure && stavesOf(measure)[staffIndex]
  const lines = staff && staffBox(staff, origin)
  if (!bar || !lines) return null
  const x = between(columnsOf(system, view, bar, origin), pen.tick)
  const lowest = staffBox(stavesOf(measure).at(-1)!, origin) ?? lines
  return x === null
    ? null
    : {
        x,
        staff: lines,
        bottomLine: BOTTOM_LINE[pen.clef] ?? 30,
        systemBottom: lowest.bottom,
        words: wordsNear(system, x, origin),
      }
}

/** x of a tick, for following playback. */
export function tickPlace(
  sheet: Element,
  system: Element,
  view: System,
  tick: number,
): { x: number; top: number; bottom: number } | null {
  const origin = sheet.getBoundingClientRect()
  const bar = view.bars.find((b) => tick >= b.start && tick < b.start + b.ticks)
  if (!bar) return null
  const x = between(columnsOf(system, view, bar, origin), tick)
  const staves = stavesOf(measureOf(system, bar.index)!)
  const first = staves[0] && staffBox(staves[0], origin)
  const last = staves.at(-1) && staffBox(staves.at(-1)!, origin)
  return x === null || !first || !last ? null : { x, top: first.top, bottom: last.bottom }
}

/** x of a tick, and one staff there (counted over all parts). */
export function stavesAt(
  sheet: Element,
  system: Element,
  view: System,
  tick: number,
  staffIndex: number,
): { x: number; staff: StaffLines } | null {
  const origin = sheet.getBoundingClientRect()
  const bar = view.bars.find((b) => tick >= b.start && tick < b.start + b.ticks)
  const measure = bar && measureOf(system, bar.index)
  const staff = measure && stavesOf(measure)[staffIndex]
  const lines = staff && staffBox(staff, origin)
  const x = bar && lines ? between(columnsOf(system, view, bar, origin), tick) : null
  return x === null || !lines ? null : { x, staff: lines }
}

/**
 * The written place under a point: staff (counted over all parts), the nearest column or beat (or step of ``grid``),
 * and the staff step (C0 = 0).
 */
export function placeAt(
  sheet: Element,
  system: Element,
  view: System,
  clefAt: ClefAt,
  clientX: number,
  clientY: number,
  grid = 0,
): { staffIndex: number; tick: number; diatonic: number } | null {
  const origin = sheet.getBoundingClientRect()
  const x = clientX - origin.left
  const y = clientY - origin.top
  let best: { distance: number; staffIndex: number; bar: BarInfo; lines: Box } | null = null
  for (const bar of view.bars) {
    const measure = measureOf(system, bar.index)
    if (!measure) continue
    stavesOf(measure).forEach((staff, staffIndex) => {
      const lines = staffBox(staff, origin)
      if (!lines) return
      const dx = Math.max(lines.left - x, x - lines.right, 0)
      const dy = Math.max(lines.top - y, y - lines.bottom, 0)
      const distance = dx * 4 + dy
      if (!best || distance < best.distance) best = { distance, staffIndex, bar, lines }
    })
  }
  if (!best) return null
  const { staffIndex, bar, lines } = best as { staffIndex: number; bar: BarInfo; lines: Box }
  const columns = columnsOf(system, view, bar, origin)
  const places = [
    ...columns.slice(0, -1),
    ...bar.beats.map((t): [number, number] => [t, between(columns, t) ?? Infinity]),
  ]
  for (let t = bar.start + grid; grid && t < bar.start + bar.ticks; t += grid)
    places.push([t, between(columns, t) ?? Infinity])
  const nearest = places.sort((a, b) => Math.abs(a[1] - x) - Math.abs(b[1] - x))[0]
  const diatonic =
    (BOTTOM_LINE[clefAt(staffIndex, nearest?.[0] ?? bar.start)] ?? 30) +
    Math.round((lines.bottom - y) / ((lines.bottom - lines.top) / 8))
  return nearest ? { staffIndex, tick: nearest[0], diatonic } : null
}

/** Pixels between a line and the space beside it. */
export function halfSpace(note: Element): number {
  const lines = [...(note.closest('g.staff')?.querySelectorAll(':scope > path') ?? [])].slice(0, 5)
  if (lines.length < 5) return 4
  return Math.abs(lines[4]!.getBoundingClientRect().top - lines[0]!.getBoundingClientRect().top) / 8
}

/** Pixels of a tenth of a staff space, at a mark. */
export const staffTenth = (mark: Element): number =>
  halfSpace(mark.closest('g.measure')?.querySelector('g.staff > *') ?? mark) / 5

interface Span {
  readonly top: number
  readonly bottom: number
}

/** How far the sheet scrolls so that a system ends above a menu, without leaving the view at its top. */
export function scrollToClear(system: Span, menuTop: number, viewTop: number): number {
  return Math.max(0, Math.min(system.bottom - menuTop, system.top - viewTop))
}

const TOGETHER_US = 40_000 // keys that go down within it are a chord

/** Columns of the strokes that were heard last: which key, and how many columns to the right of the first. */
export function strokeColumns(strokes: readonly { key: number; atUs: number }[]): { key: number; column: number }[] {
  let column = -1
  return strokes.map(({ key, atUs }, k) => {
    const before = strokes[k - 1]
    if (!before || atUs - before.atUs > TOGETHER_US) column++
    return { key, column }
  })
}

export interface Point {
  readonly x: number
  readonly y: number
}

/** What two fingers did between two moments: the way of their middle, and how much further apart they are. */
export function twoFingers([a, b]: readonly [Point, Point], [c, d]: readonly [Point, Point]) {
  const apart = (p: Point, q: Point) => Math.max(Math.hypot(p.x - q.x, p.y - q.y), 1)
  return { dx: (c.x + d.x - a.x - b.x) / 2, dy: (c.y + d.y - a.y - b.y) / 2, ratio: apart(c, d) / apart(a, b) }
}
