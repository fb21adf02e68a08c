/**
 * The samples of the piano. To decode all of them costs seconds and 140 MB, so they come as they are needed: the
 * beginnings of those around the middle with the page, so that any key sounds at once; once something is played, the
 * beginnings of the others; and the whole of those that are held for long.
 */
import type * as ToneModule from 'tone'

// The sampled keys: A, C, D sharp and F sharp of each octave (see vite.config.ts for the files).
const SAMPLED = ['A', 'C', 'D#', 'F#'].flatMap((name) => [1, 2, 3, 4, 5, 6, 7].map((octave) => `${name}${octave}`))
const NEAR = ['C3', 'D#3', 'F#3', 'A3', 'C4', 'D#4', 'F#4', 'A4', 'C5']
const ALL = ['A0', ...SAMPLED, 'C8']
const fileOf = (name: string) => `/assets/piano/${name.replace('#', 's')}.mp3`
const BEGINNING_BYTES = 48_000 // between three and four seconds
/** At the end of each. */
export const FADE_S = 0.4
/** A note that sounds longer needs its sample whole. */
export const LONG_S = 2.5
const EVERY_MS = 300 // each costs a moment of computing

export class PianoSamples {
  readonly buffers: ToneModule.ToneAudioBuffers
  private readonly keys: Map<string, number>
  private readonly begun = new Set<string>()
  private readonly whole = new Set<string>()
  private readonly failed = new Set<string>()
  private readonly asked = new Set<string>()
  private wholes: Promise<void> = Promise.resolve()
  private last = 60
  private followed = false
  private timer: number | undefined

  /** `onCome` hears of each sample that has come, or has come whole. */
  constructor(
    private readonly tone: typeof ToneModule,
    private readonly context: AudioContext,
    private readonly onCome: (name: string) => void,
  ) {
    this.buffers = new tone.ToneAudioBuffers()
    this.keys = new Map(ALL.map((name) => [name, tone.Frequency(name).toMidi()]))
  }

  /** The beginnings of those around the middle. Has any come? */
  async begin(): Promise<boolean> {
    await Promise.all(NEAR.map((name) => this.fetch(name, false)))
    performance.mark('piano begun')
    return this.begun.size > 0
  }

  /** A key is played: the beginnings of all samples follow, those near it first. */
  played(key: number): void {
    this.last = key
    if (!this.followed) this.timer ??= window.setTimeout(this.next, EVERY_MS)
  }

  /** A note sounds for long, or will: its sample (else the one nearest to its key) comes whole, one after the other. */
  neededWhole(key: number, name = this.nearest(ALL, key)): void {
    if (this.asked.has(name)) return
    this.asked.add(name)
    this.wholes = this.wholes.then(() => this.fetch(name, true))
  }

  private nearest(names: readonly string[], key = this.last): string {
    const apart = (name: string) => Math.abs(this.keys.get(name)! - key)
    return names.reduce((a, b) => (apart(b) < apart(a) ? b : a))
  }

  private readonly next = () => {
    const left = ALL.filter((name) => !this.begun.has(name) && !this.failed.has(name))
    if (!left.length) {
      this.timer = undefined
      if (!this.followed) performance.mark('piano followed')
      this.followed = true
      return
    }
    const name = this.nearest(left)
    void this.fetch(name, false).then(() => {
      this.timer = window.setTimeout(this.next, EVERY_MS)
    })
  }

  private async fetch(name: string, whole: boolean): Promise<void> {
    try {
      const answer = await fetch(fileOf(name), whole ? {} : { headers: { Range: `bytes=0-${BEGINNING_BYTES - 1}` } })
      if (!answer.ok) throw new Error(`no sample ${name}`)
      const sample = await this.context.decodeAudioData(await answer.arrayBuffer())
      if (!whole && answer.status === 206) fadeOut(sample)
      if (!whole && this.whole.has(name)) return
      this.begun.add(name)
      if (whole) this.whole.add(name)
      this.buffers.add(name, new this.tone.ToneAudioBuffer(sample))
      this.onCome(name)
    } catch {
      this.failed.add(name) // keys near it take the next sample
    }
  }
}

/** A note that is held beyond the beginning of its sample dies away and does not break off. */
function fadeOut(sample: AudioBuffer): void {
  const count = Math.min(Math.round(FADE_S * sample.sampleRate), sample.length)
  for (let c = 0; c < sample.numberOfChannels; c++) {
    const tail = sample.getChannelData(c).subarray(sample.length - count)
    for (let i = 0; i < count; i++) tail[i]! *= 1 - i / count
  }
}
