/** Parts of the strip: the tempo curve, the strokes, the diamonds at bar lines, the playhead. */
import { useEffect, useState, type KeyboardEvent, type PointerEvent } from 'react'
import type { Strip as StripData } from '../session/wire'
import { useListening } from '../playback/listening'
import { setReading } from '../reading/reading'
import { useDesk } from '../session/store'
import { useRows } from './height'
import { NUDGE_US, type Dragged, type Scale, choose } from './Strip'

/** Tempo bar by bar over the take, its extremes and its average. */
export function Curve({ data, x }: { data: StripData; x: Scale }) {
  const { bars, lowest, highest, average } = data.curve
  const { curve } = useRows()
  const range = Math.max(highest - lowest, average * 0.06)
  const middle = (highest + lowest) / 2
  const y = (bpm: number) => (curve[0] + curve[1]) / 2 - ((bpm - middle) / range) * (curve[1] - curve[0])
  if (!bars.length) return null
  const points = bars.map(([, us, bpm]) => `${x(us)},${y(bpm)}`)
  const at = (wanted: number) => bars.find(([, , bpm]) => bpm === wanted)!
  const label = (bar: readonly [number, number, number], dy: number) => (
    <text
      key={dy}
      x={x(bar[1])}
      y={y(bar[2]) + dy}
      textAnchor="middle"
      fontSize={11}
      fill="var(--color-ochre)"
      stroke="var(--color-paper)"
      strokeWidth={3}
      paintOrder="stroke">
      {Math.round(bar[2])}
    </text>
  )
  return (
    <g aria-hidden>
      <line
        x1={x(bars[0]![1])}
        x2={x(data.length_us)}
        y1={y(average)}
        y2={y(average)}
        stroke="var(--color-ochre)"
        strokeDasharray="2 4"
        strokeWidth={0.8}
      />
      <text x={x(data.length_us) + 4} y={y(average) + 4} fontSize={11} fill="var(--color-ochre)">
        {Math.round(average)}
      </text>
      <polyline points={points.join(' ')} fill="none" stroke="var(--color-ochre)" strokeWidth={1.8} />
      {highest - lowest > 0.5 && [
        label(at(highest) as [number, number, number], -4),
        label(at(lowest) as [number, number, number], 12),
      ]}
    </g>
  )
}

export function Strokes({ data, x }: { data: StripData; x: Scale }) {
  const selection = useDesk((s) => s.selection)
  const { notes } = useRows()
  const keys = data.strokes.map((s) => s[2])
  const low = Math.min(...keys)
  const high = Math.max(...keys, low + 12)
  const y = (key: number) => notes[1] - ((key - low) / (high - low)) * (notes[1] - notes[0] - 8)
  return (
    <g>
      {data.strokes.map(([onset, release, key, velocity, hand, written, id], i) => {
        const at = y(key)
        const thick = 1.2 + (velocity / 127) * 4
        const end = Math.max(x(release), x(onset) + 4)
        const colour =
          id && selection.has(id)
            ? 'var(--color-vermilion)'
            : id === ''
              ? 'var(--color-rule)'
              : hand === 2
                ? 'var(--color-verdigris)'
                : 'var(--color-ink)'
        return (
          <g key={i} className="cursor-pointer" onClick={() => choose(id)}>
            <rect x={x(onset) - 2} y={at - 5} width={end - x(onset) + 4} height={10} fill="transparent" />
            <line
              x1={x(onset)}
              x2={x(written)}
              y1={at - thick / 2}
              y2={at - 10}
              stroke="var(--color-vermilion)"
              strokeWidth={0.7}
            />
            <path
              d={`M${x(onset)} ${at - thick / 2}L${end} ${at - 0.4}V${at + 0.4}L${x(onset)} ${at + thick / 2}Z`}
              fill={colour}
            />
          </g>
        )
      })}
    </g>
  )
}

/**
 * A bar line's handle: filled when it was set by hand. Moved a little, only the two bars beside it are stretched; moved
 * to another beat, the bars behind it are counted from there.
 */
