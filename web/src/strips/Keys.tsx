/** The keys: the on-screen keyboard, held keys in vermilion; mouse, touch and computer keys play it. */
import { memo, type PointerEvent, useEffect, useMemo, useRef, useState, useSyncExternalStore } from 'react'
import { letters, useComputerKeys } from '../input/computerKeys'
import { useDevices } from '../input/devices'
import { hear, heldKeys, onHeard } from '../input/port'
import { keyName } from '../input/names'
import { keyRange } from '../notation/keyRange'
import { useDrumNames } from '../kit/drums'
import { useListening } from '../playback/listening'
import { useDesk } from '../session/store'
import { cx } from '../shell/classes'

const SOURCE = 'on-screen keys'
const FINGERS = '(pointer: coarse)'

/** The name of a drum along its key. */
function Drum({ name, held, dark }: { name: string; held: boolean; dark?: boolean }) {
  return (
    <span
      aria-hidden
      className={cx(
        'pointer-events-none absolute top-0.5 left-1/2 h-full -translate-x-1/2',
        'overflow-hidden text-[0.6rem] leading-none whitespace-nowrap',
        '[writing-mode:vertical-rl]',
        held || dark ? 'text-ivory' : 'text-ebony',
      )}>
      {name}
    </span>
  )
}

const subscribe = (changed: () => void) => {
  window.addEventListener('resize', changed)
  return () => window.removeEventListener('resize', changed)
}
const useFingers = () => useSyncExternalStore(subscribe, () => window.matchMedia(FINGERS).matches)
const useWindowWidth = () => useSyncExternalStore(subscribe, () => window.innerWidth)

/** How the computer's keys play, in words. */
const keysHelp = (octave: number, velocity: number) =>
  `Computer keys play from ${keyName(12 * (octave + 1))} (A to ’), velocity ${velocity}; ` +
  'N and M shift the octave, with Shift the velocity'

/** The key under a point, and how hard it is struck there: louder near the front edge. */
function keyAt(x: number, y: number): { key: number; velocity: number } | null {
  const element = document
    .elementsFromPoint(x, y)
    .find((e) => e instanceof HTMLElement && e.dataset.keyNumber !== undefined) as HTMLElement | undefined
  if (!element) return null
  const box = element.getBoundingClientRect()
  return {
    key: Number(element.dataset.keyNumber),
    velocity: Math.round(40 + 70 * Math.min(Math.max((y - box.top) / box.height, 0), 1)),
  }
}

