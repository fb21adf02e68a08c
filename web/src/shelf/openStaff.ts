/** The open staff of the shelf: where heads stand on it, and when playing on it is over. */
import { diatonicOf } from '../notation/diatonic'

export interface Stroke {
  readonly key: number
  readonly atUs: number
}

export const QUIET_MS = 8000

/** Has the playing stopped: no key is down, and none was struck for eight seconds? */
export const isOver = (lastMs: number, nowMs: number, held: number) => held === 0 && nowMs - lastMs >= QUIET_MS

export const WIDE = 1000
export const SPACE = 10 // between two lines
export const TREBLE = { bottom: 60, line: 30 } // E4 on the bottom line
export const BASS = { bottom: 130, line: 18 } // G2
const MIDDLE_C = 60
const PX_PER_S = 90
const MARGIN = 60

/** Where a stroke stands: the newest is always in sight. */
export function headPlace({ key, atUs }: Stroke, firstUs: number, lastUs: number): { x: number; y: number } {
  const at = (us: number) => MARGIN + (us / 1e6) * PX_PER_S
  const beyond = Math.max(at(lastUs - firstUs) - (WIDE - MARGIN), 0)
  const staff = key >= MIDDLE_C ? TREBLE : BASS
  return { x: at(atUs - firstUs) - beyond, y: staff.bottom - ((diatonicOf(key) - staff.line) * SPACE) / 2 }
}

/** Ledger lines that a head needs. */
export function ledgers(key: number, y: number): number[] {
  const staff = key >= MIDDLE_C ? TREBLE : BASS
  const lines: number[] = []
  for (let line = staff.bottom + SPACE; line <= y; line += SPACE) lines.push(line)
  for (let line = staff.bottom - 5 * SPACE; line >= y; line -= SPACE) lines.push(line)
  return lines
}
