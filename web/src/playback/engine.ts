/** Sound at once: the instrument of the part (or one at a MIDI output) and a click, no server in the path. */
import type * as ToneModule from 'tone'
import { create } from 'zustand'
import { persist } from 'zustand/middleware'
import type { Click, Sounding } from '../session/wire'
import { outputOf } from '../input/devices'
import { nowUs, onHeard, SUSTAIN } from '../input/port'
import { useDesk } from '../session/store'
import {
  addSample,
  fetchSound,
  Piano,
  sampleOf,
  seatBand,
  silenceAll,
  soundOf,
  voiceOf,
  type Player,
  type Voice,
} from './band'
import { isHeard } from './settings'
import { LONG_S, PianoSamples } from './samples'
import { schedule, type Stream } from './schedule'

const CLICKS = { bar: [1760, 0.9], strong: [1320, 0.7], beat: [1108, 0.55], half: [880, 0.3] } as const
export type Rank = keyof typeof CLICKS
/** Oscillator and decay in seconds of each sound of the click. */
export const CLICK_SOUNDS = { wood: ['triangle', 0.04], bell: ['sine', 0.18], tick: ['square', 0.012] } as const
export type ClickSound = keyof typeof CLICK_SOUNDS

interface Sound {
  ready: boolean
  /** Does the browser let sound out yet? It waits for a first key or click. */
  allowed: boolean
  /** Who sounds what is heard: our "piano", "none", or the id of a MIDI output. */
  voice: string
  /** In percent, each by itself. */
  levels: { click: number; playing: number; playback: number }
  click: ClickSound
  /** Of the click, in semitones from its own. */
  pitch: number
  ranks: Record<Rank, boolean>
  /** Are parts of beats clicked? null: in compound meters. */
  halves: boolean | null
  playbackClick: boolean
  setVoice(voice: string): void
  set(more: Partial<Pick<Sound, 'levels' | 'click' | 'pitch' | 'ranks' | 'halves' | 'playbackClick'>>): void
}

export const useSound = create<Sound>()(
  persist(
    (set) => ({
      ready: false,
      allowed: true,
      voice: 'piano',
      levels: { click: 100, playing: 100, playback: 100 },
      click: 'wood',
      pitch: 0,
      ranks: { bar: true, strong: true, beat: true, half: true },
      halves: null,
      playbackClick: false,
      setVoice: (voice) => {
        allOff()
        set({ voice })
      },
      set: (more) => set(more),
    }),
    { name: 'ductus.sound', partialize: ({ ready: _, allowed: __, ...kept }) => kept },
  ),
)
const outside = () => outputOf(useSound.getState().voice)

/**
 * The sound library and the samples come after the first page is drawn: the eye is served first, decoding takes
 * seconds.
 */
let Tone: typeof ToneModule
let clicker: ToneModule.Synth | undefined
let samples: PianoSamples | undefined
let loading: Promise<void> | undefined
let loaded = false
let begun: Promise<unknown> = Promise.resolve() // the first samples of the piano have come
const PAGE_FIRST_MS = 700

/** Who plays: the parts of the piece, and the one under the fingers. */
const GRAND: Player = { id: '', programme: 0, percussion: false, level: 100, pan: 64 }
let players = new Map<string, Player>()
let fingers: Player = GRAND
let seated = '' // the sounds of the parts, as they were fetched last
/** On a kit, the drum that each key means (-1 for none). */
let meant: readonly number[] | null = null
export function seatPlayers(list: readonly Player[], under: string, drums?: readonly number[] | null): void {
  meant = drums ?? null
  players = new Map(list.map((p) => [p.id, p]))
  fingers = players.get(under) ?? GRAND
  const sounds = list.map(soundOf).join()
  // not again at each key: what failed is tried when playback begins
  if (loaded && sounds !== seated) for (const p of list) void fetchSound(soundOf(p))
  seated = sounds
}
const channelOf = (player: Player) =>
  player.percussion
    ? 10
    : ([...players.keys()].indexOf(player.id) % 15) + 1 + Number([...players.keys()].indexOf(player.id) % 15 >= 9)

/** Start loading the samples; sound begins once the browser allows it (after the first key or click). */
export function prepareSound(): () => void {
  const timer = window.setTimeout(() => void load(), PAGE_FIRST_MS)
  const wake = () => void load().then(() => (loaded ? Tone.start() : undefined))
  window.addEventListener('pointerdown', wake)
  window.addEventListener('keydown', wake)
  const stop = onHeard((event) => {
    if (useSound.getState().voice === 'none') return
    if (event.kind === 'down') strike(event.key, event.value)
    else if (event.kind === 'up') lift(event.key)
    else if (event.key === SUSTAIN) setPedal(event.value >= 64)
  })
  return () => {
    stop()
    window.clearTimeout(timer)
    window.removeEventListener('pointerdown', wake)
    window.removeEventListener('keydown', wake)
  }
}