export function Diamond({
  at,
  tick,
  number,
  byHand,
  x,
  us,
  beats,
  onDrag,
}: {
  at: number
  tick: number
  number: number
  byHand: boolean
  x: Scale
  us: (px: number) => number
  beats: StripData['beats']
  onDrag: ((dragged: Dragged) => void) | null
}) {
  const [moved, setMoved] = useState<number | null>(null)
  const [from, setFrom] = useState(0)
  const { notes, diamond } = useRows()
  useEffect(() => setMoved(null), [at])
  const put = (time: number) => {
    const nearest = beats.reduce((a, b) => (Math.abs(b[0] - time) < Math.abs(a[0] - time) ? b : a))
    if (!onDrag || nearest[1] === tick) return setReading({ name: 'bar', tick, time_us: time })
    onDrag({ tick, number, time: nearest[0] })
  }
  const onDown = (e: PointerEvent<SVGGElement>) => {
    e.currentTarget.setPointerCapture(e.pointerId)
    setFrom(e.clientX - x(at))
    setMoved(at)
  }
  const onMove = (e: PointerEvent) => {
    if (moved !== null && e.buttons) setMoved(us(e.clientX - from))
  }
  const onUp = () => {
    if (moved !== null && Math.abs(moved - at) > 2000) put(moved)
    if (onDrag || moved === null || Math.abs(moved - at) <= 2000) setMoved(null)
  }
  const onKey = (e: KeyboardEvent) => {
    const by = { ArrowLeft: -NUDGE_US, ArrowRight: NUDGE_US }[e.key]
    const beat = { PageUp: -1, PageDown: 1 }[e.key]
    const next = beat && beats[beats.findIndex((b) => b[1] === tick) + beat]
    if (by !== undefined) put(at + by * (e.shiftKey ? 5 : 1))
    else if (next) put(next[0])
    else if (e.key === 'Delete' || e.key === 'Backspace') setReading({ name: 'bar', tick })
    else return
    e.preventDefault()
    e.stopPropagation()
  }
  const cx = x(moved ?? at)
  return (
    <g
      role="slider"
      data-tick={tick}
      tabIndex={0}
      aria-label={`Bar line of bar ${number}`}
      aria-valuenow={Math.round(at / 1000)}
      aria-valuetext={`${(at / 1e6).toFixed(2)} seconds${byHand ? ', set by hand' : ''}`}
      data-bar={number}
      className="cursor-ew-resize outline-none focus-visible:[&_path]:stroke-[2.4]"
      onPointerDown={onDown}
      onPointerMove={onMove}
      onPointerUp={onUp}
      onKeyDown={onKey}>
      <title>
        Drag to where this bar begins; arrow keys move it by 10 ms, Page Up and Page Down to another beat, Delete lets
        it go
      </title>
      {moved !== null && <line x1={cx} x2={cx} y1={notes[0]} y2={notes[1] + 6} stroke="var(--color-vermilion)" />}
      <rect x={cx - 9} y={diamond - 10} width={18} height={30} fill="transparent" />
      <path
        d={`M${cx} ${diamond - 6}l5 6l-5 6l-5 -6z`}
        fill={byHand || moved !== null ? 'var(--color-vermilion)' : 'var(--color-paper)'}
        stroke={byHand ? 'var(--color-vermilion)' : 'var(--color-faint)'}
        strokeWidth={1.1}
      />
      <text x={cx} y={diamond + 17} textAnchor="middle" fontSize={11} fill="var(--color-faint)">
        {number || 'pick-up'}
      </text>
    </g>
  )
}

export function Playhead({ x }: { x: Scale }) {
  const takeUs = useListening((s) => s.takeUs)
  const { notes } = useRows()
  return takeUs === null ? null : (
    <line x1={x(takeUs)} x2={x(takeUs)} y1={4} y2={notes[1] + 8} stroke="var(--color-ink)" strokeWidth={1.5} />
  )
}
