/**
 * The strip as the lines of a kit: one line a drum, a click on it writes a stroke of the step value as a percussion
 * head; pressed again it goes, pulled up or down it gets stronger or softer. By keys: arrows go from place to place,
 * Enter strikes, + and - change the velocity.
 */
import { useEffect, useRef, useState, type KeyboardEvent, type PointerEvent } from 'react'
import type { Drum, Pattern } from '../session/wire'
import { say } from '../session/actions'
import { useDesk } from '../session/store'
import { drumOf, loadDrums, useDrums } from '../kit/drums'
import { refreshPatterns, strike, usePattern, usePatterns } from '../kit/pattern'
import { cx } from '../shell/classes'

const USUAL = [46, 42, 51, 49, 50, 47, 38, 43, 36, 44]
const ROW = 21
const LEFT = 118
const TOP = 16
const PULL = 1.2 // velocity of one pixel
const [SOFTEST, LOUDEST] = [20, 120]

export function PatternStrip() {
  const pattern = usePattern()
  const revision = useDesk((s) => s.state?.revision)
  const step = useDesk((s) => s.pen?.step_ticks ?? 1)
  const drums = useDrums((s) => s.list)
  const [width, setWidth] = useState(1200)
  const holder = useRef<HTMLDivElement>(null)
  useEffect(loadDrums, [])
  useEffect(() => void refreshPatterns(), [revision])
  useEffect(() => {
    const observer = new ResizeObserver(() => setWidth(holder.current?.clientWidth ?? 1200))
    if (holder.current) observer.observe(holder.current)
    return () => observer.disconnect()
  }, [])
  const rows = [
    ...USUAL,
    ...new Set((pattern?.cells ?? []).map(([, key]) => key).filter((key) => !USUAL.includes(key))),
  ]
  return (
    <section
      aria-label="The lines of the kit"
      data-testid="pattern-strip"
      className="mb-1 rounded-[3px] border border-rule bg-paper">
      <div ref={holder} className="overflow-x-auto" style={{ height: ROW * rows.length + TOP + 12 }}>
        {pattern && drums.length > 0 ? (
          <Grid pattern={pattern} step={Math.min(step, pattern.ticks)} rows={rows} drums={drums} width={width} />
        ) : (
          <p className="p-4 text-faint">No pattern here.</p>
        )}
      </div>
    </section>
  )
}

interface GridProps {
  readonly pattern: Pattern
  readonly step: number
  readonly rows: readonly number[]
  readonly drums: readonly Drum[]
  readonly width: number
}

