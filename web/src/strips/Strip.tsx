/**
 * The strip: the open take over time. Each note is one ink stroke, thick at the hammer and thinning to its release;
 * from its head a hairline leans to the place where it was written. Bar lines lie where they fell; their diamonds are
 * dragged, or moved by arrow keys.
 */
import { useEffect, useRef, useState } from 'react'
import { rest } from '../session/rest'
import type { Reading, Strip as StripData } from '../session/wire'
import { playTake } from '../playback/listening'
import { setReading, useOpenReading } from '../reading/reading'
import { choose as choose_, say } from '../session/actions'
import { useDesk } from '../session/store'
import { Curve, Strokes, Diamond, Playhead } from './StripParts'
import { StripEdge } from './StripEdge'
import { useRows, useStripHeight } from './height'
import { Why } from './Why'

const LEAD_US = 500_000

const LEAST_PX_PER_S = 44

export const NUDGE_US = 10_000

const END_NUDGE_US = 100_000

export function Strip() {
  const reading = useOpenReading()
  const pieceId = useDesk((s) => s.pieceId)
  const revision = useDesk((s) => s.state?.revision)
  const readings = useDesk((s) => s.readings)
  const [data, setData] = useState<StripData | null>(null)
  const [dragged, setDragged] = useState<Dragged | null>(null)
  const [width, setWidth] = useState(1200)
  const height = useStripHeight((s) => s.height)
  const holder = useRef<HTMLDivElement>(null)
  useEffect(() => {
    let late = false
    if (reading)
      rest.strip(pieceId, reading.id).then(
        (d) => {
          if (!late) setData(d)
        },
        () => undefined,
      )
    return () => {
      late = true
    }
  }, [pieceId, reading?.id, revision, readings])
  useEffect(() => {
    const observer = new ResizeObserver(() => setWidth(holder.current?.clientWidth ?? 1200))
    if (holder.current) observer.observe(holder.current)
    return () => observer.disconnect()
  }, [])
  return (
    <section
      aria-label="The strip: the take over time"
      data-testid="strip"
      className="mb-2 rounded-[3px] border border-rule bg-paper">
      <StripEdge />
      <div ref={holder} className="overflow-x-auto" style={{ height }}>
        {data && <Drawing data={data} width={width} onDrag={reading && !reading.free ? setDragged : null} />}
      </div>
      {dragged && <WhichMoves dragged={dragged} onDone={() => setDragged(null)} />}
      {data && reading && <Checks data={data} reading={reading} />}
      {reading && <Why readingId={reading.id} />}
    </section>
  )
}

/** A bar line that was dragged to another beat of the click. */
export interface Dragged {
  tick: number
  number: number
  time: number
}

/** To a click beats stay where they are: either the bar before takes another meter, or all bar lines move along. */
function WhichMoves({ dragged, onDone }: { dragged: Dragged; onDone: () => void }) {
  const first = useRef<HTMLButtonElement>(null)
  useEffect(() => first.current?.focus(), [dragged])
  const move = (by: 'meter' | 'before') => {
    setReading({ name: 'bar', tick: dragged.tick, time_us: dragged.time, by })
    onDone()
  }
  return (
    <div
      role="toolbar"
      aria-label={`Bar ${dragged.number} on another beat of the click`}
      data-testid="which-moves"
      className="flex flex-wrap items-center gap-x-4 border-t border-rule px-3 py-1 text-[0.95rem]"
      onKeyDown={(e) => {
        if (e.key === 'Escape') {
          e.stopPropagation()
          onDone()
        }
      }}>
      <span>Bar {dragged.number} begins on another beat of the click:</span>
      <button ref={first} type="button" className="underline" onClick={() => move('meter')}>
        the bar before takes another meter
      </button>
      <button type="button" className="underline" onClick={() => move('before')}>
        all bar lines move along
      </button>
      <button type="button" className="underline" onClick={onDone}>
        leave it
      </button>
    </div>
  )
}

/** How the bars agree with the playing: in words, the worst bars to go to, the click along with the take. */
function Checks({ data, reading }: { data: StripData; reading: Reading }) {
  const click = data.beats
    .map(([us, , number]) => ({
      time_us: us - data.strokes[0]![0],
      rank: number === null ? ('beat' as const) : ('bar' as const),
    }))
    .filter((c) => c.time_us >= 0)
  const goTo = (tick: number, us: number, bar: number) => {
    const stroke = data.strokes.find((s) => s[6] && s[0] >= us)
    if (stroke) document.getElementById(stroke[6])?.closest('[data-system]')?.scrollIntoView({ block: 'nearest' })
    document.querySelector(`[data-tick="${tick}"]`)?.scrollIntoView({ inline: 'center', block: 'nearest' })
    say(`Bar ${bar}`)
  }
  return (
    <p
      className="flex flex-wrap items-center gap-x-4 border-t border-rule px-3 py-1 text-[0.95rem] text-faint"
      data-testid="checks">
      <span>
        Tempo {Math.round(data.curve.lowest)} to {Math.round(data.curve.highest)},{' '}
        {(Math.round(data.curve.average * 10) / 10).toString()} on average
      </span>
      <span>{data.apart_words}</span>
      {data.worst.map(([bar, tick, us]) => (
        <button
          key={tick}
          type="button"
          className="underline"
          onClick={() => goTo(tick, data.beats.find((b) => b[1] === tick)?.[0] ?? 0, bar)}>
          {bar ? `bar ${bar}` : 'pick-up'}: {Math.abs(Math.round(us / 1000))} ms {us > 0 ? 'late' : 'early'}
        </button>
      ))}
      <button type="button" className="underline" onClick={() => void playTake(reading.take, click)}>
        Hear it with its click
      </button>
      {reading.set_by_hand > 0 && (
        <button type="button" className="underline" onClick={() => setReading({ name: 'unpin' })}>
          Let all {reading.set_by_hand} set by hand go
        </button>
      )}
      {data.extent && (
        <button type="button" className="underline" onClick={() => setReading({ name: 'extent' })}>
          Write all of the take
        </button>
      )}
    </p>
  )
}

