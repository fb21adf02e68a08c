/**
 * Notes under the mouse: a click places the pen (or writes a note, by choice), a drag over empty paper selects what it
 * encloses, a drag of a note changes its pitch (up and down), its place (sideways) or, with Alt, its length.
 */
import { create } from 'zustand'
import type { System } from '../session/wire'
import { DIRECT, SIGNS, markUnder, pickFromPage } from './pick'
import { HEAD_PX, meantBy } from './hit'
import { editMarks, leaveFrame, openWith, pickMarks, usePage } from '../session/chosen'
import { halfSpace, placeAt, staffTenth, type ClefAt } from '../sheet/geometry'
import { choose, edit, give } from '../session/actions'
import { useDesk } from '../session/store'
import { lettingGoIsNoTap, LONG_PRESS_MS } from './fingers'

const SLACK_PX = 5

interface Hand {
  /** Corners of the selecting rectangle, inside the sheet. */
  lasso: { left: number; top: number; width: number; height: number } | null
  /** What letting go here would do. */
  label: { x: number; y: number; words: string } | null
}

export const useHand = create<Hand>(() => ({ lasso: null, label: null }))

export interface Paper {
  readonly sheet: HTMLElement
  readonly clefAt: ClefAt
  viewOf(holder: Element): System | undefined
  staffAt(index: number): { part: string; staff: number } | undefined
}

type Aim = 'pitch' | 'place' | 'length'

const idOf = (note: Element) => note.id.split('_')[0]!
const heads = (sheet: Element) => [...sheet.querySelectorAll<SVGGElement>('g.note')]

/** The place under the mouse: system, staff, tick, and the staff step (C0 = 0) of the height. */
function placeUnder(paper: Paper, event: PointerEvent, near?: Element, grid = 0) {
  const under = document.elementFromPoint(event.clientX, event.clientY)?.closest('[data-system]') ?? near
  const view = under && paper.viewOf(under)
  const found =
    under && view ? placeAt(paper.sheet, under, view, paper.clefAt, event.clientX, event.clientY, grid) : null
  return found && view ? { ...found, view } : null
}

const stepWords = (steps: number) =>
  steps ? `${Math.abs(steps)} ${Math.abs(steps) === 1 ? 'step' : 'steps'} ${steps > 0 ? 'up' : 'down'}` : 'as it was'

function placeWords(view: System, tick: number): string {
  const bar = view.bars.find((b) => tick >= b.start && tick < b.start + b.ticks)
  const beat = bar ? bar.beats.filter((t) => t <= tick).length : 0
  const off = bar && !bar.beats.includes(tick) ? ' and after' : ''
  return bar ? `${bar.number ? `bar ${bar.number}` : 'pick-up'} · beat ${beat}${off}` : ''
}

/** Begin whatever this press of the mouse will become. */
export function takeInHand(event: PointerEvent, paper: Paper): void {
  if (event.button !== 0 || !event.isPrimary) return
  // beside a head another note is written
  const exact = useDesk.getState().pen?.clicks === 'write' && useDesk.getState().pen?.down
  const target = meantBy(event.target as Element, event.clientX, event.clientY, DIRECT, SIGNS, exact ? 0 : HEAD_PX)
  const note = target.closest<SVGGElement>('g.note')
  const mark = note ? null : markUnder(target)
  const begin = { x: event.clientX, y: event.clientY }
  let moved = false
  let drag: ReturnType<typeof beginDrag> | null = null

  const onMove = (e: PointerEvent) => {
    const dx = e.clientX - begin.x
    const dy = e.clientY - begin.y
    if (!moved && Math.hypot(dx, dy) < SLACK_PX) return
    if (!moved) {
      moved = true
      clearTimeout(long)
      if (mark) drag = beginNudge(mark)
      else if (note)
        drag = beginDrag(paper, note, e.altKey ? 'length' : Math.abs(dy) > Math.abs(dx) ? 'pitch' : 'place')
    }
    if (drag) drag.move(e, dx, dy)
    else showLasso(paper, begin, e)
  }
  const onUp = (e: PointerEvent) => {
    finish()
    if (!moved) press(paper, e, note, target)
    else if (drag) drag.drop()
    else selectInside(paper, begin, e)
  }
  const onKey = (e: KeyboardEvent) => {
    if (e.code !== 'Escape' || !moved) return
    e.stopPropagation()
    finish()
    drag?.cancel()
  }
  const onLong = () => {
    finish()
    lettingGoIsNoTap()
    if (press(paper, event, note, target)) openWith(true)
  }
  const long = event.pointerType === 'touch' ? setTimeout(onLong, LONG_PRESS_MS) : undefined
  const finish = () => {
    clearTimeout(long)
    useHand.setState({ lasso: null, label: null })
    window.removeEventListener('pointermove', onMove)
    window.removeEventListener('pointerup', onUp)
    window.removeEventListener('pointercancel', finish)
    window.removeEventListener('keydown', onKey, true)
  }
  window.addEventListener('pointermove', onMove)
  window.addEventListener('pointerup', onUp)
  window.addEventListener('pointercancel', finish)
  window.addEventListener('keydown', onKey, true)
}

