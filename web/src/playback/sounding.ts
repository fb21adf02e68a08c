/** What sounds at a moment of playback: notes of the page, and keys. */
import type { Sounding } from '../session/wire'

export class SoundingNotes {
  private readonly notes: readonly Sounding[]
  private next = 0
  private live: readonly Sounding[] = []

  constructor(notes: readonly Sounding[]) {
    this.notes = [...notes].sort((a, b) => a.onset_us - b.onset_us)
  }

  /** The notes that sound so many microseconds after the beginning, or null where they are those of the call before. */
  at(us: number): readonly Sounding[] | null {
    const before = this.next
    while (this.next < this.notes.length && this.notes[this.next]!.onset_us <= us) this.next++
    const going = [...this.live, ...this.notes.slice(before, this.next)].filter((n) => n.onset_us + n.length_us > us)
    if (before === this.next && going.length === this.live.length) return null
    this.live = going
    return going
  }
}

/** Colour the heads of these notes, and no others. */
export function colourHeads(notes: readonly Sounding[]): void {
  const ids = new Set(notes.map((n) => n.note))
  for (const old of document.querySelectorAll('.system [data-sounding]'))
    if (!ids.has(old.id)) old.removeAttribute('data-sounding')
  for (const id of ids) document.getElementById(id)?.setAttribute('data-sounding', 'yes')
}