/** A handle at an end of what is written: dragged inwards, what lies outside is left out. */
function End({
  which,
  at,
  data,
  x,
  us,
}: {
  which: 'from' | 'to'
  at: number
  data: StripData
  x: Scale
  us: (px: number) => number
}) {
  const [moved, setMoved] = useState<number | null>(null)
  const { notes } = useRows()
  useEffect(() => setMoved(null), [at])
  const put = (time: number) => {
    const [from, to] = data.extent ?? [0, data.length_us]
    setReading({
      name: 'extent',
      from_us: Math.max(which === 'from' ? time : from, 0),
      to_us: Math.max(which === 'to' ? time : to, 0),
    })
  }
  const now = x(moved ?? at)
  return (
    <g
      role="slider"
      tabIndex={0}
      aria-label={which === 'from' ? 'Where the written part begins' : 'Where the written part ends'}
      aria-valuenow={Math.round(at / 1000)}
      aria-valuetext={`${(at / 1e6).toFixed(2)} seconds`}
      data-end={which}
      className="cursor-ew-resize outline-none focus-visible:[&_path]:stroke-[2.4]"
      onPointerDown={(e) => {
        e.currentTarget.setPointerCapture(e.pointerId)
        setMoved(at)
      }}
      onPointerMove={(e) => {
        if (moved !== null && e.buttons)
          setMoved(us(e.clientX - (e.currentTarget.ownerSVGElement?.getBoundingClientRect().left ?? 0)))
      }}
      onPointerUp={() => {
        if (moved !== null && Math.abs(moved - at) > 20_000) put(moved)
        else setMoved(null)
      }}
      onKeyDown={(e) => {
        const by = { ArrowLeft: -END_NUDGE_US, ArrowRight: END_NUDGE_US }[e.key]
        if (by === undefined) return
        put(at + by)
        e.preventDefault()
        e.stopPropagation()
      }}>
      <title>Drag to leave out what lies outside; arrow keys move it by 100 ms</title>
      <rect
        x={which === 'from' ? 0 : now}
        y={notes[0] - 4}
        width={Math.max(which === 'from' ? now : x(data.length_us + LEAD_US) - now, 0)}
        height={notes[1] - notes[0] + 12}
        fill="var(--color-desk)"
        opacity={0.55}
        pointerEvents="none"
      />
      <rect x={now - 7} y={notes[0] - 4} width={14} height={notes[1] - notes[0] + 12} fill="transparent" />
      <path
        d={`M${now} ${notes[0] - 4}V${notes[1] + 8}`}
        stroke="var(--color-verdigris)"
        strokeWidth={1.6}
        strokeDasharray="3 3"
        fill="none"
      />
    </g>
  )
}

function Drawing({
  data,
  width,
  onDrag,
}: {
  data: StripData
  width: number
  onDrag: ((dragged: Dragged) => void) | null
}) {
  const height = useStripHeight((s) => s.height)
  const { notes } = useRows()
  const zero = data.start_us - LEAD_US
  const span = data.length_us - zero + LEAD_US
  const wide = Math.max(width, (span / 1e6) * LEAST_PX_PER_S)
  const x = (us: number) => ((us - zero) / span) * wide
  const us = (px: number) => Math.round((px / wide) * span + zero)
  return (
    <svg
      width={wide}
      height={height - 2}
      className="block"
      role="group"
      aria-label={[
        `${data.strokes.length} notes in ${Math.round(data.length_us / 1e6)} seconds`,
        data.beat_words,
        `from ${Math.round(data.curve.lowest)} to ${Math.round(data.curve.highest)}`,
      ].join(', ')}>
      {data.beats.map(([at, tick, number]) => (
        <line
          key={tick}
          x1={x(at)}
          x2={x(at)}
          y1={number === null ? notes[0] + 8 : notes[0] - 2}
          y2={notes[1] + 6}
          stroke={number === null ? 'var(--color-rule)' : 'var(--color-faint)'}
          strokeWidth={number === null ? 0.8 : 1}
        />
      ))}
      <Curve data={data} x={x} />
      <Strokes data={data} x={x} />
      {data.beats
        .filter((b) => b[2] !== null)
        .map(([at, tick, number, byHand]) => (
          <Diamond
            key={tick}
            at={at}
            tick={tick}
            number={number!}
            byHand={byHand}
            x={x}
            us={us}
            beats={data.beats}
            onDrag={onDrag}
          />
        ))}
      <End
        which="from"
        at={data.extent?.[0] ?? Math.max(data.strokes[0]![0] - 150_000, zero)}
        data={data}
        x={x}
        us={us}
      />
      <End
        which="to"
        at={Math.min(data.extent?.[1] ?? data.length_us, data.length_us) + (data.extent ? 0 : 150_000)}
        data={data}
        x={x}
        us={us}
      />
      <Playhead x={x} />
    </svg>
  )
}

export type Scale = (us: number) => number

export function choose(id: string) {
  if (!id) return say('That note is not on the page; it is kept in the take')
  choose_([id])
  document.getElementById(id)?.closest('[data-system]')?.scrollIntoView({ block: 'nearest' })
}
