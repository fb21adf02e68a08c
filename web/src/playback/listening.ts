/** Playback: from the pen, the start or the selection; bars that go round; the piece as set, or a take as played. */
import { create } from 'zustand'
import { rest, type ListeningTo } from '../session/rest'
import type { Click, Playback, Sounding, TakeSounds } from '../session/wire'
import { colourHeads, SoundingNotes } from './sounding'
import { usePreferences } from '../shell/preferences'
import { give, say, settled, whileSounding } from '../session/actions'
import { onLeave } from '../session/events'
import { useDesk } from '../session/store'
import { nowUs } from '../input/port'
import { soundClicks, soundClickStream, soundNotes, soundNoteStream, soundsHere, useSound } from './engine'
import { stretchAt, stretchesOf } from './stretches'
import type { Stream } from './schedule'
import { playbackSettings, setPlayback } from './settings'

interface Listening {
  playing: boolean
  /** Tick that sounds now, for following on the sheet; null when nothing plays. */
  tick: number | null
  /** Event time of the beginning of the take that sounds, and how far it is, in microseconds; null when none plays. */
  originUs: number | null
  takeUs: number | null
  /** The stretch of the order of bars that sounds, counted from 0; null while none does. */
  stretch: number | null
  /** Keys that sound now, to be seen on the keyboard. */
  keys: ReadonlySet<number>
  /** The line speaks of how playback goes. */
  open: boolean
}

export const useListening = create<Listening>(() => ({
  playing: false,
  tick: null,
  originUs: null,
  takeUs: null,
  stretch: null,
  keys: new Set(),
  open: false,
}))
whileSounding(() => useListening.getState().playing)
const LEAD_US = 120_000
let stop: (() => void) | null = null
let frame = 0
let wanted = 0 // the latest that was asked to play; what answers after it is stopped is not heard

export function stopPlaying(): void {
  wanted++
  const { tick } = useListening.getState()
  const { pen } = useDesk.getState()
  if (tick !== null && pen && usePreferences.getState().penFollows)
    give({ name: 'place', part: pen.part, staff: pen.staff, tick })
  stop?.()
  stop = null
  cancelAnimationFrame(frame)
  show([])
  useListening.setState({ playing: false, tick: null, originUs: null, takeUs: null, stretch: null })
}
onLeave(() => {
  stopPlaying()
  useListening.setState({ open: false })
})

/** PlaybackSettings it is set to be played, as the server is asked. */
function asked(): ListeningTo {
  const { percent, qpm, repeats, asPlayed, feel, feels } = playbackSettings()
  return { percent, qpm, repeats, as_played: asPlayed, feel: feels ? feel : 0 }
}

/**
 * Play from a tick (to another); where nothing is written from there on, from the first of ``others`` where something
 * is.
 */
export async function playFrom(
  tick: number,
  others: readonly number[] = [],
  toTick: number | null = null,
): Promise<void> {
  stopPlaying()
  const mine = ++wanted
  const { pieceId, state } = useDesk.getState()
  const { loop } = playbackSettings()
  const bars = loop && toTick === null ? { first_bar: loop.first, last_bar: loop.last } : {}
  try {
    const heard = await rest.playback(pieceId, { ...asked(), ...bars, from_tick: tick, to_tick: toTick })
    if (mine !== wanted) return
    if (!heard.notes.length) {
      if (loop && toTick === null) return say('Nothing is written in the looped bars')
      if (others.length) return await playFrom(others[0]!, others.slice(1))
      return say('Nothing is written yet')
    }
    await soundsHere(state?.parts)
    if (mine !== wanted) return
    const whole =
      loop && toTick === null
        ? heard.start === tick
          ? await rest.playback(pieceId, { ...asked(), ...bars, from_tick: 0 })
          : null
        : undefined
    if (mine !== wanted) return
    if (whole === undefined) playOnce(heard, tick)
    else playRound(heard, whole ?? heard)
  } catch (error) {
    useDesk.setState({ problem: (error as Error).message })
  }
}

