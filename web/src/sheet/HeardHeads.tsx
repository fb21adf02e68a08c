/**
 * What is played appears at once: a head at its place as soon as its key goes down, until the engraved note stands
 * there. Played freely, heads without stems stand on staves of their own, spaced by time, until the take is read.
 */
import { memo, type RefObject, useEffect, useLayoutEffect, useRef, useState } from 'react'
import { BOTTOM_LINE, holderOf, stavesAt, type StaffLines } from './geometry'
import { useDesk, useDeskParts } from '../session/store'
import { nowUs, onHeard } from '../input/port'
import { diatonicOf, isSharp } from '../notation/diatonic'
import { tickOf } from '../recording/recorder'

interface Stroke {
  readonly number: number
  readonly key: number
  readonly atUs: number
}

export const MIDDLE_C = 60

const NONE: readonly never[] = []

/** Strokes of the recording that goes on, counted as the server counts them. */
function useStrokes(free: boolean): readonly Stroke[] {
  const recording = useDesk((s) => s.recording)
  const [strokes, setStrokes] = useState<readonly Stroke[]>(NONE)
  const going = recording !== null && !recording.waiting && !recording.proof && recording.free === free
  useEffect(() => {
    setStrokes(NONE)
    if (!going) return
    let number = 0
    return onHeard((event) => {
      if (event.kind === 'down')
        setStrokes((old) => [...old.slice(-400), { number: number++, key: event.key, atUs: event.atUs }])
    })
  }, [going, recording?.originUs])
  return going ? strokes : NONE
}

export interface Mark {
  readonly number: number
  readonly key: number
  readonly x: number
  readonly staff: StaffLines
  readonly bottomLine: number
}

export function Heads({ marks }: { marks: readonly Mark[] }) {
  return marks.map(({ number, key, x, staff, bottomLine }) => {
    const space = (staff.bottom - staff.top) / 4
    const y = staff.bottom - ((diatonicOf(key) - bottomLine) * space) / 2
    const lines: number[] = []
    for (let line = staff.bottom + space; line <= y + 0.1; line += space) lines.push(line)
    for (let line = staff.top - space; line >= y - 0.1; line -= space) lines.push(line)
    return (
      <g key={number} data-stroke={number}>
        {lines.map((l) => (
          <line key={l} x1={x - space} x2={x + space} y1={l} y2={l} stroke="currentColor" strokeWidth={1} />
        ))}
        <ellipse
          cx={x}
          cy={y}
          rx={space * 0.64}
          ry={space * 0.44}
          transform={`rotate(-22 ${x} ${y})`}
          fill="currentColor"
        />
        {isSharp(key) && (
          <text x={x - space * 1.1} y={y + space * 0.45} textAnchor="end" fontSize={space * 1.7} fill="currentColor">
            ♯
          </text>
        )}
      </g>
    )
  })
}

/** Heads of strokes that are not engraved yet, over the sheet. */
export const HeardHeads = memo(function HeardHeads({ sheet }: { sheet: RefObject<HTMLDivElement | null> }) {
  const strokes = useStrokes(false)
  const { refs, systems, pen, recordLine, state } = useDeskParts('refs', 'systems', 'pen', 'recordLine', 'state')
  const [marks, setMarks] = useState<readonly Mark[]>(NONE)
  useLayoutEffect(() => {
    const root = sheet.current
    if (!root || !pen || !strokes.length) return setMarks(NONE)
    const first = (state?.parts ?? []).findIndex((p) => p.id === pen.part)
    const above = (state?.parts ?? []).slice(0, Math.max(first, 0)).reduce((n, p) => n + p.staves, 0)
    const clefs = state?.parts[first]?.clefs ?? []
    setMarks(
      strokes
        .filter((s) => !document.getElementById(`live${s.number}`))
        .flatMap((s): Mark[] => {
          const tick = tickOf(s.atUs)
          const index = refs.findIndex((r) =>
            systems.get(r.key ?? '')?.bars.some((b) => tick >= b.start && tick < b.start + b.ticks),
          )
          const view = systems.get(refs[index]?.key ?? '')
          const element = holderOf(root, index)
          if (!view || !element) return []
          const lower =
            pen.staves > 1 &&
            (recordLine?.hands === 'left' ||
              (recordLine?.hands !== 'right' && s.key < (recordLine?.hands === 'split' ? recordLine.split : MIDDLE_C)))
          const found = stavesAt(root, element, view, tick, above + Number(lower))
          return found
            ? [
                {
                  number: s.number,
                  key: s.key,
                  x: found.x,
                  staff: found.staff,
                  bottomLine: BOTTOM_LINE[clefs[Number(lower)] ?? 'treble'] ?? 30,
                },
              ]
            : []
        }),
    )
  }, [strokes, systems, refs])
  if (!marks.length) return null
  return (
    <svg
      aria-hidden
      data-testid="heard-heads"
      className="pointer-events-none absolute inset-0 h-full w-full overflow-visible text-vermilion">
      <Heads marks={marks} />
    </svg>
  )
})

const PX_PER_S = 110
const SPACE = 8
const HEIGHT = 190
const TREBLE: StaffLines = { top: 40, bottom: 40 + 4 * SPACE }
const BASS: StaffLines = { top: 112, bottom: 112 + 4 * SPACE }

/** Free playing, seen at once: no stems, no bars; time runs to the right. */
export const FreeHeads = memo(function FreeHeads() {
  const strokes = useStrokes(true)
  const recording = useDesk((s) => s.recording)
  const holder = useRef<HTMLDivElement>(null)
  const [width, setWidth] = useState(900)
  useLayoutEffect(() => setWidth(holder.current?.clientWidth ?? 900), [recording !== null])
  if (!recording?.free) return null
  const first = strokes[0]?.atUs ?? nowUs()
  const last = strokes.at(-1)?.atUs ?? first
  const left = Math.max(((last - first) / 1e6) * PX_PER_S - (width - 160), 0)
  const marks = strokes
    .map((s): Mark => {
      const lower = s.key < MIDDLE_C
      return {
        number: s.number,
        key: s.key,
        x: 70 + ((s.atUs - first) / 1e6) * PX_PER_S - left,
        staff: lower ? BASS : TREBLE,
        bottomLine: lower ? 18 : 30,
      }
    })
    .filter((m) => m.x > 60)
  return (
    <div
      ref={holder}
      data-testid="free-heads"
      className="sticky bottom-0 z-10 -mx-7 mt-10 border-t border-rule bg-paper px-7"
      aria-label={`Played freely so far: ${strokes.length} notes`}>
      <svg className="block w-full overflow-hidden" height={HEIGHT} aria-hidden>
        {[TREBLE, BASS].map((staff) =>
          [0, 1, 2, 3, 4].map((k) => (
            <line
              key={`${staff.top}${k}`}
              x1={8}
              x2={width}
              y1={staff.top + k * SPACE}
              y2={staff.top + k * SPACE}
              stroke="currentColor"
              strokeWidth={0.7}
            />
          )),
        )}
        <line x1={8} x2={8} y1={TREBLE.top} y2={BASS.bottom} stroke="currentColor" />
        <g fontFamily="Leipzig" fontSize={4 * SPACE}>
          <text x={18} y={TREBLE.bottom - SPACE} fill="currentColor">
            {'\uE050'}
          </text>
          <text x={18} y={BASS.top + SPACE} fill="currentColor">
            {'\uE062'}
          </text>
        </g>
        <g className="text-vermilion">
          <Heads marks={marks} />
        </g>
      </svg>
    </div>
  )
})
