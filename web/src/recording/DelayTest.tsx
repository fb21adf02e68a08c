/** The delay test: quarters with the click; what it shows, before and after, and what it sets. */
import { create } from 'zustand'
import { rest } from '../session/rest'
import type { DelayFound } from '../session/wire'
import { say, send, whileSounding } from '../session/actions'
import { onLeave } from '../session/events'
import { useDesk } from '../session/store'
import { nowUs, onHeard } from '../input/port'
import { playProgramme, stopProgramme } from '../input/rehearsal'
import { onClick, soundClicks } from '../playback/engine'

interface DelayTest {
  open: boolean
  /** Strokes heard so far while it runs, null while it does not. */
  strokes: number | null
  found: DelayFound | null
}

export const useDelay = create<DelayTest>(() => ({ open: false, strokes: null, found: null }))
whileSounding(() => useDelay.getState().strokes !== null)
const LEAD_US = 500_000
const AFTER_MS = 900
let end: (() => void) | null = null

export const openDelayTest = () => useDelay.setState({ open: true, found: null })

function closeDelayTest(): void {
  end?.()
  useDelay.setState({ open: false, found: null })
}

onLeave(closeDelayTest)

/** Play the click and listen; the rehearsal keyboard may do the playing. */
async function run(rehearse: boolean): Promise<void> {
  end?.()
  const { clicks, counted } = await rest.delayClicks()
  const originUs = nowUs() + LEAD_US
  const strokes: number[] = []
  const sounded: number[] = [] // the event times that the clicks really got
  const stops = [
    soundClicks(clicks, originUs),
    onClick((atUs) => sounded.push(atUs)),
    onHeard((event) => {
      if (event.kind !== 'down') return
      strokes.push(event.atUs)
      useDelay.setState({ strokes: strokes.length })
    }),
  ]
  useDelay.setState({ strokes: 0, found: null })
  say(`Play a quarter on each click, after ${counted} that are counted`)
  if (rehearse) void playProgramme('quarters', originUs)
  const timer = window.setTimeout(() => void finish(), (originUs + clicks.at(-1)!.time_us - nowUs()) / 1000 + AFTER_MS)
  const stop = () => {
    window.clearTimeout(timer)
    stops.forEach((s) => s())
    stopProgramme()
    end = null
    useDelay.setState({ strokes: null })
  }
  const finish = async () => {
    stop()
    try {
      const found = await rest.delayTest(
        (sounded.length ? sounded : clicks.map((c) => originUs + c.time_us)).map(Math.round),
        strokes.map(Math.round),
      )
      useDelay.setState({ found })
      say(found.words)
    } catch (error) {
      useDesk.setState({ problem: (error as Error).message })
    }
  }
  end = stop
}

const ms = (us: number) => `${us > 0 ? '+' : us < 0 ? '−' : ''}${Math.abs(us / 1000).toFixed(0)} ms`

export function DelayTest() {
  const { strokes, found } = useDelay()
  const late = useDesk((s) => s.recordLine?.late_us ?? 0)
  const set = (late_us: number) => send({ type: 'delay-set', late_us })
  return (
    <section
      aria-label="Delay test"
      data-testid="delay-test"
      className="mb-2 rounded-[3px] border border-rule bg-paper px-4 py-2">
      <div className="flex flex-wrap items-center gap-3">
        <h2 className="font-serif text-xl">Delay test</h2>
        <p className="text-faint" data-testid="delay-now">
          {late ? `Takes are read with ${ms(late)}.` : 'Nothing is set: takes are read as they arrive.'}
        </p>
        <span className="ml-auto flex gap-2">
          <button type="button" className="quiet-button" disabled={strokes !== null} onClick={() => void run(false)}>
            Play it myself
          </button>
          <button type="button" className="quiet-button" disabled={strokes !== null} onClick={() => void run(true)}>
            Let the rehearsal keyboard play
          </button>
          {late !== 0 && (
            <button type="button" className="quiet-button" onClick={() => set(0)}>
              Set to nothing
            </button>
          )}
          <button type="button" className="quiet-button" onClick={closeDelayTest}>
            Close
          </button>
        </span>
      </div>
      {strokes !== null && (
        <p role="status" className="mt-2 font-serif text-lg text-vermilion">
          Play a quarter on each click: {strokes} heard
        </p>
      )}
      {found && (
        <div className="mt-1 flex flex-wrap items-center gap-4">
          <div className="max-w-72">
            <p className="font-serif text-lg" data-testid="delay-words">
              {found.words}
            </p>
            <p className="text-faint">{found.sign}</p>
            <button type="button" className="quiet-button mt-1" onClick={() => set(found.mean_us)}>
              Set {ms(found.mean_us)} for later takes
            </button>
          </div>
          <Picture found={found} />
        </div>
      )}
      {!found && strokes === null && (
        <p className="mt-1 text-faint">
          Five bars of quarters with the click at 100; Ductus measures how late your notes arrive, and reads later takes
          that much earlier.
        </p>
      )}
    </section>
  )
}

const WIDE = 620
const HIGH = 104
const MOST_US = 80_000

/** Each stroke against its click, as it arrived and as it is read with what was found. */
function Picture({ found }: { found: DelayFound }) {
  const first = found.points[0]?.[0] ?? 0
  const last = found.points.at(-1)?.[0] ?? 1
  const x = (k: number) => 92 + ((k - first) / Math.max(last - first, 1)) * (WIDE - 110)
  const y = (row: number, us: number) => 28 + row * 52 + (Math.max(-MOST_US, Math.min(MOST_US, us)) / MOST_US) * 22
  const rows = [
    ['as it arrives', 0, 'var(--color-vermilion)'],
    ['as it is read', found.mean_us, 'var(--color-verdigris)'],
  ] as const
  return (
    <svg
      width={WIDE}
      height={HIGH}
      role="img"
      aria-label={`Before: ${ms(found.mean_us)} on average. After: 0 ms on average.`}
      className="max-w-full">
      {rows.map(([words, by, colour], row) => (
        <g key={words}>
          <text x={0} y={y(row, 0) + 4} fontSize={13} fill="var(--color-faint)">
            {words}
          </text>
          <line x1={86} x2={WIDE} y1={y(row, 0)} y2={y(row, 0)} stroke="var(--color-rule)" />
          {found.points.map(([k, us]) => (
            <g key={k}>
              <line x1={x(k)} x2={x(k)} y1={y(row, 0)} y2={y(row, us - by)} stroke={colour} strokeWidth={1.2} />
              <circle cx={x(k)} cy={y(row, us - by)} r={3} fill={colour} />
            </g>
          ))}
        </g>
      ))}
      <text x={WIDE} y={12} textAnchor="end" fontSize={11} fill="var(--color-faint)">
        early is above the line, late below
      </text>
    </svg>
  )
}