/** A press without a move: a note is selected, paper takes the pen or a note. False: it was for something else. */
function press(paper: Paper, event: PointerEvent, note: Element | null, target: Element): boolean {
  if (!note && pickFromPage(target, paper.viewOf, paper.staffAt)) return false
  if (usePage.getState().marks) pickMarks([])
  leaveFrame()
  const { selection, pen } = useDesk.getState()
  const id = note && idOf(note)
  if (id) choose(event.shiftKey ? [...selection, id] : [id])
  else if (selection.size) choose([])
  const writes = !note && pen?.clicks === 'write'
  if (note && pen?.down) return true // a click on a note never moves a pen that is down
  const found = placeUnder(paper, event, note?.closest('[data-system]') ?? undefined, writes ? pen?.step_ticks : 0)
  const staff = found && paper.staffAt(found.staffIndex)
  if (!found || !staff) return true
  if (writes) give({ name: 'click', ...staff, tick: found.tick, diatonic: found.diatonic })
  else give({ name: 'place', ...staff, tick: found.tick })
  return true
}

function rectangle(paper: Paper, begin: { x: number; y: number }, event: PointerEvent) {
  const origin = paper.sheet.getBoundingClientRect()
  const left = Math.min(begin.x, event.clientX) - origin.left
  const top = Math.min(begin.y, event.clientY) - origin.top
  return { left, top, width: Math.abs(event.clientX - begin.x), height: Math.abs(event.clientY - begin.y) }
}

const showLasso = (paper: Paper, begin: { x: number; y: number }, event: PointerEvent) =>
  useHand.setState({ lasso: rectangle(paper, begin, event) })

function selectInside(paper: Paper, begin: { x: number; y: number }, event: PointerEvent): void {
  const box = rectangle(paper, begin, event)
  const origin = paper.sheet.getBoundingClientRect()
  const inside = heads(paper.sheet).filter((note) => {
    const r = (note.querySelector('.notehead') ?? note).getBoundingClientRect()
    const x = (r.left + r.right) / 2 - origin.left
    const y = (r.top + r.bottom) / 2 - origin.top
    return x >= box.left && x <= box.left + box.width && y >= box.top && y <= box.top + box.height
  })
  const before = event.shiftKey ? useDesk.getState().selection : []
  const selection = new Set([...before, ...inside.map(idOf)])
  choose(selection)
}

/** A mark that follows the mouse; it is moved when it is dropped. */
function beginNudge(mark: SVGGElement) {
  const scale = mark.getScreenCTM()?.a ?? 1
  const tenth = staffTenth(mark)
  let by = { right: 0, up: 0 }
  const still = () => mark.style.removeProperty('transform')
  const move = (_: PointerEvent, dx: number, dy: number) => {
    by = { right: Math.round(dx / tenth), up: Math.round(-dy / tenth) }
    mark.style.transform = `translate(${dx / scale}px, ${dy / scale}px)`
  }
  return {
    move,
    cancel: still,
    drop: () => {
      still()
      pickMarks([mark.id])
      if (by.right || by.up) editMarks({ name: 'nudge-marks', ...by })
    },
  }
}

/** Notes that follow the mouse; nothing is written before they are dropped. */
function beginDrag(paper: Paper, note: SVGGElement, aim: Aim) {
  const id = idOf(note)
  if (!useDesk.getState().selection.has(id)) choose([id])
  const { selection } = useDesk.getState()
  const moving = heads(paper.sheet).filter((n) => selection.has(idOf(n)))
  const half = halfSpace(note)
  const scale = note.getScreenCTM()?.a ?? 1
  let drop = () => {}
  const still = () => moving.forEach((n) => n.style.removeProperty('transform'))

  const move = (event: PointerEvent, dx: number, dy: number) => {
    const origin = paper.sheet.getBoundingClientRect()
    let words = ''
    if (aim === 'pitch') {
      const steps = Math.round(-dy / half)
      words = stepWords(steps)
      drop = steps ? () => edit({ name: 'steps', by: steps }) : still
    } else {
      const place = placeUnder(
        paper,
        event,
        note.closest('[data-system]') ?? undefined,
        useDesk.getState().pen?.step_ticks,
      )
      words = place ? `${aim === 'length' ? 'up to ' : 'to '}${placeWords(place.view, place.tick)}` : 'nowhere'
      drop = place ? () => edit({ name: aim === 'length' ? 'end-at' : 'move-to', note: id, tick: place.tick }) : still
    }
    const x = aim === 'place' ? dx / scale : 0
    const y = aim === 'pitch' ? (Math.round(dy / half) * half) / scale : 0
    for (const n of moving) n.style.transform = `translate(${x}px, ${y}px)`
    useHand.setState({ label: { x: event.clientX - origin.left + 14, y: event.clientY - origin.top - 26, words } })
  }
  return {
    move,
    cancel: still,
    drop: () => {
      still()
      drop()
    },
  }
}