/** Play on from a stretch of the order of bars, with the repeats and jumps that follow. */
export async function playStretch(stretch: number): Promise<void> {
  stopPlaying()
  const mine = ++wanted
  const { pieceId, state } = useDesk.getState()
  const from = state?.order?.[stretch]
  if (!from) return
  try {
    const heard = await rest.playback(pieceId, { ...asked(), repeats: true, from_tick: from.start, stretch })
    if (mine !== wanted) return
    if (!heard.notes.length) return say('Nothing is written there yet')
    await soundsHere(state.parts)
    if (mine === wanted) playOnce(heard, from.start, stretch)
  } catch (error) {
    useDesk.setState({ problem: (error as Error).message })
  }
}

function playOnce({ notes, places, clicks }: Playback, tick: number, stretch: number | null = null): void {
  const origin = nowUs() + LEAD_US
  useListening.setState({ playing: true, tick })
  const order = playbackSettings().repeats || stretch !== null ? (useDesk.getState().state?.order ?? []) : []
  const stretches = stretchesOf(
    places.map(([, at]) => at),
    order,
    stretch ?? stretchAt(tick, order),
  )
  const quiet = useSound.getState().playbackClick ? soundClicks(clicks, origin) : () => undefined
  const silent = soundNotes(notes, origin, stopPlaying)
  stop = () => {
    quiet()
    silent()
  }
  followPlaces(
    (us) => {
      const passed = places.filter(([at]) => at <= us).length
      if (order.length) useListening.setState({ stretch: stretches[Math.max(passed - 1, 0)] ?? 0 })
      return places[passed - 1]?.[1] ?? tick
    },
    origin,
    notes,
  )
}

/**
 * The first pass may begin inside the bars; then they go round and round, the next pass always being on its way before
 * it sounds.
 */
function playRound(first: Playback, whole: Playback): void {
  const origin = nowUs() + LEAD_US
  useListening.setState({ playing: true, tick: first.start })
  const clicks = useSound.getState().playbackClick
  const notes = soundNoteStream(first.notes, origin)
  const ticking: Stream<Click> | null = clicks ? soundClickStream(first.clicks, origin) : null
  let ready = first.length_us
  const fill = () => {
    while (ready < nowUs() - origin + Math.max(whole.length_us, 2 * FILL_MS * 1000)) {
      notes.add(whole.notes.map((n) => ({ ...n, onset_us: n.onset_us + ready })))
      ticking?.add(whole.clicks.map((c) => ({ ...c, time_us: c.time_us + ready })))
      ready += whole.length_us
    }
  }
  fill()
  const timer = window.setInterval(fill, FILL_MS)
  stop = () => {
    window.clearInterval(timer)
    notes.stop()
    ticking?.stop()
  }
  followPlaces((us) => {
    const inFirst = us < first.length_us
    const { places, start } = inFirst ? first : whole
    const at = inFirst ? us : (us - first.length_us) % whole.length_us
    return places.filter(([t]) => t <= at).at(-1)?.[1] ?? start
  }, origin)
}
const FILL_MS = 500

/** Heads take the colour of what sounds, and keys light. */
function show(notes: readonly Sounding[]): void {
  colourHeads(notes)
  useListening.setState({ keys: new Set(notes.map((n) => n.key)) })
}

function followPlaces(tickAt: (us: number) => number, origin: number, notes: readonly Sounding[] = []): void {
  const sounding = new SoundingNotes(notes)
  const follow = () => {
    const us = Math.max(nowUs() - origin, 0)
    useListening.setState({ tick: tickAt(us) })
    const changed = sounding.at(us)
    if (changed) show(changed)
    frame = requestAnimationFrame(follow)
  }
  follow()
}

/** From the first selected note to the end of the bars of the selection. */
export function playSelection(): void {
  const { selectedBars, pieceId } = useDesk.getState()
  if (!selectedBars) return say('Select some notes first; then they are played alone')
  stopPlaying()
  const mine = ++wanted
  rest.playback(pieceId, { ...asked(), first_bar: selectedBars[0], last_bar: selectedBars[1] }).then(
    async (heard) => {
      await soundsHere(useDesk.getState().state?.parts)
      if (mine === wanted) playOnce(heard, heard.start)
    },
    (error: Error) => useDesk.setState({ problem: error.message }),
  )
}

