/** Playback: from the pen or from the start, the piece as written or a take as played. */
import { create } from 'zustand'
import { rest } from '../api/rest'
import type { Click, TakeSounds } from '../api/wire'
import { nowUs } from '../input/port'
import { soundClicks, soundNotes, useSound } from '../sound/engine'
import { usePreferences } from './preferences'
import { give, say, settled, useDesk, whileSounding } from './store'

interface Listening {
  playing: boolean
  /** Tick that sounds now, for following on the sheet; null when nothing plays. */
  tick: number | null
  /** Event time of the beginning of the take that sounds, and how far it is, in microseconds; null when none plays. */
  originUs: number | null
  takeUs: number | null
}

export const useListening = create<Listening>(() => ({ playing: false, tick: null, originUs: null, takeUs: null }))
whileSounding(() => useListening.getState().playing)
const LEAD_US = 120_000
let stop: (() => void) | null = null
let frame = 0

export function stopPlaying(): void {
  const { tick } = useListening.getState()
  const { pen } = useDesk.getState()
  if (tick !== null && pen && usePreferences.getState().penFollows) give({ name: 'place', part: pen.part, staff: pen.staff, tick })
  stop?.()
  stop = null
  cancelAnimationFrame(frame)
  useListening.setState({ playing: false, tick: null, originUs: null, takeUs: null })
}

/** Play from a tick; where nothing is written from there on, from the first of ``others`` where something is. Answers whether it plays. */
export async function playFrom(tick: number, ...others: number[]): Promise<void> {
  stopPlaying()
  const { pieceId } = useDesk.getState()
  const { notes, places, clicks } = await rest.playback(pieceId, tick)
  if (!notes.length) {
    if (others.length) return playFrom(others[0]!, ...others.slice(1))
    return say('Nothing is written yet')
  }
  const origin = nowUs() + LEAD_US
  useListening.setState({ playing: true, tick })
  const quiet = useSound.getState().playbackClick ? soundClicks(clicks, origin) : () => undefined
  const silent = soundNotes(notes, origin, stopPlaying)
  stop = () => { quiet(); silent() }
  const follow = () => {
    const passed = places.filter(([us]) => origin + us <= nowUs())
    useListening.setState({ tick: passed.at(-1)?.[1] ?? tick })
    frame = requestAnimationFrame(follow)
  }
  follow()
}

export const playTake = (take: number, click: readonly Click[] = []) => playPerformance(rest.takePlayback(useDesk.getState().pieceId, take), click)
/** A stretch of the journal, as it was played. */
export const playHeard = (fromUs: number, toUs: number) =>
  playPerformance(rest.heard(useDesk.getState().pieceId, fromUs, toUs).then((notes) => ({ first_us: 0, notes })))

/** Silence before the first note is left out; `click` counts from the first note, too. */
async function playPerformance(wanted: Promise<TakeSounds>, click: readonly Click[] = []): Promise<void> {
  stopPlaying()
  const { notes, first_us } = await wanted
  const origin = nowUs() + LEAD_US
  const takeZero = origin - first_us
  useListening.setState({ playing: true, tick: null, originUs: takeZero, takeUs: first_us })
  const quiet = click.length ? soundClicks(click, origin) : () => undefined
  const silent = soundNotes(notes, origin, stopPlaying)
  stop = () => { quiet(); silent() }
  const follow = () => {
    useListening.setState({ takeUs: Math.max(nowUs() - takeZero, first_us) })
    frame = requestAnimationFrame(follow)
  }
  follow()
}

let endRecordingHere = () => {}
/** The recorder says how a recording is ended: the play key does it, too. */
export const whilePlayKeyStops = (end: () => void) => { endRecordingHere = end }

/** The play key: end a recording, stop what plays, else play from the pen; behind the last note, from where this pass began, or from the start. */
export function togglePlaying(): void {
  if (useDesk.getState().recording) return endRecordingHere()
  if (useListening.getState().playing) return stopPlaying()
  settled(() => { // the pen may still be on its way: play from where it goes
    const { pen } = useDesk.getState()
    void (pen ? playFrom(pen.tick, ...(pen.pass_start_tick < pen.tick ? [pen.pass_start_tick] : []), 0) : playFrom(0))
  })
}
