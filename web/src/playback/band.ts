/**
 * Who sounds a part: the sampled piano for piano parts, an instrument of the General MIDI set for all others. These are
 * played in an audio worklet from small files, one for each instrument, which are fetched behind the first page, as
 * they are needed; until its file has come, a part sounds as a piano.
 */
import type { WorkletSynthesizer } from 'spessasynth_lib'
import processor from 'spessasynth_lib/dist/spessasynth_processor.min.js?url'
import type * as ToneModule from 'tone'
import { create } from 'zustand'
import { LongNotes, RELEASE_S } from './long-notes'

/** A part as far as its sound goes; level and place are those of MIDI (0 to 127, the middle is 64). */
export interface Player {
  readonly id: string
  readonly programme: number
  readonly percussion: boolean
  readonly level: number
  readonly pan: number
}

export interface Voice {
  strike(key: number, velocity: number, atS: number): void
  lift(key: number, atS: number): void
  pedal(down: boolean): void
  place(level: number, pan: number): void
  silence(): void
}

/** Sounds that have come, by name ("040", "kit"); the piano is there with the page. */
export const useBand = create<{ ready: ReadonlySet<string>; failed: ReadonlySet<string> }>(() => ({
  ready: new Set(),
  failed: new Set(),
}))

const MOST_VOICES = 256
const CONTROL = { level: 7, pan: 10, pedal: 64 } as const
const USUAL_LEVEL = 100
export const soundOf = (p: Pick<Player, 'programme' | 'percussion'>) =>
  p.percussion ? 'kit' : p.programme === 0 ? '' : String(p.programme).padStart(3, '0')

let Tone: typeof ToneModule
let audio: AudioContext
let samples: ToneModule.ToneAudioBuffers
let synth: Promise<WorkletSynthesizer> | undefined
let ready: WorkletSynthesizer | undefined
const coming = new Map<string, Promise<void>>()
// one bank after the other: the worklet answers only the last of two at once
let adding: Promise<void> = Promise.resolve()

/** The band plays on this context, with these samples of the piano, named by their notes. */
export function seatBand(tone: typeof ToneModule, context: AudioContext, piano: ToneModule.ToneAudioBuffers): void {
  Tone = tone
  audio = context
  samples = piano
}

/**
 * A sample of the piano has come, or has come whole: keys near it take it from now on, and what sounds from its
 * beginning goes on.
 */
export function addSample(note: string): void {
  sampled.set(Tone.Frequency(note).toMidi(), note)
  for (const piano of pianos.values()) piano.add(note)
}

async function makeSynth(): Promise<WorkletSynthesizer> {
  const { WorkletSynthesizer } = await import('spessasynth_lib')
  await audio.audioWorklet.addModule(processor)
  const made = new WorkletSynthesizer(audio, { eventsEnabled: false, oneOutput: false })
  // many at once do not clip
  const ceiling = new DynamicsCompressorNode(audio, { threshold: -6, knee: 6, ratio: 12, attack: 0.003, release: 0.15 })
  made.connect(ceiling)
  ceiling.connect(audio.destination)
  await made.isReady
  made.setSystemParameter('voiceCap', MOST_VOICES)
  made.setSystemParameter('chorusGain', 0)
  ready = made
  return made
}

/** Fetch the sound of a part, if it is not here yet. Never fails: what cannot be fetched sounds as a piano. */
export function fetchSound(name: string): Promise<void> {
  if (!name) return Promise.resolve()
  const known = coming.get(name)
  if (known) return known
  const fetched = (synth ??= makeSynth())
    .then(async (made) => {
      const answer = await fetch(`/sounds/${name}.sf3`)
      if (!answer.ok) throw new Error(`no sound ${name}`)
      const file = await answer.arrayBuffer()
      await (adding = adding.catch(() => undefined).then(() => made.soundBankManager.addSoundBank(file, name)))
      useBand.setState((s) => ({
        ready: new Set(s.ready).add(name),
        failed: new Set([...s.failed].filter((f) => f !== name)),
      }))
      for (const one of channels.values()) one.choose()
      performance.mark(`sound ${name}`)
    })
    .catch(() => {
      coming.delete(name) // tried again at the next need
      useBand.setState((s) => ({ failed: new Set(s.failed).add(name) }))
    })
  coming.set(name, fetched)
  return fetched
}

/** Remembers the level and place that were given last. */
class Placed {
  private last = ''
  /** Is this another level or place than before? */
  protected placed(level: number, pan: number): boolean {
    const now = `${level} ${pan}`
    const other = now !== this.last
    this.last = now
    return other
  }
}

