/**
 * What is chosen on the page that is no note: a mark, or a place of the frame the line speaks of; and the field that
 * takes marks.
 */
import { create } from 'zustand'
import type { FrameAt, FrameEdit, MarkEdit, MarksChosen, Weighed } from './wire'
import { choose, frame, give, send, settled } from './actions'
import { onLeave, onMessage } from './events'
import { useDesk } from './store'

interface Page {
  readonly marks: MarksChosen | null
  readonly frame: FrameAt | null
  /** What an edit of the frame would do, before it is done. */
  readonly weighed: Weighed | null
  readonly withOpen: boolean
  readonly moreOpen: boolean
}

const NOTHING: Page = { marks: null, frame: null, weighed: null, withOpen: false, moreOpen: false }
export const usePage = create<Page>(() => NOTHING)

/** The frame is looked at: an answer that comes after it was left does not bring it back. */
let wanted = false
onLeave(() => {
  wanted = false
  usePage.setState(NOTHING)
})
onMessage('frame-at', (told) => {
  if (wanted) usePage.setState({ frame: told, marks: null })
})
onMessage('weighed', (told) => {
  if (wanted) usePage.setState({ weighed: told })
})
onMessage('marks-chosen', (told) => usePage.setState({ marks: told.ids.length ? told : null }))

export interface Place {
  readonly bar: number
  readonly tick: number
  readonly part: string
  readonly staff: number
  readonly near?: boolean
  readonly id?: string
}

export type What = FrameAt['what']

export const openMore = (moreOpen: boolean) => usePage.setState({ moreOpen })
export const openWith = (withOpen: boolean) => usePage.setState({ withOpen })

/** A mark in words: to the selected notes, or at the pen (the server knows what is selected). */
export const giveMark = (text: string) => give({ name: 'with-here', text })

export function pickMarks(ids: readonly string[]): void {
  wanted = false
  usePage.setState({ frame: null, weighed: null, ...(ids.length ? {} : { marks: null }) })
  if (ids.length && useDesk.getState().selection.size) choose([])
  settled(() => send({ type: 'marks', ids: [...ids] }))
}

export function editMarks(change: MarkEdit): void {
  settled(() => {
    const { state } = useDesk.getState()
    const { marks } = usePage.getState()
    if (state && marks) send({ type: 'mark-edit', base: state.revision, do: change, ids: [...marks.ids] })
  })
}

/** The line speaks of the frame: at a place that was pointed at, at the selected bars, or at the pen. */
export function lookAtFrame(what: What, at?: Place): void {
  wanted = true
  sayFrame(what, at)
}

function sayFrame(what: What, at?: Place): void {
  settled(() => {
    const { pen } = useDesk.getState()
    if (!pen) return
    const place = at ?? { bar: pen.bar, tick: pen.tick, part: pen.part, staff: pen.staff }
    const bars = selectedBars()
    const here = at ? place : { ...place, ...(bars ? { bar: bars[0] } : {}) }
    usePage.setState({ marks: null, weighed: null })
    send({
      type: 'frame-wanted',
      what,
      bar: here.bar,
      tick: here.tick,
      part: here.part,
      staff: here.staff,
      near: at?.near ?? false,
      id: at?.id ?? '',
      last: bars?.[1] ?? here.bar,
    })
  })
}

/** First and last bar of the selected notes, as they are drawn. */
function selectedBars(): [number, number] | null {
  const bars = [...useDesk.getState().selection].flatMap((id) => {
    const measure = document.getElementById(id)?.closest('g.measure')
    return measure ? [Number(/^b(\d+)-/.exec(measure.id)?.[1])] : []
  })
  return bars.length ? [Math.min(...bars), Math.max(...bars)] : null
}

/** Ask what an edit of the frame would do; it is done with `doWeighed`. */
export const weigh = (change: FrameEdit) => settled(() => send({ type: 'weigh', do: change }))

export function doWeighed(): void {
  const { weighed } = usePage.getState()
  if (!weighed) return
  usePage.setState({ weighed: null })
  frame(weighed.do)
  again()
}

/** An edit of the frame that needs no second thought: what it did is said, and undone like anything else. */
export function doFrame(change: FrameEdit): void {
  frame(change)
  again()
}

/** After an edit the line speaks of the frame as it is now. */
function again(): void {
  const { frame: at } = usePage.getState()
  if (at)
    settled(() =>
      send({
        type: 'frame-wanted',
        what: at.what,
        bar: at.bar,
        tick: at.tick,
        part: at.part,
        staff: at.staff,
        last: at.last,
      }),
    )
}

export const leaveWeighed = () => usePage.setState({ weighed: null })
export function leaveFrame(): void {
  wanted = false
  usePage.setState({ frame: null, weighed: null })
}

/** Esc lets go of one thing: what was weighed, the frame, a mark. Says whether there was something. */
export function letPageGo(): boolean {
  const { marks, frame: at, weighed } = usePage.getState()
  if (weighed) leaveWeighed()
  else if (at) leaveFrame()
  else if (marks) pickMarks([])
  else return false
  return true
}
