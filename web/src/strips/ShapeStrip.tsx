/**
 * The strip over a stretch of the page. Each note is one ink stroke, thick as it is loud, where it sounds; a hairline
 * leans to where it is written; outlines are where quantize in place would put it. A stroke is pulled thicker or
 * thinner; drawn across empty paper, all notes passed take the height of the hand as their velocity. While a note of a
 * chord is in hand its fellows fan out.
 */
import { memo, useCallback, useEffect, useMemo, useRef, useState, type KeyboardEvent, type PointerEvent } from 'react'
import type { Shape, ShapedNote } from '../session/wire'
import { choose, say } from '../session/actions'
import { useDesk } from '../session/store'
import { usePlayback } from '../playback/settings'
import { zoomByWheel } from '../sheet/zoom'
import { useStripHeight } from './height'
import { NoteList } from './NoteList'
import { StripEdge } from './StripEdge'
import { refreshShape, shapeNotes, useShape } from '../shape/shape'
import { cx } from '../shell/classes'

const TOP = 12
const BELOW = 28 // under the strokes: the numbers of bars
const LEFT = 34
const PULL = 0.9 // velocity of a pixel
const FAN = 13

const wheel = zoomByWheel('stripZoom')

export function ShapeStrip() {
  const { data, list } = useShape()
  const revision = useDesk((s) => s.state?.revision)
  const zoom = usePlayback((h) => h.stripZoom)
  const [width, setWidth] = useState(1200)
  const height = useStripHeight((s) => s.height)
  const holder = useRef<HTMLDivElement>(null)
  useEffect(() => void refreshShape(), [revision])
  useEffect(() => {
    const observer = new ResizeObserver(() => setWidth(holder.current?.clientWidth ?? 1200))
    if (holder.current) observer.observe(holder.current)
    return () => observer.disconnect()
  }, [])
  return (
    <section
      aria-label="The strip: times and velocities"
      data-testid="shape-strip"
      className="mb-2 rounded-[3px] border border-rule bg-paper">
      {!list && <StripEdge />}
      <div ref={holder}>
        {list ? (
          <NoteList />
        ) : (
          <div ref={wheel} className="overflow-x-auto" style={{ height }}>
            {data && data.notes.length > 0 ? (
              <Drawing data={data} wide={Math.max((width - 2) * zoom, 300)} />
            ) : (
              <p className="p-4 text-faint">{data ? 'No notes of this part are written in these bars.' : ''}</p>
            )}
          </div>
        )}
      </div>
    </section>
  )
}

const SLACK = 5
interface Pull {
  readonly note: ShapedNote
  readonly from: readonly [number, number]
  readonly x: number
  readonly y: number
  readonly now: number
}
interface Draw {
  readonly points: readonly (readonly [number, number])[]
}

