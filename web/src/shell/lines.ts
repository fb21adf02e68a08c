/**
 * How long the lines of one scroll are, so that staves can be read in any window. The drawing of a line fills the sheet:
 * shorter lines have larger staves.
 */
import type { ClientMessage } from '../session/wire'

export type LineShare = NonNullable<Extract<ClientMessage, { type: 'fit-line' }>['share']>

/** In percent of the longest line, from long to short. */
const SHARES: readonly LineShare[] = [100, 76, 58, 44, 34]
const PADDING = 56 // of the sheet, both sides, px
const STAFF = 0.03 // height of a staff on the longest line, as a share of the line
/** Staves stay between these heights (px) while the window changes; where they would leave them the lines change. */
const LOW = 26
const HIGH = 37

/** The share for a sheet that is so wide (px), while it has another one. */
export function lineShare(width: number, now: LineShare): LineShare {
  const staff = (share: LineShare) => (STAFF * (width - PADDING) * 100) / share
  if (staff(now) < LOW) return SHARES.find((share) => staff(share) >= LOW) ?? SHARES.at(-1)!
  if (staff(now) > HIGH) return SHARES.findLast((share) => staff(share) <= HIGH) ?? 100
  return now
}