export const Keys = memo(function Keys() {
  const [held, setHeld] = useState<ReadonlySet<number>>(heldKeys())
  const { octave, velocity, shiftOctave } = useComputerKeys()
  const fingers = useFingers()
  const rowPx = useWindowWidth()
  const { whites, blacks, width, leftOf } = useMemo(
    () => keyRange(fingers, rowPx - 140, octave),
    [fingers, rowPx, octave],
  )
  const down = useDesk((s) => s.pen?.down ?? false)
  const panel = useDesk((s) => s.panel)
  const allowed = useDesk((s) => s.pen?.allowed ?? null)
  const pulse = useDesk((s) => (s.pen?.way === 'pulse' ? (s.pen.pulse_key ?? NaN) : NaN))
  const record = useDesk((s) => s.recordLine)
  const stepSplit = useDesk((s) => (s.pen?.hands === 'split' ? s.pen.split : null))
  const split = panel === 'record' ? (record?.hands === 'split' ? record.split : null) : stepSplit
  const drums = useDrumNames()
  const pressed = useRef(new Map<number, number>())
  const [folded, setFolded] = useState(false) // an instrument plays: the room is for the music
  useEffect(
    () =>
      onHeard(({ kind, source }) => {
        setHeld(heldKeys())
        if (kind === 'down') setFolded(useDevices.getState().list.some((device) => device.id === source))
      }),
    [],
  )

  // One finger or mouse is one voice: it takes keys along as it slides, and lets go wherever it leaves. Held by the
  // row, so that touch works alike.
  const release = (id: number) => {
    const key = pressed.current.get(id)
    pressed.current.delete(id)
    if (key !== undefined) hear('up', key, 0, SOURCE)
  }
  const onPointerDown = (event: PointerEvent<HTMLElement>) => {
    event.currentTarget.setPointerCapture(event.pointerId)
    onPointerMove(event, true)
  }
  const onPointerMove = (event: PointerEvent<HTMLElement>, first = false) => {
    if (!first && !pressed.current.has(event.pointerId)) return
    const found = keyAt(event.clientX, event.clientY)
    if (!found || found.key === pressed.current.get(event.pointerId)) return
    release(event.pointerId)
    pressed.current.set(event.pointerId, found.key)
    hear('down', found.key, found.velocity, SOURCE)
  }
  const onPointerEnd = (event: PointerEvent<HTMLElement>) => release(event.pointerId)
  const faded = (key: number) => (drums ? !drums[key] : allowed !== null && !allowed.includes(key % 12))
  const sounding = useListening((s) => s.keys)
  const lit = down || panel === 'record' ? 'bg-vermilion' : 'bg-verdigris'

  if (folded && !drums && split === null && allowed === null)
    return (
      <button
        type="button"
        data-testid="keys-folded"
        aria-label="Show the keys"
        title="Show the keys; they fold while an instrument plays"
        className={cx(
          'relative mt-1 block h-1.5 w-full rounded-full bg-rule/60',
          'after:absolute after:inset-x-0 after:-top-3 after:h-6',
        )}
        onClick={() => setFolded(false)}>
        {[...held, ...sounding].map((key) => (
          <span
            key={key}
            className={cx('absolute top-0 h-full rounded-full', held.has(key) ? lit : 'bg-verdigris')}
            style={{ left: `${leftOf(key)}%`, width: `${width}%` }}
          />
        ))}
      </button>
    )
  return (
    <section
      aria-label="Keys"
      data-testid="keys"
      title={drums ? undefined : keysHelp(octave, velocity)}
      className={cx('select-none', fingers && 'grid grid-cols-[auto_minmax(0,1fr)_auto] items-center gap-2')}>
      {fingers && (
        <button type="button" className="quiet-button h-11" aria-label="Lower keys" onClick={() => shiftOctave(-1)}>
          ‹
        </button>
      )}
      <div
        className="relative h-[2.6rem] w-full touch-none pointer-coarse:h-[3.9rem]"
        onPointerDown={onPointerDown}
        onPointerMove={onPointerMove}
        onPointerUp={onPointerEnd}
        onPointerCancel={onPointerEnd}
        onLostPointerCapture={onPointerEnd}>
        {whites.map((key) => (
          <div
            key={key}
            data-key-number={key}
            title={drums?.[key] || keyName(key)}
            className={cx(
              'absolute top-0 h-full rounded-b-[3px] border border-rule',
              held.has(key) ? lit : sounding.has(key) ? 'bg-verdigris/60' : faded(key) ? 'bg-rule/50' : 'bg-ivory',
            )}
            style={{ left: `${leftOf(key)}%`, width: `${width}%` }}>
            {key === pulse && <span className="absolute bottom-3 left-1 text-[0.68rem] text-vermilion">pulse</span>}
            {drums?.[key] && <Drum name={drums[key]} held={held.has(key)} />}
            {key % 12 === 0 && !drums && (
              <span
                className={cx(
                  'absolute bottom-0 left-1 text-[0.68rem]',
                  held.has(key) ? 'text-paper' : 'text-ivory-faint',
                )}>
                {keyName(key)}
              </span>
            )}
          </div>
        ))}
        {blacks.map((key) => (
          <div
            key={key}
            data-key-number={key}
            title={drums?.[key] || keyName(key)}
            className={cx(
              'absolute top-0 h-[60%] rounded-b-[2px]',
              held.has(key) ? lit : sounding.has(key) ? 'bg-verdigris' : faded(key) ? 'bg-ebony/35' : 'bg-ebony',
            )}
            style={{ left: `${leftOf(key) - width * 0.3}%`, width: `${width * 0.6}%` }}>
            {drums?.[key] && <Drum name={drums[key]} held dark />}
          </div>
        ))}
        {split !== null && (
          <div
            aria-hidden
            className="absolute -top-1 h-[calc(100%+0.5rem)] w-[3px] -translate-x-1/2 bg-verdigris"
            style={{ left: `${leftOf(split)}%` }}
          />
        )}
      </div>
      {fingers && (
        <button type="button" className="quiet-button h-11" aria-label="Higher keys" onClick={() => shiftOctave(1)}>
          ›
        </button>
      )}
      {drums && (
        <p className="col-span-full mt-1 text-[0.8rem] text-faint">
          {letters(octave).map(
            ([letter, key]) =>
              drums[key] && (
                <span key={letter} className="mr-2 inline-block">
                  <kbd>{letter}</kbd> {drums[key]}
                </span>
              ),
          )}
        </p>
      )}
    </section>
  )
})