/** Without a device for sound everything goes on in silence, by this clock (seconds). */
const audioNow = () => (loaded ? Tone.now() : performance.now() / 1000)

function noSound(): void {
  useDesk.setState({
    problem:
      'No sound: the browser found no audio device on this computer. Everything else works. ' +
      'Plug a device in and reload the page, or choose a MIDI output in the Input menu.',
  })
}

function load(): Promise<void> {
  loading ??= begin().catch(noSound)
  return loading
}

function begin(): Promise<void> {
  return import('tone').then((module) => {
    Tone = module
    const context = new AudioContext({ latencyHint: 'interactive' })
    Tone.setContext(new Tone.Context({ context, lookAhead: 0 }))
    const letOut = () => useSound.setState({ allowed: context.state === 'running' })
    context.addEventListener('statechange', letOut)
    window.setTimeout(letOut, PAGE_FIRST_MS)
    samples = new PianoSamples(module, context, addSample)
    seatBand(module, context, samples.buffers)
    begun = samples.begin().then((ready) => useSound.setState({ ready }))
    loaded = true
    for (const p of players.values()) void fetchSound(soundOf(p))
    clicker = new Tone.Synth({
      oscillator: { type: 'triangle' },
      envelope: { attack: 0.001, decay: 0.04, sustain: 0, release: 0.02 },
    }).toDestination()
  })
}

/** Our piano sounds when it is chosen, and in place of an output that is not plugged in. */
const isReady = () =>
  useSound.getState().ready &&
  (useSound.getState().voice === 'piano' || (useSound.getState().voice !== 'none' && !outside()))

function allOff() {
  outputOf(useSound.getState().voice)?.sendAllNotesOff()
  silenceAll()
}

/** A velocity at a level: 1 to 127, 0 where it is silenced. */
const leveled = (velocity: number, of: 'playing' | 'playback') =>
  Math.min(Math.round((velocity * useSound.getState().levels[of]) / 100), 127)

/** Keys that are down, by the voice that sounds them: the pen may go to another part meanwhile. */
const sounding = new Map<number, { voice: Voice; key: number; lifted: boolean }>()
const HELD_MS = 1200 // by then a note may be a long one; two seconds are left to fetch what it goes on with

function strike(played: number, struck: number) {
  const key = meant ? (meant[played] ?? -1) : played
  const velocity = leveled(struck, 'playing')
  if (!velocity || key < 0) return
  outside()?.playNote(key, { rawAttack: velocity, channels: channelOf(fingers) })
  if (!isReady()) return
  const voice = voiceOf(fingers, 'fingers')
  if (pedalDown) voice.pedal(true)
  const held = { voice, key, lifted: false }
  sounding.set(played, held)
  voice.strike(key, velocity, Tone.now())
  if (!(voice instanceof Piano)) return
  samples?.played(key)
  const from = sampleOf(key)
  window.setTimeout(() => {
    if (pedalDown || !held.lifted) samples?.neededWhole(key, from)
  }, HELD_MS)
}

function lift(played: number) {
  const held = sounding.get(played)
  outside()?.stopNote(held?.key ?? played)
  if (!held) return
  held.lifted = true
  if (isReady()) held.voice.lift(held.key, Tone.now())
}

let pedalDown = false
function setPedal(on: boolean) {
  outside()?.sendControlChange(SUSTAIN, on ? 127 : 0)
  pedalDown = on
  if (!isReady()) return
  for (const voice of new Set([...[...sounding.values()].map((s) => s.voice), voiceOf(fingers, 'fingers')]))
    voice.pedal(on)
}

/**
 * Audio-clock seconds of a moment of the event clock. The audio clock is read in blocks of some milliseconds, so that
 * one reading is up to a block too low: the highest of the last readings tells how far the two clocks are apart, and
 * clicks are as even as the audio clock is.
 */
const audioTime = (eventUs: number) => clockApart() + eventUs / 1e6
const READINGS = 48
const readings: number[] = []
function clockApart(): number {
  const apart = audioNow() - nowUs() / 1e6
  if (Math.abs(apart - (readings.at(-1) ?? apart)) > JUMP_S) readings.length = 0 // a clock was stopped, or set
  readings.push(apart)
  if (readings.length > READINGS) readings.shift()
  return Math.max(...readings)
}
const JUMP_S = 0.05

const TOO_LATE_S = 0.03
let lastClick = 0 // a synth takes only rising times

/** A stream that begins as soon as the sound library has come. */
function whenLoaded<T>(begin: (items: readonly T[]) => Stream<T>, first: readonly T[]): Stream<T> {
  const early = [...first]
  let stream: Stream<T> | undefined
  let stopped = false
  later(() => {
    if (!stopped) stream = begin(early)
  })
  return {
    add: (more) => (stream ? stream.add(more) : early.push(...more)),
    replace: (us, more) => stream?.replace(us, more),
    stop: () => {
      stopped = true
      stream?.stop()
    },
  }
}

