/** The first thing on the shelf: an open staff. Whatever is played stands on it at once, and becomes a page. */
import { lazy, Suspense, useEffect } from 'react'
import { listenToComputerKeys } from '../input/computerKeys'
import { lookForDevices } from '../input/devices'
import { playProgramme, stopProgramme } from '../input/rehearsal'
import { isSharp } from '../notation/diatonic'
import { counted } from '../prompt/words'
import { enough, listenOnShelf, useFirstPlay } from './firstPlay'
import { BASS, headPlace, ledgers, SPACE, TREBLE, WIDE, type Stroke } from './openStaff'

const Keys = lazy(() => import('../strips/Keys').then((room) => ({ default: room.Keys })))

export function PlaySomething({ onOpen }: { onOpen: (pieceId: string) => void }) {
  const { stage, strokes, problem } = useFirstPlay()
  useEffect(() => {
    const stops = [listenOnShelf(onOpen), listenToComputerKeys(() => undefined)]
    void lookForDevices()
    let gone = false
    void import('../playback/engine').then(({ prepareSound }) => {
      if (!gone) stops.push(prepareSound())
    })
    return () => {
      gone = true
      stopProgramme()
      for (const stop of stops) stop()
    }
  }, [])
  return (
    <section
      aria-label="Play something"
      data-testid="play-something"
      className="rounded-[3px] bg-paper px-6 pt-4 pb-3 shadow-[0_2px_12px_rgb(31_42_58/0.12)]">
      <div className="flex items-baseline gap-4">
        <h1 className="font-serif text-[1.7rem]">Play something.</h1>
        <p className="flex-1 font-serif text-lg text-faint" role="status">
          {stage === 'waiting'
            ? 'A MIDI instrument, A S D F on this keyboard, or the keys below. When you stop, it is a page.'
            : `${counted(strokes.length, 'note')}. Play on; when you stop for eight seconds, it is written down.`}
        </p>
        {stage === 'playing' ? (
          <button type="button" className="more-button" onClick={enough}>
            That is it: write it down
          </button>
        ) : (
          <button type="button" className="quiet-button" onClick={() => void playProgramme('otter-freely')}>
            Let the rehearsal keyboard play
          </button>
        )}
      </div>
      {problem && (
        <p role="alert" className="mt-1 rounded-[3px] bg-wash px-3 py-1">
          {problem}
        </p>
      )}
      <Staff strokes={strokes} />
      <Suspense fallback={<div className="h-[2.6rem]" />}>
        <Keys />
      </Suspense>
    </section>
  )
}

function Staff({ strokes }: { strokes: readonly Stroke[] }) {
  const [first, last] = [strokes[0]?.atUs ?? 0, strokes.at(-1)?.atUs ?? 0]
  return (
    <svg viewBox={`0 0 ${WIDE} 160`} aria-hidden className="my-1 w-full text-ink">
      {[TREBLE, BASS].flatMap(({ bottom }) =>
        [0, 1, 2, 3, 4].map((k) => (
          <path key={`${bottom} ${k}`} d={`M0 ${bottom - k * SPACE}H${WIDE}`} stroke="currentColor" opacity={0.55} />
        )),
      )}
      <g className="fill-vermilion text-vermilion">
        {strokes.map((stroke, k) => {
          const { x, y } = headPlace(stroke, first, last)
          if (x < 0) return null
          return (
            <g key={k} data-testid="first-head">
              {ledgers(stroke.key, y).map((line) => (
                <path key={line} d={`M${x - 10} ${line}h20`} stroke="currentColor" />
              ))}
              {isSharp(stroke.key) && (
                <text x={x - 20} y={y + 5} fontSize={16}>
                  ♯
                </text>
              )}
              <ellipse cx={x} cy={y} rx={6.4} ry={4.6} transform={`rotate(-18 ${x} ${y})`} />
            </g>
          )
        })}
      </g>
    </svg>
  )
}