export const playTake = (take: number, click: readonly Click[] = []) =>
  playPerformance(rest.takePlayback(useDesk.getState().pieceId, take), click)
/** A stretch of the journal, as it was played. */
export const playHeard = (fromUs: number, toUs: number) =>
  playPerformance(rest.heard(useDesk.getState().pieceId, fromUs, toUs).then((notes) => ({ first_us: 0, notes })))

/** Silence before the first note is left out; `click` counts from the first note, too. */
async function playPerformance(coming: Promise<TakeSounds>, click: readonly Click[] = []): Promise<void> {
  stopPlaying()
  const mine = ++wanted
  const { notes, first_us } = await coming
  await soundsHere()
  if (mine !== wanted) return
  const origin = nowUs() + LEAD_US
  const takeZero = origin - first_us
  useListening.setState({ playing: true, tick: null, originUs: takeZero, takeUs: first_us })
  const quiet = click.length ? soundClicks(click, origin) : () => undefined
  const silent = soundNotes(notes, origin, stopPlaying)
  stop = () => {
    quiet()
    silent()
  }
  const follow = () => {
    useListening.setState({ takeUs: Math.max(nowUs() - takeZero, first_us) })
    frame = requestAnimationFrame(follow)
  }
  follow()
}

let endRecordingHere = () => {}
/** The recorder says how a recording is ended: the play key does it, too. */
export const whilePlayKeyStops = (end: () => void) => {
  endRecordingHere = end
}

/**
 * The play key: end a recording, stop what plays, else play from the pen; behind the last note, from where this pass
 * began, or from the start.
 */
export function togglePlaying(): void {
  if (useDesk.getState().recording) return endRecordingHere()
  if (useListening.getState().playing) return stopPlaying()
  settled(() => {
    // the pen may still be on its way: play from where it goes
    const { pen } = useDesk.getState()
    void (pen ? playFrom(pen.tick, [...(pen.pass_start_tick < pen.tick ? [pen.pass_start_tick] : []), 0]) : playFrom(0))
  })
}

export const playFromStart = () => void playFrom(0)

/** Begin anew from the place that sounds now: how it goes was changed while it played. */
export function playOn(): void {
  const { playing, tick } = useListening.getState()
  if (playing && tick !== null) void playFrom(tick)
}

/** The selected bars (or the pen's) go round and round from now on; where they do already, no longer. */
export function toggleLoop(): void {
  settled(() => {
    const { pen, selectedBars } = useDesk.getState()
    const { loop } = playbackSettings()
    const bars = selectedBars ?? (pen ? ([pen.bar, pen.bar] as const) : null)
    if (!bars) return
    if (loop && (!selectedBars || (loop.first === bars[0] && loop.last === bars[1]))) {
      setPlayback({ loop: null })
      say('Loop off')
    } else setLoop(bars[0], bars[1])
    playOn()
  })
}

/** Bars by index. */
export function setLoop(first: number, last: number): void {
  const loop = { first: Math.max(Math.min(first, last), 0), last: Math.max(first, last, 0) }
  setPlayback({ loop })
  say(`${loopWords(loop)} ${loop.first === loop.last ? 'goes' : 'go'} round in playback`)
}

/** PlaybackSettings far bar numbers are from indices: 1, or 0 in a piece with a pick-up. */
export function numberShift(): number {
  const { pen } = useDesk.getState()
  return pen ? pen.bar_number - pen.bar : 1
}

export function loopWords({ first, last }: { first: number; last: number }): string {
  const by = numberShift()
  return first === last ? `Bar ${first + by}` : `Bars ${first + by} to ${last + by}`
}

export function toggleAsPlayed(): void {
  setPlayback({ asPlayed: !playbackSettings().asPlayed })
  say(playbackSettings().asPlayed ? 'Playback sounds as it was played' : 'Playback sounds as it is set on the page')
  playOn()
}

export function toggleFeel(): void {
  setPlayback({ feels: !playbackSettings().feels })
  say(playbackSettings().feels ? `Playback has ${playbackSettings().feel} % of feel` : 'Playback is even: no feel')
  playOn()
}

export const openListening = (open: boolean) => useListening.setState({ open })
