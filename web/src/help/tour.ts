/**
 * The tour: sixteen gestures on a piece of its own, one line at a time. It goes on when the real gesture was made, and
 * never makes one itself.
 */
import { create } from 'zustand'
import { persist } from 'zustand/middleware'
import { type DeskState } from '../session/state'
import { useDesk } from '../session/store'
import { useHelp } from './help'
import { useListening } from '../playback/listening'
import { usePrint } from '../print/opened'

export interface Stop {
  /** What to do, and why: "{C}" stands for the key that the computer's A plays now, "{value}" for the step value. */
  readonly words: string
  /** The control that it is about, as a selector. */
  readonly at: string
  /** Has it been done? ``before`` is the desk as it was when the stop began. */
  readonly done: (now: DeskState, before: DeskState) => boolean
}

const wrote = (now: DeskState, before: DeskState) =>
  now.pen !== null && before.pen !== null && now.pen.tick > before.pen.tick
const says = (now: DeskState, before: DeskState, words: RegExp) => now.said !== before.said && words.test(now.said)
const phrase = (name: string) => `[data-phrase='${name}']`
const lineOf = ({ readings }: DeskState) => JSON.stringify(readings.map((r) => r.line))

export const STOPS: readonly Stop[] = [
  {
    words: 'Nothing is written while the pen is up. Put it down: the key ` (left of 1), or a click on “Pen up”.',
    at: '[data-testid=pen-state]',
    done: (now) => now.pen?.down === true,
  },
  {
    words: 'Play one note: A on the computer is {C}, or use your keyboard. It is written when the key is up.',
    at: '[data-testid=pen-label]',
    done: wrote,
  },
  {
    words: 'Each step is {value} now. Make steps finer with ], or click the word in the line.',
    at: phrase('step value'),
    done: (now, before) => now.pen?.base !== before.pen?.base,
  },
  {
    words: 'Hold three keys together, A, D and G, and let them go: a chord.',
    at: '[data-testid=pen-label]',
    done: (now, before) => wrote(now, before) && / and /.test(now.said),
  },
  {
    words: 'Undo it with Ctrl Z. Everything can be undone, back to the beginning.',
    at: '[data-tour=undo]',
    done: (now, before) => says(now, before, /undone|taken back/i) || (now.pen?.tick ?? 0) < (before.pen?.tick ?? 0),
  },
  {
    words: 'Write a mark: press 2, type mf, Enter. Every mark is written as on paper.',
    at: phrase('with'),
    done: (now, before) => says(now, before, /^mf at/),
  },
  {
    words: 'Now the left hand: arrow down. The line says where you are.',
    at: phrase('part'),
    done: (now, before) => now.pen?.staff !== before.pen?.staff,
  },
  {
    words: 'Play a note there, too. N and M move the computer’s keys an octave down and up.',
    at: '[data-testid=pen-label]',
    done: wrote,
  },
  {
    words: 'Select the bar with B: the line then speaks of what is selected. Esc lets it go.',
    at: '[data-testid=line]',
    done: (now) => now.selection.size > 0,
  },
  {
    words: 'Say it: More (Ctrl M) takes words. Type “everything an octave higher”, see what would change, press Enter.',
    at: phrase('more'),
    done: (now, before) => now.state?.revision !== before.state?.revision,
  },
  {
    words: 'Hear it: Enter plays from the pen; Enter again stops.',
    at: '[aria-label=Play]',
    done: () => useListening.getState().playing,
  },
  {
    words: 'Record: press “Record” or \\, wait for the click, play a few notes with it, and press it again.',
    at: '[data-testid=record]',
    done: (now, before) => now.readings.length > before.readings.length,
  },
  {
    words: 'The line says how it was read. Click one of its words, choose another: it is read again. Or V: the doubts.',
    at: '[data-testid=line]',
    done: (now, before) => lineOf(now) !== lineOf(before) || (now.doubt !== before.doubt && now.doubt !== null),
  },
  {
    words: 'Hear it said: F3 says what sounds at the pen, Shift F3 its voice in this bar.',
    at: '[data-testid=said]',
    done: (now, before) => says(now, before, /^Bar \d+, (beat [^.]*\. |.*voice \d)/),
  },
  {
    words: 'See it as it will be printed: F9, or Export. Esc comes back.',
    at: '[data-tour=export]',
    done: () => usePrint.getState().open,
  },
  {
    words: 'All keys are on one page that can be searched: F1.',
    at: '[data-tour=desk]',
    done: () => useHelp.getState().open,
  },
]

/** The words of a stop, true whatever octave the computer's keys play in and whatever value a step has. */
export const wordsOf = (stop: Stop, octave: number, value: string): string =>
  stop.words
    .replace('{C}', octave === 4 ? 'middle C' : `C ${octave}`)
    .replace('{value}', `${/^[aeiou]/.test(value) ? 'an' : 'a'} ${value}`)

interface Tour {
  /** The stop that goes on; null: no tour goes on. */
  readonly at: number | null
  /** Was it taken, or declined? Then it is not offered again. */
  readonly known: boolean
}
export const useTour = create<Tour>()(
  persist((): Tour => ({ at: null, known: false }), {
    name: 'ductus.tour',
    partialize: ({ known }) => ({ at: null, known }),
  }),
)

let before: DeskState | null = null
let stopWatching: (() => void) | null = null

/** Begins the tour on the desk that is open. */
export function startTour(): void {
  endTour()
  useTour.setState({ at: 0, known: true })
  before = useDesk.getState()
  const look = () => {
    const { at } = useTour.getState()
    if (at === null || before === null) return
    const now = useDesk.getState()
    if (before.pen === null || before.pieceId !== now.pieceId) before = now
    if (now.pen === null || !STOPS[at]!.done(now, before)) return
    before = now
    useTour.setState({ at: at + 1 })
    if (at + 1 === STOPS.length) unwatch()
  }
  const unwatch = () => {
    stopWatching?.()
    stopWatching = null
  }
  const watches = [
    useDesk.subscribe(look),
    useListening.subscribe(look),
    useHelp.subscribe(look),
    usePrint.subscribe(look),
  ]
  stopWatching = () => watches.forEach((stop) => stop())
}

/** Goes past a stop without the gesture. */
export function skipStop(): void {
  const { at } = useTour.getState()
  before = useDesk.getState()
  if (at !== null) useTour.setState({ at: Math.min(at + 1, STOPS.length) })
}

/** Ends the tour, wherever it is. */
export function endTour(): void {
  stopWatching?.()
  stopWatching = null
  useTour.setState({ at: null, known: true })
}
