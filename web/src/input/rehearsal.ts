/** The rehearsal keyboard: a simulated instrument with pedal that plays the demo performances as a person would. */
import { create } from 'zustand'
import { rest } from '../session/rest'
import type { Programme } from '../session/wire'
import { hear, nowUs } from './port'

const SOURCE = 'Rehearsal keyboard'
const LOOK_AHEAD_MS = 25

interface Rehearsal {
  programmes: Programme[]
  playing: string | null
  load(): Promise<void>
}

export const useRehearsal = create<Rehearsal>((set) => ({
  programmes: [],
  playing: null,
  load: async () => set({ programmes: await rest.programmes() }),
}))

let timer: number | undefined
let held: Set<number> = new Set()

/**
 * Play a programme; its time 0 falls at `originUs` of the event clock. To a click it is played at that tempo, its first
 * bar after the count-in.
 */
export async function playProgramme(
  name: string,
  originUs = nowUs() + 150_000,
  click?: { qpm: number; leadUs: number },
): Promise<void> {
  stopProgramme()
  const { events } = await rest.programme(name, click)
  useRehearsal.setState({ playing: name })
  let next = 0
  const tick = () => {
    const now = nowUs()
    for (; next < events.length; next++) {
      const [at, kind, key, value] = events[next]!
      if (originUs + at > now) break
      if (kind === 'down') held.add(key)
      if (kind === 'up') held.delete(key)
      hear(kind, key, value, SOURCE, originUs + at) // stamped with the moment it was meant for, as hardware does
    }
    if (next >= events.length) stopProgramme()
    else
      timer = window.setTimeout(tick, Math.min(LOOK_AHEAD_MS, Math.max((originUs + events[next]![0] - now) / 1000, 1)))
  }
  tick()
}

export function stopProgramme(): void {
  window.clearTimeout(timer)
  for (const key of held) hear('up', key, 0, SOURCE)
  held = new Set()
  useRehearsal.setState({ playing: null })
}
