/** What is to sound, brought to the audio clock a little ahead of its time. */
import { nowUs } from '../input/port'

/** Something that sounds on and on: more can be added before what there is has sounded. */
export interface Stream<T = unknown> {
  add(items: readonly T[]): void
  /** What was to sound from a time on gives way to this, but for what is on the audio clock already. */
  replace(fromUs: number, items: readonly T[]): void
  stop(): void
}

const SCHEDULE_AHEAD_US = 200_000
const SCHEDULE_EVERY_MS = 60

/** Runs `each` a little ahead of the time of every item, until stopped; without `onEnd` it waits for more. `onTurn` is called now and then. */
export function schedule<T>(
  first: readonly T[],
  timeUs: (item: T) => number,
  each: (item: T, atUs: number) => void,
  onTurn: () => void,
  onEnd?: () => void,
): Stream<T> {
  const items = [...first]
  let next = 0
  let timer: number | undefined
  const turn = () => {
    onTurn()
    while (next < items.length && timeUs(items[next]!) <= nowUs() + SCHEDULE_AHEAD_US) {
      each(items[next]!, timeUs(items[next]!))
      next++
    }
    if (next < items.length || !onEnd) timer = window.setTimeout(turn, SCHEDULE_EVERY_MS)
    else timer = window.setTimeout(onEnd, Math.max((timeUs(items[items.length - 1]!) - nowUs()) / 1000, 0) + 1500)
  }
  turn()
  const from = (us: number) => {
    while (items.length > next && timeUs(items.at(-1)!) >= us) items.pop()
  }
  return {
    add: (more) => items.push(...more),
    replace: (us, more) => {
      from(us)
      items.push(...more.filter((item) => timeUs(item) >= us))
    },
    stop: () => window.clearTimeout(timer),
  }
}
