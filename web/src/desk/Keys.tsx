/** The keys: the on-screen keyboard, held keys in vermilion; mouse, touch and computer keys play it. */
import { useEffect, useRef, useState, type PointerEvent } from 'react'
import { useComputerKeys } from '../input/computerKeys'
import { hear, heldKeys, onHeard } from '../input/port'
import { keyName } from './Line'
import { useDesk } from './store'

const FIRST = 33
const LAST = 96
const BLACK = new Set([1, 3, 6, 8, 10])
const SOURCE = 'on-screen keys'
const ALL = Array.from({ length: LAST - FIRST + 1 }, (_, i) => FIRST + i)
const WHITES = ALL.filter((k) => !BLACK.has(k % 12))
const WIDTH = 100 / WHITES.length

const leftOf = (key: number) => WHITES.filter((w) => w < key).length * WIDTH

/** Louder near the front edge of a key, as the velocity of a press. */
const velocityAt = (event: PointerEvent<HTMLElement>) => {
  const box = event.currentTarget.getBoundingClientRect()
  return Math.round(40 + 70 * Math.min(Math.max((event.clientY - box.top) / box.height, 0), 1))
}

export function Keys() {
  const [held, setHeld] = useState<ReadonlySet<number>>(heldKeys())
  const { octave, velocity } = useComputerKeys()
  const down = useDesk((s) => s.pen?.down ?? false)
  const way = useDesk((s) => s.way)
  const allowed = useDesk((s) => s.pen?.allowed ?? null)
  const pulse = useDesk((s) => (s.pen?.way === 'pulse' ? Number(s.pen.line.find((p) => p.name === 'pulse')?.value) : NaN))
  const split = useDesk((s) => s.record.split)
  const showSplit = way === 'record' && useDesk.getState().record.hands === 'split'
  const pressed = useRef(new Map<number, number>())
  useEffect(() => onHeard(() => setHeld(heldKeys())), [])

  const press = (event: PointerEvent<HTMLElement>, key: number) => {
    event.currentTarget.releasePointerCapture(event.pointerId)
    pressed.current.set(event.pointerId, key)
    hear('down', key, velocityAt(event), SOURCE)
  }
  const release = (event: PointerEvent<HTMLElement>) => {
    const key = pressed.current.get(event.pointerId)
    if (key === undefined) return
    pressed.current.delete(event.pointerId)
    hear('up', key, 0, SOURCE)
  }
  const slide = (event: PointerEvent<HTMLElement>, key: number) => {
    if (!event.buttons || !pressed.current.has(event.pointerId) || pressed.current.get(event.pointerId) === key) return
    release(event)
    press(event, key)
  }
  const handlers = (key: number) => ({
    onPointerDown: (e: PointerEvent<HTMLElement>) => press(e, key),
    onPointerUp: release,
    onPointerCancel: release,
    onPointerEnter: (e: PointerEvent<HTMLElement>) => slide(e, key),
  })
  const faded = (key: number) => allowed !== null && !allowed.includes(key % 12)
  const lit = down || way === 'record' ? 'bg-vermilion' : 'bg-verdigris'

  return (
    <section aria-label="Keys" data-testid="keys" className="select-none">
      <div className="relative h-[3.9rem] w-full touch-none" onPointerLeave={release}>
        {WHITES.map((key) => (
          <div key={key} data-key-number={key} {...handlers(key)} title={keyName(key)}
            className={`absolute top-0 h-full rounded-b-[3px] border border-rule ${held.has(key) ? lit : faded(key) ? 'bg-rule/50' : 'bg-paper'}`}
            style={{ left: `${leftOf(key)}%`, width: `${WIDTH}%` }}>
            {key === pulse && <span className="absolute bottom-3 left-1 text-[0.68rem] text-vermilion">pulse</span>}
            {key % 12 === 0 && <span className={`absolute bottom-0 left-1 text-[0.68rem] ${held.has(key) ? 'text-paper' : 'text-faint'}`}>{keyName(key)}</span>}
          </div>
        ))}
        {ALL.filter((k) => BLACK.has(k % 12)).map((key) => (
          <div key={key} data-key-number={key} {...handlers(key)} title={keyName(key)}
            className={`absolute top-0 h-[60%] rounded-b-[2px] ${held.has(key) ? lit : faded(key) ? 'bg-[#2a3242]/35' : 'bg-[#2a3242]'}`}
            style={{ left: `${leftOf(key) - WIDTH * 0.3}%`, width: `${WIDTH * 0.6}%` }} />
        ))}
        {showSplit && <div aria-hidden className="absolute -top-1 h-[calc(100%+0.5rem)] w-[3px] -translate-x-1/2 bg-verdigris" style={{ left: `${leftOf(split)}%` }} />}
      </div>
      <p className="mt-1 text-[0.8rem] text-faint">
        Computer keys play from {keyName(12 * (octave + 1))} (A to ’), velocity {velocity}; <kbd>N</kbd> <kbd>M</kbd> shift the octave, with Shift the velocity.
      </p>
    </section>
  )
}