/** A piano with a level and a place of its own; all share the samples. */
export class Piano extends Placed implements Voice {
  private readonly panner = new Tone.Panner(0).toDestination()
  private readonly gain = new Tone.Gain(1).connect(this.panner)
  private readonly sampler: ToneModule.Sampler
  private down = false
  private readonly ringing = new Set<number>()
  private readonly long = new LongNotes(Tone, audio, this.gain)
  constructor() {
    super()
    this.sampler = new Tone.Sampler({ urls: Object.fromEntries(samplesByNote()), release: RELEASE_S }).connect(
      this.gain,
    )
  }
  add(note: string) {
    const sample = samples.get(note)
    this.sampler.add(note as ToneModule.Unit.Note, sample)
    this.long.came(note, sample.get()!)
  }
  strike(key: number, velocity: number, atS: number) {
    this.ringing.delete(key)
    const near = sampledNear(key)
    const note = sampled.get(near)
    if (note) this.long.struck(key, velocity / 127, atS, note, samples.get(note).duration, key - near)
    this.sampler.triggerAttack(nameOf(key), atS, velocity / 127)
  }
  lift(key: number, atS: number) {
    if (this.down) this.ringing.add(key)
    else this.damp(key, atS)
  }
  private damp(key: number, atS: number) {
    this.sampler.triggerRelease(nameOf(key), atS)
    this.long.ended(key, atS)
  }
  pedal(down: boolean) {
    this.down = down
    if (down) return
    for (const key of this.ringing) this.damp(key, Tone.now())
    this.ringing.clear()
  }
  place(level: number, pan: number) {
    if (!this.placed(level, pan)) return
    this.gain.gain.value = (level / USUAL_LEVEL) ** 2
    this.panner.pan.value = (pan - 64) / 64
  }
  silence() {
    this.ringing.clear()
    this.sampler.releaseAll()
    this.long.silence()
  }
}

const nameOf = (key: number) => Tone.Frequency(key, 'midi').toNote()
/** Notes whose samples have come, by their keys. */
const sampled = new Map<number, string>()
const samplesByNote = (): [string, ToneModule.ToneAudioBuffer][] =>
  [...sampled.values()].map((note) => [note, samples.get(note)])
/** The key of the sample that a key takes: the nearest, of two as near the upper one, as the sampler chooses. */
const sampledNear = (key: number) =>
  [...sampled.keys()].reduce(
    (a, b) => (Math.abs(b - key) < Math.abs(a - key) || (Math.abs(b - key) === Math.abs(a - key) && b > a) ? b : a),
    -Infinity,
  )
/** The sample that a key takes, if any has come. */
export const sampleOf = (key: number): string | undefined => sampled.get(sampledNear(key))

/** One channel of the worklet. */
class Channel extends Placed implements Voice {
  readonly sound: string
  constructor(
    private readonly number: number,
    private readonly player: Player,
  ) {
    super()
    this.sound = soundOf(player)
    this.choose()
  }
  /** Takes its sound, once that is there. */
  choose() {
    if (!ready) return
    while (ready.channelCount <= this.number) ready.addNewChannel()
    ready.midiChannels[this.number]?.setDrums(this.player.percussion)
    ready.programChange(this.number, this.player.percussion ? 0 : this.player.programme)
  }
  strike(key: number, velocity: number, atS: number) {
    ready?.noteOn(this.number, key, velocity, { time: atS })
  }
  lift(key: number, atS: number) {
    ready?.noteOff(this.number, key, { time: atS })
  }
  pedal(down: boolean) {
    ready?.controllerChange(this.number, CONTROL.pedal, down ? 127 : 0)
  }
  place(level: number, pan: number) {
    if (!this.placed(level, pan)) return
    ready?.controllerChange(this.number, CONTROL.level, level)
    ready?.controllerChange(this.number, CONTROL.pan, pan)
  }
  /** What is on its way already is silenced when it has begun: nothing can be taken back from the worklet. */
  silence() {
    ready?.controllerChange(this.number, CONTROL.pedal, 0)
    ready?.controllerChange(this.number, ALL_SOUND_OFF, 0)
    ready?.controllerChange(this.number, ALL_SOUND_OFF, 0, { time: ready.currentTime + AHEAD_S })
  }
}
const ALL_SOUND_OFF = 120
const AHEAD_S = 0.25 // as far as anything is scheduled ahead

const channels = new Map<string, Channel>()
const pianos = new Map<string, Piano>()
let used = 0

/**
 * The voice of a part, as it is now: `who` tells apart the keys under the fingers and what is played back, run by run
 * (so that what is silenced of one run is not heard in the next).
 */
export function voiceOf(player: Player, who: 'fingers' | `run ${number}`): Voice {
  const sound = soundOf(player)
  const name = `${who} ${player.id}`
  const here = sound && useBand.getState().ready.has(sound)
  if (sound && !here && !useBand.getState().failed.has(sound)) void fetchSound(sound)
  let voice: Voice | undefined = here ? channels.get(name) : pianos.get(name)
  if (here && (voice as Channel | undefined)?.sound !== sound) {
    const number = voice ? numbers.get(name)! : used++
    numbers.set(name, number)
    channels.set(name, (voice = new Channel(number, player)) as Channel)
  }
  if (!voice) pianos.set(name, (voice = new Piano()) as Piano)
  voice.place(player.level, player.pan)
  return voice
}
const numbers = new Map<string, number>()

export function silenceAll(): void {
  for (const voice of [...channels.values(), ...pianos.values()]) voice.silence()
}
