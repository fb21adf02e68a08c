/** Which stretch of the order of bars sounds, from the beats that go by. */

interface Stretch {
  readonly start: number
  readonly end: number
}

/**
 * For each beat (its tick) the stretch that it belongs to, counted from `first`. A beat that does not lie ahead in its
 * stretch belongs to the next one.
 */
export function stretchesOf(ticks: readonly number[], order: readonly Stretch[], first = 0): number[] {
  let at = first
  let before = -1
  return ticks.map((tick) => {
    const here = order[at]
    if (here && (tick >= here.end || tick < here.start || tick <= before) && at < order.length - 1) at++
    before = tick
    return at
  })
}

/** The stretch in which playing from a tick begins: the first that holds it. */
export const stretchAt = (tick: number, order: readonly Stretch[]): number =>
  Math.max(
    order.findIndex((s) => tick >= s.start && tick < s.end),
    0,
  )