function Drawing({ data, wide }: { data: Shape; wide: number }) {
  const selection = useDesk((s) => s.selection)
  const weighed = useShape((s) => s.weighed)
  const view = useShape((s) => s.view)
  const height = useStripHeight((s) => s.height)
  const bottom = height - BELOW
  const [pull, setPull] = useState<Pull | null>(null)
  const [draw, setDraw] = useState<Draw | null>(null)
  const [at, setAt] = useState(0)
  const span = data.end - data.start
  const x = useCallback((tick: number) => LEFT + ((tick - data.start) / span) * (wide - LEFT - 16), [data, wide])
  const keys = data.notes.map((n) => n.key)
  const low = Math.min(...keys)
  const high = Math.max(...keys, low + 12)
  const y = useCallback(
    (key: number) => bottom - 8 - ((key - low) / (high - low)) * (bottom - TOP - 20),
    [low, high, bottom],
  )
  const will = new Map(
    (view === 'times' ? (weighed?.moves ?? []) : []).map(([id, on, off]) => [id, [on, off] as const]),
  )
  const velocityAt = (py: number) => Math.round(Math.min(Math.max(((bottom - py) / (bottom - TOP)) * 127, 1), 127))

  const place = (e: PointerEvent<SVGSVGElement>) => {
    const box = e.currentTarget.getBoundingClientRect()
    return [e.clientX - box.left, e.clientY - box.top] as const
  }
  const under = (px: number, py: number) =>
    data.notes.find((n) => px >= x(n.on) - 4 && px <= Math.max(x(n.off), x(n.on) + 8) && Math.abs(py - y(n.key)) < 8)
  const onDown = (e: PointerEvent<SVGSVGElement>) => {
    const [px, py] = place(e)
    e.currentTarget.setPointerCapture(e.pointerId)
    const note = under(px, py)
    if (note) setPull({ note, from: [px, py], x: e.clientX, y: e.clientY, now: note.velocity })
    else setDraw({ points: [[px, py]] })
  }
  const onMove = (e: PointerEvent<SVGSVGElement>) => {
    const across =
      pull &&
      pull.now === pull.note.velocity &&
      Math.abs(e.clientX - pull.x) > SLACK &&
      Math.abs(e.clientX - pull.x) > Math.abs(e.clientY - pull.y)
    if (across) {
      // a hand that goes sideways draws, wherever it began
      setPull(null)
      setDraw({ points: [pull.from, place(e)] })
    } else if (pull && Math.abs(e.clientY - pull.y) > SLACK / 2)
      setPull({
        ...pull,
        now: Math.round(Math.min(Math.max(pull.note.velocity + (pull.y - e.clientY) * PULL, 1), 127)),
      })
    else if (draw) setDraw({ points: [...draw.points, place(e)] })
  }
  const onUp = () => {
    if (pull) {
      const by = pull.now - pull.note.velocity
      if (!by) choose([pull.note.id])
      else if (selection.has(pull.note.id) && selection.size > 1)
        shapeNotes(
          { name: 'velocity', by },
          data.notes.map((n) => n.id).filter((id) => selection.has(id)),
        )
      else shapeNotes({ name: 'draw-velocity', to: [[pull.note.id, pull.now]] }, [pull.note.id])
    } else if (draw && draw.points.length > 2) {
      const to = drawn(draw)
      if (to.length)
        shapeNotes(
          { name: 'draw-velocity', to },
          to.map(([id]) => id),
        )
    }
    setPull(null)
    setDraw(null)
  }
  /** The notes that the hand passed, with the velocity of its height there. */
  const drawn = ({ points }: Draw): [string, number][] => {
    const sorted = [...points].sort((a, b) => a[0] - b[0])
    const [from, to] = [sorted[0]![0], sorted.at(-1)![0]]
    return data.notes
      .filter((n) => x(n.on) >= from - 3 && x(n.on) <= to + 3 && (!selection.size || selection.has(n.id)))
      .map((n) => {
        const near = sorted.reduce((best, p) => (Math.abs(p[0] - x(n.on)) < Math.abs(best[0] - x(n.on)) ? p : best))
        return [n.id, velocityAt(near[1])]
      })
  }
  const onKey = (e: KeyboardEvent) => {
    const note = data.notes[at]
    const step = { ArrowLeft: -1, ArrowRight: 1 }[e.key]
    const louder = { ArrowUp: 1, ArrowDown: -1, '+': 8, '=': 8, '-': -8 }[e.key]
    if (step) {
      const to = Math.min(Math.max(at + step, 0), data.notes.length - 1)
      setAt(to)
      const there = data.notes[to]!
      choose([there.id])
      say(`${there.pitch}, ${there.place}: velocity ${there.velocity}, ${lateWords(there)}`)
    } else if (louder && note) shapeNotes({ name: 'velocity', by: louder }, [note.id])
    else return
    e.preventDefault()
    e.stopPropagation()
  }
  const passing = useMemo(() => (draw && draw.points.length > 2 ? new Map(drawn(draw)) : NOTHING), [draw, data])
  const ghosts = useMemo(
    () =>
      data.notes
        .map((n) => {
          const moved = will.get(n.id)
          if (!moved) return ''
          const [from, end, level, half] = [
            x(moved[0]),
            Math.max(x(moved[1]), x(moved[0]) + 5),
            y(n.key),
            thickness(n.velocity) / 2 + 1,
          ]
          const [head, tail] = [from.toFixed(1), end.toFixed(1)]
          const [top, bottom] = [(level - half).toFixed(1), (level + half).toFixed(1)]
          return `M${head} ${top}L${tail} ${level - 1}V${level + 1}L${head} ${bottom}Z`
        })
        .join(''),
    [data, weighed, view, wide],
  )
  return (
    <div className="relative" style={{ width: wide }}>
      {will.size > 0 && ( // a layer of its own, so that the strokes are not painted again with it
        <svg
          aria-hidden
          width={wide}
          height={height - 2}
          className="pointer-events-none absolute top-0 left-0 [will-change:transform]">
          <path
            data-testid="ghosts"
            data-count={will.size}
            d={ghosts}
            fill="none"
            stroke="var(--color-vermilion)"
            strokeWidth={1.1}
          />
        </svg>
      )}
      <svg
        width={wide}
        height={height - 2}
        tabIndex={0}
        role="application"
        data-own-keys
        data-testid="shape-drawing"
        className={cx(
          'block touch-none select-none outline-none focus-visible:outline-2',
          'focus-visible:-outline-offset-3 focus-visible:outline-verdigris',
        )}
        aria-label={`${data.notes.length} notes. Left and right go from note to note, up and down change the velocity.`}
        onPointerDown={onDown}
        onPointerMove={onMove}
        onPointerUp={onUp}
        onKeyDown={onKey}>
        <BarLines data={data} x={x} bottom={bottom} />
        {(draw || pull) &&
          [32, 64, 96, 127].map((v) => (
            <text key={v} x={4} y={bottom - (v / 127) * (bottom - TOP) + 4} fontSize={11} fill="var(--color-faint)">
              {v}
            </text>
          ))}
        <Strokes data={data} x={x} y={y} selection={selection} pull={pull} passing={passing} />
        {draw && (
          <polyline
            points={draw.points.map((p) => p.join(',')).join(' ')}
            fill="none"
            stroke="var(--color-vermilion)"
            strokeWidth={1.2}
            strokeDasharray="3 3"
          />
        )}
      </svg>
    </div>
  )
}

