/** The state of an open piece as the browser shows it; the server's messages are folded into it by `reducer.ts`. */
import type { PageSize } from '../playback/settings'
import type { LineShare } from '../shell/lines'
import type { Ask, CutOff, Heard, Pen, Proof, Reading, RecordLine, State, System, SystemRef, Take } from './wire'

/** What the lower half of the desk is for: entry, recording, a reading and its doubts, or proof by playing. */
type Panel = 'step' | 'record' | 'read' | 'proof'

export interface DeskState {
  pieceId: string
  link: 'opening' | 'open' | 'lost' | 'gone'
  /** The piece was deleted, in words; "" while it is there. */
  gone: string
  /** What is wrong with the disk, in words; "" when all is well. */
  trouble: string
  /** Strokes that are not known to be on disk for longer than a moment. */
  unkept: number
  /** Notes that were struck for longer than a moment and are not written yet. */
  unwritten: number
  /** The latest announcement must be spoken at once. */
  urgent: boolean
  state: State | null
  takes: readonly Take[]
  cutOff: readonly CutOff[]
  /** The journal: notes that were heard and not written. */
  heard: readonly Heard[]
  pen: Pen | null
  refs: SystemRef[]
  /** On pages: their size, and the first system of each. */
  leaves: { size: PageSize; first: readonly number[] }
  /** How long the lines of a scroll are, in percent of the longest. */
  line: LineShare
  systems: Map<string, System>
  said: string
  problem: string
  ask: Ask | null
  panel: Panel
  /** ``waiting``: it begins as soon as the clicks have come, or with the first key. */
  recording: { originUs: number; waiting: boolean; free: boolean; proof?: boolean } | null
  recordLine: RecordLine | null
  selection: ReadonlySet<string>
  /** What the selected notes share, in words; "" where they share nothing. */
  shared: { pitch: string; value: string; key: string; hand: string }
  /** First and last bar (index) of the selected notes. */
  selectedBars: readonly [number, number] | null
  readings: readonly Reading[]
  /** The server has said how the takes on the page were read (this comes a moment after a piece is opened). */
  readingsTold: boolean
  /** Takes on the page whose reading has been told, or of which nothing is left there. */
  told: readonly number[]
  /** The take that was just recorded: its reading opens as soon as it comes. */
  awaitedTake: number | null
  /** The open reading, and its doubt in hand. */
  openReading: string
  doubt: number | null
  /** The comparison of playing with the page, and the key of the difference in hand. */
  proof: Proof | null
  differing: string
  busy: { words: string; share: number }
}

/** The state of a piece of which nothing has been told yet. */
export const fresh = (pieceId: string): DeskState => ({
  pieceId,
  link: 'opening',
  gone: '',
  trouble: '',
  unkept: 0,
  unwritten: 0,
  urgent: false,
  state: null,
  takes: [],
  cutOff: [],
  heard: [],
  pen: null,
  refs: [],
  leaves: { size: '', first: [] },
  line: 100,
  systems: new Map(),
  said: '',
  problem: '',
  ask: null,
  panel: 'step',
  recording: null,
  recordLine: null,
  selection: new Set(),
  shared: { pitch: '', value: '', key: '', hand: '' },
  selectedBars: null,
  readings: [],
  readingsTold: false,
  told: [],
  awaitedTake: null,
  openReading: '',
  doubt: null,
  proof: null,
  differing: '',
  busy: { words: '', share: 0 },
})