/** Does nothing until the sound library has come; see `load`. */
const later = (act: () => void) => void load().then(act)

const SOUNDS_MS = 1500 // at most is waited for sounds that are still on their way

/** What sounds these parts has come, and the click; or a while is over. */
export const soundsHere = (list: readonly Player[] = []): Promise<unknown> =>
  Promise.race([
    load()
      .then(() => Promise.all([begun, ...list.map((p) => fetchSound(soundOf(p)))]))
      .catch(() => undefined),
    new Promise((done) => window.setTimeout(done, SOUNDS_MS)),
  ])

/** Sound clicks on the audio clock; `originUs` is the event time of click time 0. Returns the stop. */
export const soundClicks = (clicks: readonly Click[], originUs: number): (() => void) =>
  soundClickStream(clicks, originUs).stop

/** Sound clicks, more of which come later. */
export const soundClickStream = (clicks: readonly Click[], originUs: number): Stream<Click> =>
  whenLoaded((first) => startClicks(first, originUs), clicks)

function startClicks(clicks: readonly Click[], originUs: number): Stream<Click> {
  return schedule(
    clicks,
    (c) => originUs + c.time_us,
    (c, at) => {
      const { levels, ranks, pitch, click } = useSound.getState()
      if (!loaded) return
      const due = audioTime(at)
      if (due < Tone.now() - TOO_LATE_S) return // a click that would come late misleads more than one that is missing
      if (!ranks[c.rank] || !levels.click) return
      const [frequency, level] = CLICKS[c.rank]
      const [type, decay] = CLICK_SOUNDS[click]
      lastClick = Math.max(due, Tone.now(), lastClick + 0.005)
      clicker?.set({ oscillator: { type }, envelope: { decay } })
      clicker?.triggerAttackRelease(
        frequency * 2 ** (pitch / 12),
        decay * 0.75,
        lastClick,
        Math.min((level * levels.click) / 100, 1),
      )
      for (const listener of clickListeners) listener(at)
      window.dispatchEvent(new CustomEvent('click-scheduled', { detail: { eventUs: at, audioS: lastClick } }))
    },
    clockApart,
  )
}

type ClickListener = (atUs: number) => void
const clickListeners = new Set<ClickListener>()
/** Hears of every click that is put onto the audio clock, with its event time. */
export function onClick(listener: ClickListener): () => void {
  clickListeners.add(listener)
  return () => clickListeners.delete(listener)
}

/** Sound notes; `originUs` is the event time of their time 0. Returns the stop, which also silences. */
export function soundNotes(notes: readonly Sounding[], originUs: number, onEnd: () => void): () => void {
  if (!notes.length) {
    onEnd()
    return () => undefined
  }
  return whenLoaded((first) => startNotes(first, originUs, onEnd), notes).stop
}

/** Sound notes, more of which come later. */
export const soundNoteStream = (notes: readonly Sounding[], originUs: number): Stream<Sounding> =>
  whenLoaded((first) => startNotes(first, originUs), notes)

const RUNS = 4 // that may still ring at a time
let runs = 0

function startNotes(notes: readonly Sounding[], originUs: number, onEnd?: () => void): Stream<Sounding> {
  const run = runs++ % RUNS
  const voices = new Set<Voice>()
  for (const n of notes)
    // before its turn, mostly
    if (n.length_us > LONG_S * 1e6 && !soundOf(players.get(n.part) ?? fingers)) samples?.neededWhole(n.key)
  const stream = schedule(
    notes,
    (n) => originUs + n.onset_us,
    (n, at) => {
      const velocity = leveled(n.velocity, 'playback')
      if (!velocity || !isHeard(n.part)) return
      const player = players.get(n.part) ?? fingers
      outside()?.playNote(n.key, {
        rawAttack: velocity,
        time: at / 1000,
        duration: n.length_us / 1000,
        channels: channelOf(player),
      })
      if (!isReady()) return
      const voice = voiceOf(player, `run ${run}`)
      voices.add(voice)
      if (voice instanceof Piano) samples?.played(n.key)
      const due = audioTime(at)
      const on = Math.max(due, Tone.now())
      voice.strike(n.key, velocity, on)
      voice.lift(n.key, on + n.length_us / 1e6)
      window.dispatchEvent(
        new CustomEvent('note-scheduled', {
          detail: { part: n.part, key: n.key, eventUs: at, dueS: due, lateS: on - due },
        }),
      )
    },
    clockApart,
    onEnd,
  )
  return {
    add: stream.add,
    replace: stream.replace,
    stop: () => {
      stream.stop()
      outside()?.sendAllNotesOff()
      for (const voice of voices) voice.silence()
    },
  }
}
