/** Sound at once: a sampled piano (or an instrument at a MIDI output) and a click, no server in the path. */
import type * as ToneModule from 'tone'
import { create } from 'zustand'
import type { Click, Sounding } from '../api/wire'
import { outputOf } from '../input/devices'
import { nowUs, onHeard, SUSTAIN } from '../input/port'

// The sampled keys: A, C, D sharp and F sharp of each octave (see vite.config.ts for the files).
const SAMPLED = ['A', 'C', 'D#', 'F#'].flatMap((name) => [1, 2, 3, 4, 5, 6, 7].map((octave) => `${name}${octave}`))
const urls = Object.fromEntries(['A0', ...SAMPLED, 'C8'].map((name) => [name, `/assets/piano/${name.replace('#', 's')}.mp3`]))
const CLICKS = { bar: [1760, 0.9], strong: [1320, 0.7], beat: [1108, 0.55], half: [880, 0.3] } as const

interface Sound {
  ready: boolean
  /** Who sounds what is heard: our "piano", "none", or the id of a MIDI output. */
  voice: string
  setVoice(voice: string): void
}

const STORE = 'ductus.voice'

export const useSound = create<Sound>((set) => ({
  ready: false,
  voice: localStorage.getItem(STORE) ?? 'piano',
  setVoice: (voice) => {
    allOff()
    localStorage.setItem(STORE, voice)
    set({ voice })
  },
}))
const outside = () => outputOf(useSound.getState().voice)

/** The sound library and the samples come after the first page is drawn: the eye is served first, decoding takes seconds. */
let Tone: typeof ToneModule
let piano: ToneModule.Sampler | undefined
let clicker: ToneModule.Synth | undefined
let loading: Promise<void> | undefined
const PAGE_FIRST_MS = 700
let pedal = false
const ringing = new Set<number>()

/** Start loading the samples; sound begins once the browser allows it (after the first key or click). */
export function prepareSound(): () => void {
  const timer = window.setTimeout(() => void load(), PAGE_FIRST_MS)
  const wake = () => void load().then(() => Tone.start())
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

function load(): Promise<void> {
  loading ??= import('tone').then((module) => {
    Tone = module
    Tone.setContext(new Tone.Context({ latencyHint: 'interactive', lookAhead: 0 }))
    piano = new Tone.Sampler({ urls, release: 0.4, onload: () => useSound.setState({ ready: true }) }).toDestination()
    clicker = new Tone.Synth({ oscillator: { type: 'triangle' }, envelope: { attack: 0.001, decay: 0.04, sustain: 0, release: 0.02 } }).toDestination()
  })
  return loading
}

const noteName = (key: number) => Tone.Frequency(key, 'midi').toNote()

/** Our piano sounds when it is chosen, and in place of an output that is not plugged in. */
const isReady = () => useSound.getState().ready && (useSound.getState().voice === 'piano' || (useSound.getState().voice !== 'none' && !outside()))

function allOff() {
  outputOf(useSound.getState().voice)?.sendAllNotesOff()
  piano?.releaseAll()
}

function strike(key: number, velocity: number) {
  outside()?.playNote(key, { rawAttack: velocity })
  if (!isReady()) return
  ringing.delete(key)
  piano?.triggerAttack(noteName(key), Tone.now(), velocity / 127)
}

function lift(key: number) {
  outside()?.stopNote(key)
  if (!isReady()) return
  if (pedal) ringing.add(key)
  else piano?.triggerRelease(noteName(key), Tone.now())
}

function setPedal(on: boolean) {
  outside()?.sendControlChange(SUSTAIN, on ? 127 : 0)
  pedal = on
  if (on || !isReady()) return
  for (const key of ringing) piano?.triggerRelease(noteName(key), Tone.now())
  ringing.clear()
}

/** Audio-clock seconds of a moment of the event clock. */
const audioTime = (eventUs: number) => Tone.now() + (eventUs - nowUs()) / 1e6

const TOO_LATE_S = 0.03
let lastClick = 0 // a synth takes only rising times
const SCHEDULE_AHEAD_US = 200_000
const SCHEDULE_EVERY_MS = 60

/** Runs `each` a little ahead of the time of every item, until stopped. Returns the stop. */
function schedule<T>(items: readonly T[], timeUs: (item: T) => number, each: (item: T, atUs: number) => void, onEnd?: () => void): () => void {
  let next = 0
  let timer: number | undefined
  const turn = () => {
    while (next < items.length && timeUs(items[next]!) <= nowUs() + SCHEDULE_AHEAD_US) {
      each(items[next]!, timeUs(items[next]!))
      next++
    }
    if (next < items.length) timer = window.setTimeout(turn, SCHEDULE_EVERY_MS)
    else if (onEnd) timer = window.setTimeout(onEnd, Math.max((timeUs(items[items.length - 1]!) - nowUs()) / 1000, 0) + 1500)
  }
  turn()
  return () => window.clearTimeout(timer)
}

/** Does nothing until the sound library has come; see `load`. */
const later = (act: () => void) => void load().then(act)

/** Sound clicks on the audio clock; `originUs` is the event time of click time 0. Returns the stop. */
export function soundClicks(clicks: readonly Click[], originUs: number): () => void {
  let stop: (() => void) | undefined
  let stopped = false
  later(() => { if (!stopped) stop = startClicks(clicks, originUs) })
  return () => {
    stopped = true
    stop?.()
  }
}

function startClicks(clicks: readonly Click[], originUs: number): () => void {
  return schedule(clicks, (c) => originUs + c.time_us, (c, at) => {
    const due = audioTime(at)
    if (due < Tone.now() - TOO_LATE_S) return // a click that would come late misleads more than one that is missing
    const [pitch, level] = CLICKS[c.rank]
    lastClick = Math.max(due, Tone.now(), lastClick + 0.005)
    clicker?.triggerAttackRelease(pitch, 0.03, lastClick, level)
  })
}

/** Sound notes; `originUs` is the event time of their time 0. Returns the stop, which also silences. */
export function soundNotes(notes: readonly Sounding[], originUs: number, onEnd: () => void): () => void {
  if (!notes.length) {
    onEnd()
    return () => undefined
  }
  const stop = schedule(notes, (n) => originUs + n.onset_us, (n, at) => {
    outside()?.playNote(n.key, { rawAttack: n.velocity, time: at / 1000, duration: n.length_us / 1000 })
    if (isReady()) piano?.triggerAttackRelease(noteName(n.key), n.length_us / 1e6, Math.max(audioTime(at), Tone.now()), n.velocity / 127)
  }, onEnd)
  return () => {
    stop()
    allOff()
  }
}
