/** What of the engraved page a press of the mouse meant: a mark, or a sign of the frame. */
import type { System } from '../session/wire'
import { useDesk } from '../session/store'
import { lookAtFrame, pickMarks, type What } from '../session/chosen'

const MARKS = 'g.dynam, g.dir, g.tempo, g.octave, g.pedal, g.harm, g.reh, g.hairpin, g.slur, g.repeatMark'
const BETWEEN = 'g.gliss, g.fTrem' // from a note to the next: chosen, but not moved by hand
const OURS = /^[msct]\d+$/ // ids of marks, signs of bars, clefs, tempi; the engraver's own look otherwise
const FRAME: [string, What][] = [
  ['g.clef', 'clef'],
  ['g.keySig', 'key'],
  ['g.keyAccid', 'key'],
  ['g.meterSig', 'meter'],
  ['g.label, g.labelAbbr', 'part'],
  ['g.barLine', 'bar'],
  ['g.mNum', 'bar'],
]

/** What is hit by its ink, and what by its whole box. */
export const DIRECT = `g.note, ${MARKS}, ${BETWEEN}`
export const SIGNS = FRAME.map(([selector]) => selector).join(', ')

/** The mark of ours under the mouse. */
export function markUnder(target: Element): SVGGElement | null {
  const mark = target.closest<SVGGElement>(MARKS)
  return mark && OURS.test(mark.id) && !mark.id.startsWith('t') ? mark : null
}

/** True if the press was for the page; then the line speaks of it. */
export function pickFromPage(
  target: Element,
  viewOf: (holder: Element) => System | undefined,
  staffAt: (index: number) => { part: string; staff: number } | undefined,
): boolean {
  const mark = target.closest(MARKS) ?? (target.closest('g.note, g.chord') ? null : target.closest(BETWEEN))
  if (mark && OURS.test(mark.id)) {
    if (mark.classList.contains('tempo') && mark.id.startsWith('t'))
      lookAtFrame('tempo', placeOf(mark, viewOf, staffAt, mark.id))
    else pickMarks([mark.id])
    return true
  }
  for (const [selector, what] of FRAME) {
    const sign = target.closest(selector)
    const at = sign && placeOf(sign, viewOf, staffAt)
    if (at) {
      lookAtFrame(what, at)
      return true
    }
  }
  return false
}

function placeOf(
  sign: Element,
  viewOf: (holder: Element) => System | undefined,
  staffAt: (index: number) => { part: string; staff: number } | undefined,
  tempoId = '',
) {
  const holder = sign.closest('[data-system]')
  const view = holder && viewOf(holder)
  const { pen } = useDesk.getState()
  if (!view || !pen) return undefined
  const measure = sign.closest('g.measure')
  const bar = measure ? Number(/^b(\d+)-/.exec(measure.id)?.[1]) : view.first
  const info = view.bars.find((b) => b.index === bar) ?? view.bars[0]!
  const staves = measure ? [...measure.querySelectorAll(':scope > g.staff')] : []
  const own = sign.closest('g.staff')
  const index = own ? staves.indexOf(own) : sign.matches('g.label, g.labelAbbr') ? labelIndex(sign, holder) : -1
  const staff = staffAt(index) ?? { part: pen.part, staff: pen.staff }
  // a change of clef is drawn before its bar line: the server takes the nearest one; the clef at the head of a system
  // holds from its first bar
  const head = own?.querySelector(':scope > .clef') === sign && info.index === view.first
  const change = sign.matches('g.clef') && !head
  return {
    bar: info.index,
    tick: change ? info.start + info.ticks - 1 : info.start,
    ...staff,
    near: change,
    id: tempoId,
  }
}

/** Which staff a part's name stands before, counted over all names of the system. */
function labelIndex(label: Element, holder: Element): number {
  const parts = (useDesk.getState().state?.parts ?? []).filter((p) => p.shown)
  const labels = [...holder.querySelectorAll('g.label, g.labelAbbr')]
  const k = labels.indexOf(label)
  return parts.slice(0, Math.max(k, 0)).reduce((n, p) => n + p.staves, 0)
}