function Grid({ pattern, step, rows, drums, width }: GridProps) {
  const byMeter = usePatterns((s) => s.byMeter)
  const [at, setAt] = useState<readonly [number, number]>([0, rows.indexOf(42)])
  const [pull, setPull] = useState<{
    at: number
    key: number
    from: number
    y: number
    now: number
    fresh: boolean
  } | null>(null)
  const columns = Math.ceil(pattern.ticks / step)
  const wide = Math.max(width - 2, LEFT + 20 + columns * 18)
  const x = (tick: number) => LEFT + 16 + (tick / pattern.ticks) * (wide - LEFT - 24)
  const y = (row: number) => TOP + row * ROW + ROW / 2
  const velocityOf = (tick: number, key: number) => pattern.cells.find(([t, k]) => t === tick && k === key)?.[2]
  const label = (key: number) => drumOf(drums, key)?.label ?? String(key)
  const speak = (column: number, row: number) => {
    const there = velocityOf(column * step, rows[row]!)
    say(`${label(rows[row]!)}, ${placeWords(pattern, column * step)}: ${there ? `velocity ${there}` : 'nothing'}`)
  }

  const onDown = (e: PointerEvent<SVGSVGElement>) => {
    const box = e.currentTarget.getBoundingClientRect()
    const [px, py] = [e.clientX - box.left, e.clientY - box.top]
    const row = Math.floor((py - TOP) / ROW)
    const column = Math.round(((px - LEFT - 16) / (wide - LEFT - 24)) * (pattern.ticks / step))
    if (row < 0 || row >= rows.length || column < 0 || column >= columns || px < LEFT) return
    e.currentTarget.setPointerCapture(e.pointerId)
    const key = rows[row]!
    const there = velocityOf(column * step, key)
    const pressed = Math.round(LOUDEST - ((py - TOP - row * ROW) / ROW) * (LOUDEST - SOFTEST)) // near the top is loud
    setAt([column, row])
    setPull({
      at: column * step,
      key,
      from: there ?? pressed,
      y: e.clientY,
      now: there ?? pressed,
      fresh: there === undefined,
    })
  }
  const onMove = (e: PointerEvent) => {
    if (pull) setPull({ ...pull, now: Math.round(Math.min(Math.max(pull.from + (pull.y - e.clientY) * PULL, 1), 127)) })
  }
  const onUp = () => {
    if (!pull) return
    const pulled = Math.abs(pull.now - pull.from) > 3
    if (pulled) strike(pattern, pull.at, pull.key, pull.now, step)
    else if (pull.fresh) strike(pattern, pull.at, pull.key, byMeter ? null : pull.from, step)
    else strike(pattern, pull.at, pull.key, 0, step)
    setPull(null)
  }
  const onKey = (e: KeyboardEvent) => {
    const [column, row] = at
    const move = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[e.key]
    const there = velocityOf(column * step, rows[row]!)
    if (move) {
      const to = [
        Math.min(Math.max(column + move[0]!, 0), columns - 1),
        Math.min(Math.max(row + move[1]!, 0), rows.length - 1),
      ] as const
      setAt(to)
      speak(...to)
    } else if (e.key === 'Enter' || e.key === ' ')
      strike(pattern, column * step, rows[row]!, there === undefined ? null : 0, step)
    else if ((e.key === '+' || e.key === '-' || e.key === '=') && there !== undefined)
      strike(pattern, column * step, rows[row]!, Math.min(Math.max(there + (e.key === '-' ? -8 : 8), 1), 127), step)
    else return
    e.preventDefault()
    e.stopPropagation()
  }
  const [column, row] = at
  const here = velocityOf(column * step, rows[row]!)
  return (
    <svg
      width={wide}
      height={ROW * rows.length + TOP + 8}
      tabIndex={0}
      role="application"
      data-testid="pattern-grid"
      data-own-keys
      aria-label={[
        `Lines of the kit, ${pattern.where}.`,
        `${label(rows[row]!)}, ${placeWords(pattern, column * step)}:`,
        `${here ? `velocity ${here}` : 'nothing'}. Arrows go, Enter strikes.`,
      ].join(' ')}
      className={cx(
        'block touch-none outline-none focus-visible:outline-2',
        'focus-visible:outline-verdigris focus-visible:outline-offset-[-3px]',
      )}
      onPointerDown={onDown}
      onPointerMove={onMove}
      onPointerUp={onUp}
      onKeyDown={onKey}>
      {Array.from({ length: columns }, (_, k) => (
        <line
          key={k}
          x1={x(k * step)}
          x2={x(k * step)}
          y1={TOP - 6}
          y2={y(rows.length - 1) + 8}
          stroke="var(--color-rule)"
          strokeWidth={0.7}
          opacity={0.7}
        />
      ))}
      {pattern.beats.map(([tick, bar]) => (
        <line
          key={tick}
          x1={x(tick)}
          x2={x(tick)}
          y1={TOP - 8}
          y2={y(rows.length - 1) + 9}
          stroke="var(--color-faint)"
          strokeWidth={bar ? 1.6 : 0.9}
        />
      ))}
      {rows.map((key, k) => (
        <g key={key}>
          <line x1={LEFT} x2={wide - 4} y1={y(k)} y2={y(k)} stroke="var(--color-rule)" strokeWidth={1.1} />
          <text x={14} y={y(k) + 4} fontSize={13} fill="var(--color-ink)">
            {label(key)}
          </text>
        </g>
      ))}
      <rect
        x={x(column * step) - 10}
        y={y(row) - 10}
        width={20}
        height={20}
        rx={3}
        fill="none"
        stroke="var(--color-verdigris)"
        strokeWidth={1.2}
        opacity={0.8}
      />
      {[
        ...pattern.cells.filter(([t, k]) => !pull || t !== pull.at || k !== pull.key),
        ...(pull ? [[pull.at, pull.key, pull.now] as const] : []),
      ].map(([tick, key, velocity]) => {
        const line = rows.indexOf(key)
        const drum = drumOf(drums, key)
        const held = pull?.at === tick && pull.key === key
        return (
          drum && (
            <Head
              key={`${tick} ${key}`}
              cx={x(tick)}
              cy={y(line)}
              head={drum.head}
              size={3 + (velocity / 127) * 5}
              colour={held ? 'var(--color-vermilion)' : 'var(--color-ink)'}
              name={`${drum.label} ${tick}`}
              velocity={velocity}
            />
          )
        )
      })}
      {pull && (
        <text x={x(pull.at) + 12} y={y(rows.indexOf(pull.key)) - 6} fontSize={12} fill="var(--color-vermilion)">
          {pull.now}
        </text>
      )}
    </svg>
  )
}

/** A percussion head; the larger, the stronger. */
function Head({
  cx,
  cy,
  head,
  size,
  colour,
  name,
  velocity,
}: {
  cx: number
  cy: number
  head: string
  size: number
  colour: string
  name: string
  velocity: number
}) {
  const shape =
    head === 'normal' || head === 'slashed' ? (
      <ellipse cx={cx} cy={cy} rx={size * 1.05} ry={size * 0.8} transform={`rotate(-18 ${cx} ${cy})`} fill={colour} />
    ) : head === 'diamond' || head === 'square' ? (
      <path d={`M${cx} ${cy - size}l${size} ${size}l${-size} ${size}l${-size} ${-size}z`} fill={colour} />
    ) : head === 'triangle' ? (
      <path d={`M${cx} ${cy - size}l${size} ${2 * size}h${-2 * size}z`} fill={colour} />
    ) : (
      <path
        d={`M${cx - size} ${cy - size}l${2 * size} ${2 * size}m0 ${-2 * size}l${-2 * size} ${2 * size}`}
        stroke={colour}
        strokeWidth={1 + size * 0.22}
      />
    )
  return (
    <g data-cell={name} data-velocity={velocity} pointerEvents="none">
      {shape}
      {head === 'circle-x' && <circle cx={cx} cy={cy} r={size * 1.35} fill="none" stroke={colour} strokeWidth={1.1} />}
    </g>
  )
}

/** A place of the pattern as people count: "bar 2, beat 3". */
function placeWords(pattern: Pattern, tick: number): string {
  const before = pattern.beats.filter(([t]) => t <= tick)
  const bar = before.filter(([, isBar]) => isBar).length
  const beat = before.length - before.findLastIndex(([, isBar]) => isBar)
  return `bar ${bar} of the pattern, beat ${beat}${before.at(-1)?.[0] === tick ? '' : ' and after'}`
}