const NOTHING: ReadonlyMap<string, number> = new Map()
const thickness = (velocity: number) => 1.4 + (velocity / 127) * 8

const BarLines = memo(function BarLines({
  data,
  x,
  bottom,
}: {
  data: Shape
  x: (tick: number) => number
  bottom: number
}) {
  return (
    <>
      {data.beats.map((t) => (
        <line key={t} x1={x(t)} x2={x(t)} y1={TOP} y2={bottom} stroke="var(--color-rule)" strokeWidth={0.8} />
      ))}
      {data.bars.map(([t, number]) => (
        <g key={t}>
          <line x1={x(t)} x2={x(t)} y1={TOP - 4} y2={bottom + 4} stroke="var(--color-faint)" strokeWidth={1.2} />
          <text x={x(t) + 3} y={bottom + 20} fontSize={12} fill="var(--color-faint)">
            {number ? `bar ${number}` : 'pick-up'}
          </text>
        </g>
      ))}
    </>
  )
})

interface StrokesProps {
  readonly data: Shape
  readonly x: (tick: number) => number
  readonly y: (key: number) => number
  readonly selection: ReadonlySet<string>
  readonly pull: Pull | null
  readonly passing: ReadonlyMap<string, number>
}

/** The strokes themselves: not drawn again while only what would become of them is weighed. */
const Strokes = memo(function Strokes({ data, x, y, selection, pull, passing }: StrokesProps) {
  const fellows = pull ? data.notes.filter((n) => n.tick === pull.note.tick) : []
  return data.notes.map((n) => {
    const fan = pull && pull.note.tick === n.tick ? fellows.indexOf(n) * FAN : 0
    const velocity = pull?.note.id === n.id ? pull.now : (passing.get(n.id) ?? n.velocity)
    const touched = pull?.note.id === n.id || passing.has(n.id)
    const thick = thickness(velocity)
    const from = x(n.on) + fan
    const end = Math.max(x(n.off), x(n.on) + 5) + fan
    const level = y(n.key)
    const colour =
      touched || selection.has(n.id)
        ? 'var(--color-vermilion)'
        : n.staff === 2
          ? 'var(--color-verdigris)'
          : 'var(--color-ink)'
    return (
      <g key={n.id} data-note={n.id} data-velocity={velocity} className="cursor-ns-resize">
        {n.on !== n.tick && (
          <line
            x1={from}
            x2={x(n.tick)}
            y1={level - thick / 2}
            y2={level - thick / 2 - 8}
            stroke="var(--color-vermilion)"
            strokeWidth={0.8}
          />
        )}
        <path
          d={`M${from} ${level - thick / 2}L${end} ${level - 0.5}V${level + 0.5}L${from} ${level + thick / 2}Z`}
          fill={colour}
        />
        {touched && (
          <text x={from + 2} y={level - thick / 2 - 3} fontSize={11} fill="var(--color-vermilion)">
            {velocity}
          </text>
        )}
      </g>
    )
  })
})

function lateWords(n: ShapedNote): string {
  const late = Math.round(n.late_ms)
  const when = late ? `${Math.abs(late)} ms ${late > 0 ? 'late' : 'early'}` : 'on time'
  return `${when}, ${Math.round(n.percent)} % of its value`
}
