/**
 * The pen: a slanted nib at the staff, behind the music so that nothing of it is covered, with a ghost of the step
 * value, pending notes, and its bar and beat. Where words stand above, the nib comes from below; where they stand there
 * too it is left out. A pen that is up is drawn in outline, so that the music stays readable through it.
 */
import type { Pen } from '../session/wire'
import { clearOf, type PenPlace } from './geometry'
import { cx } from '../shell/classes'

const NIB = { wide: 24, long: 40 } // px of its box
const LABEL = { wide: 110, high: 16 }

const FILLED = new Set(['quarter', 'eighth', '16th', '32nd', '64th', '128th'])
const OUTLINE = { fill: 'none', stroke: 'currentColor', strokeWidth: 0.9, opacity: 0.8 }
const FLAGS: Record<string, number> = { eighth: 1, '16th': 2, '32nd': 3, '64th': 4, '128th': 5 }

function Head({ x, y, space, base }: { x: number; y: number; space: number; base: string }) {
  const filled = FILLED.has(base)
  return (
    <ellipse
      cx={x}
      cy={y}
      rx={space * 0.64}
      ry={space * 0.44}
      transform={`rotate(-22 ${x} ${y})`}
      fill={filled ? 'currentColor' : 'none'}
      stroke="currentColor"
      strokeWidth={filled ? 0.6 : space * 0.17}
    />
  )
}

export function PenMark({ pen, place }: { pen: Pen; place: PenPlace }) {
  const space = (place.staff.bottom - place.staff.top) / 4
  const half = space / 2
  const { x } = place
  const at = (diatonic: number) => place.staff.bottom - (diatonic - place.bottomLine) * half
  const pending = pen.pending_diatonic.map(at)
  const heads = pending.length ? pending : [place.staff.top + 2 * space]
  const low = Math.max(...heads)
  const high = Math.min(...heads)
  const stemX = x + space * 0.6
  const stemTop = Math.min(high - 3.2 * space, place.staff.top - 0.6 * space)
  const stemmed = pen.base !== 'whole'
  const tipY = stemmed ? stemTop : high - space
  const label = `${pen.bar_number ? `bar ${pen.bar_number}` : 'pick-up'} · beat ${pen.beat}`
  const tipX = stemmed ? stemX : x
  const below = low + space
  const nib = (tip: number, down: boolean) => ({
    left: tipX - 7,
    right: tipX - 7 + NIB.wide + 7,
    top: down ? tip : tip - NIB.long,
    bottom: down ? tip + NIB.long : tip,
  })
  const held = clearOf(place.words, nib(tipY, false))
    ? 'above'
    : clearOf(place.words, nib(below, true))
      ? 'below'
      : 'nowhere'
  const under = Math.max(place.systemBottom, low) + 2.4 * space
  const taken = held === 'below' ? [...place.words, nib(below, true)] : place.words
  const labelTop = [0, 1, 2, 3, 4]
    .map((k) => under + k * LABEL.high)
    .find((top) =>
      clearOf(taken, { left: x - LABEL.wide / 2, right: x + LABEL.wide / 2, top, bottom: top + LABEL.high }),
    )
  return (
    <div
      aria-hidden
      data-testid="pen"
      data-down={pen.down}
      className={`pointer-events-none absolute inset-0 overflow-visible ${pen.down ? 'text-vermilion' : 'text-faint'}`}>
      <svg className="absolute inset-0 -z-1 h-full w-full overflow-visible">
        <g opacity={pending.length ? 1 : pen.down ? 0.62 : 0.4}>
          {heads.map((y) => (
            <Head key={y} x={x} y={y} space={space} base={pen.base} />
          ))}
          {ledgers(heads, place, space).map((y) => (
            <line key={y} x1={x - space} x2={x + space} y1={y} y2={y} stroke="currentColor" strokeWidth={1} />
          ))}
          {Array.from({ length: pen.dots }, (_, i) => (
            <circle key={i} cx={x + space * (1.15 + 0.5 * i)} cy={low - half} r={space * 0.18} fill="currentColor" />
          ))}
          {stemmed && <line x1={stemX} x2={stemX} y1={low - 1} y2={stemTop} stroke="currentColor" strokeWidth={1.3} />}
          {Array.from({ length: FLAGS[pen.base] ?? 0 }, (_, i) => (
            <path
              key={i}
              d={`M${stemX} ${stemTop + i * space * 0.8}q${space * 0.2} ${space} ${space * 0.9} ${space * 1.3}`}
              fill="none"
              stroke="currentColor"
              strokeWidth={1.8}
            />
          ))}
        </g>
        {held !== 'nowhere' && (
          <g
            data-testid="nib"
            transform={`translate(${tipX} ${held === 'above' ? tipY : below}) rotate(${held === 'above' ? 28 : 152})`}
            {...(pen.down ? { fill: 'currentColor' } : OUTLINE)}>
            <path d="M0 0C-1.2 -5 -4.6 -8.5 -5 -14L-3.6 -19H3.6L5 -14C4.6 -8.5 1.2 -5 0 0Z" />
            <path d="M-3.6 -20.5H3.6L4.2 -36C4.2 -38.5 -4.2 -38.5 -4.2 -36Z" opacity={0.82} />
            <path d="M0 -1.5V-11" stroke={pen.down ? 'var(--color-paper)' : 'currentColor'} strokeWidth={0.9} />
            <circle cx={0} cy={-12} r={1.35} fill={pen.down ? 'var(--color-paper)' : 'none'} />
          </g>
        )}
        {pen.tuplet && (
          <text
            x={x}
            y={place.staff.top - 5.6 * space}
            textAnchor="middle"
            fontSize={space * 1.9}
            fontStyle="italic"
            fill="currentColor"
            className="font-serif">
            {pen.tuplet[0]}:{pen.tuplet[1]}
          </text>
        )}
      </svg>
      {labelTop !== undefined && (
        <span
          data-testid="pen-label"
          className={cx(
            'absolute -translate-x-1/2 rounded-[3px] bg-paper/85 px-1 text-[0.86rem]',
            'leading-4 font-medium whitespace-nowrap',
          )}
          style={{ left: x, top: labelTop }}>
          {label}
        </span>
      )}
    </div>
  )
}

/** Ledger lines of heads outside the staff. */
function ledgers(heads: number[], place: PenPlace, space: number): number[] {
  const out: number[] = []
  for (const y of heads) {
    for (let line = place.staff.bottom + space; line <= y + 0.1; line += space) out.push(line)
    for (let line = place.staff.top - space; line >= y - 0.1; line -= space) out.push(line)
  }
  return [...new Set(out)]
}
