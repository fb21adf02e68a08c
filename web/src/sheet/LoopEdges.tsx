/**
 * The bars that go round in playback: an edge at each end on the sheet, dragged to another bar line, or moved by the
 * arrow keys.
 */
import { useLayoutEffect, useState, type KeyboardEvent, type RefObject } from 'react'
import type { BarInfo, System } from '../session/wire'
import { barBox } from './geometry'
import { useDesk } from '../session/store'
import { setPlayback, usePlayback } from '../playback/settings'
import { loopWords, playOn, setLoop } from '../playback/listening'
import { cx } from '../shell/classes'

interface Edge {
  readonly x: number
  readonly top: number
  readonly bottom: number
}
interface Ends {
  readonly first: Edge | null
  readonly last: Edge | null
}

export function LoopEdges({
  sheet,
  viewOf,
}: {
  sheet: RefObject<HTMLElement | null>
  viewOf: (holder: Element) => System | undefined
}) {
  const loop = usePlayback((h) => h.loop)
  const refs = useDesk((s) => s.refs)
  const systems = useDesk((s) => s.systems)
  const zoom = usePlayback((h) => h.zoom)
  const [ends, setEnds] = useState<Ends>({ first: null, last: null })

  useLayoutEffect(() => {
    const root = sheet.current
    if (!loop || !root) return setEnds({ first: null, last: null })
    const measure = () => {
      const at = (bar: number, side: 'left' | 'right'): Edge | null => {
        const box = barBox(root, bar)
        return box && { x: box[side], top: box.top, bottom: box.bottom }
      }
      setEnds({ first: at(loop.first, 'left'), last: at(loop.last, 'right') })
    }
    measure()
    const observer = new ResizeObserver(measure)
    observer.observe(root)
    return () => observer.disconnect()
  }, [loop, refs, systems, zoom])

  if (!loop) return null
  const move = (which: 'first' | 'last', bar: number) => {
    const other = which === 'first' ? loop.last : loop.first
    if (which === 'first' ? bar > other : bar < other) return
    setLoop(which === 'first' ? bar : other, which === 'first' ? other : bar)
    playOn()
  }
  return (['first', 'last'] as const).map((which) => {
    const edge = ends[which]
    return (
      edge && (
        <Handle
          key={which}
          which={which}
          edge={edge}
          bar={loop[which]}
          words={loopWords(loop)}
          move={(bar) => move(which, bar)}
          barUnder={(x, y) => barUnder(x, y, viewOf)}
        />
      )
    )
  })
}

/** The bar under a point of the window. */
function barUnder(x: number, y: number, viewOf: (holder: Element) => System | undefined): BarInfo | undefined {
  const under = document.elementsFromPoint(x, y).find((e) => e.closest('[data-system]'))
  const holder = under?.closest('[data-system]')
  const view = holder && viewOf(holder)
  return view?.bars.find((b) => {
    const measure = holder!.querySelector(`g.measure[id^="b${b.index}-"] > g.staff`)?.getBoundingClientRect()
    return measure && x >= measure.left && x <= measure.right
  })
}

function Handle({
  which,
  edge,
  bar,
  words,
  move,
  barUnder,
}: {
  which: 'first' | 'last'
  edge: Edge
  bar: number
  words: string
  move: (bar: number) => void
  barUnder: (x: number, y: number) => BarInfo | undefined
}) {
  const onKey = (e: KeyboardEvent) => {
    const by = { ArrowLeft: -1, ArrowRight: 1 }[e.key]
    if (by !== undefined) move(bar + by)
    else if (e.key === 'Delete' || e.key === 'Backspace') {
      setPlayback({ loop: null })
      playOn()
    } else return
    e.preventDefault()
    e.stopPropagation()
  }
  return (
    <div
      role="slider"
      tabIndex={0}
      aria-label={which === 'first' ? 'Start of the loop' : 'End of the loop'}
      aria-valuenow={bar}
      aria-valuetext={words}
      title={`${words} round and round: drag to another bar, arrow keys move it, Delete lets it go`}
      data-loop={which}
      className={cx(
        'absolute w-[14px] cursor-ew-resize border-verdigris outline-offset-2',
        which === 'first' ? 'border-l-[4px]' : '-ml-[14px] border-r-[4px]',
      )}
      style={{ left: edge.x, top: edge.top - 10, height: edge.bottom - edge.top + 20 }}
      onKeyDown={onKey}
      onPointerDown={(e) => {
        e.stopPropagation()
        e.currentTarget.setPointerCapture(e.pointerId)
      }}
      onPointerUp={(e) => {
        const found = barUnder(e.clientX, e.clientY)
        if (found && found.index !== bar) move(found.index)
      }}>
      <span
        aria-hidden
        className={cx(
          'absolute',
          which === 'first' ? 'left-[3px]' : 'right-[3px]',
          'top-[calc(50%-9px)] flex flex-col gap-1.5',
        )}>
        <i className="block h-1.5 w-1.5 rounded-full bg-verdigris" />
        <i className="block h-1.5 w-1.5 rounded-full bg-verdigris" />
      </span>
    </div>
  )
}
