/**
 * Notes of the piano that outlast the beginning of their sample. When the whole of it has come, it takes over where the
 * beginning fades away: both are the same sound at the same moment, so that what one loses the other gains.
 */
import type * as ToneModule from 'tone'
import { FADE_S } from './samples'

/** A piano string is damped in that time. */
export const RELEASE_S = 0.4

interface Sounding {
  readonly atS: number
  readonly velocity: number
  /** The note of the sample, how much faster than it was recorded it runs, and how many seconds of it there were. */
  readonly sample: string
  readonly rate: number
  readonly seconds: number
  endS: number
  damp?: (atS: number) => void
}

export class LongNotes {
  private readonly notes = new Map<number, Sounding[]>()

  constructor(
    private readonly tone: typeof ToneModule,
    private readonly context: AudioContext,
    private readonly out: ToneModule.ToneAudioNode,
  ) {}

  /** A key was struck: `velocity` from 0 to 1; `seconds` of its sample are there, `apart` semitones below the key. */
  struck(key: number, velocity: number, atS: number, sample: string, seconds: number, apart: number): void {
    const rate = 2 ** (apart / 12)
    const others = (this.notes.get(key) ?? []).filter((n) => n.endS + RELEASE_S > this.context.currentTime)
    this.notes.set(key, [...others, { atS, velocity, sample, rate, seconds, endS: Infinity }])
  }

  /** The dampers of a key fall. */
  ended(key: number, atS: number): void {
    for (const note of this.notes.get(key) ?? []) {
      if (note.atS > atS || note.endS <= atS) continue
      note.endS = atS
      note.damp?.(atS)
    }
  }

  silence(): void {
    for (const note of [...this.notes.values()].flat()) note.damp?.(this.context.currentTime)
    this.notes.clear()
  }

  /** A sample has come whole: what sounds from its beginning goes on. */
  came(sample: string, whole: AudioBuffer): void {
    for (const note of [...this.notes.values()].flat()) {
      if (note.sample === sample && !note.damp && whole.duration > note.seconds) this.goOn(note, whole)
    }
  }

  private goOn(note: Sounding, whole: AudioBuffer): void {
    const from = note.seconds - FADE_S
    const joinS = note.atS + from / note.rate
    if (joinS < this.context.currentTime || joinS >= note.endS + RELEASE_S) return
    const source = new AudioBufferSourceNode(this.context, { buffer: whole, playbackRate: note.rate })
    const rising = new GainNode(this.context, { gain: 0 })
    const damper = new GainNode(this.context)
    rising.gain.setValueAtTime(0, joinS).linearRampToValueAtTime(note.velocity, joinS + FADE_S / note.rate)
    source.connect(rising).connect(damper)
    this.tone.connect(damper, this.out)
    source.start(joinS, from)
    source.addEventListener('ended', () => this.tone.disconnect(damper, this.out))
    note.damp = (atS) => {
      damper.gain
        .cancelScheduledValues(atS)
        .setValueAtTime(1, atS)
        .linearRampToValueAtTime(0, atS + RELEASE_S)
      source.stop(atS + RELEASE_S)
    }
    if (note.endS < Infinity) note.damp(note.endS)
  }
}
