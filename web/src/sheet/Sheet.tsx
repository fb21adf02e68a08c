/** The sheet: the title block, the engraved systems, and the pen drawn over them. */
import {
  memo,
  type PointerEvent,
  useCallback,
  useEffect,
  useLayoutEffect,
  useRef,
  useState,
  useSyncExternalStore,
} from 'react'
import type { System } from '../session/wire'
import { FreeHeads, HeardHeads } from './HeardHeads'
import { OfferedHeads } from './OfferedHeads'
import { drawingOf } from './engraving'
import { holderOf, tickPlace, penPlace, type PenPlace } from './geometry'
import { takeInHand, useHand } from '../hand/pointer'
import { useListening } from '../playback/listening'
import { Margin } from '../margin/Margin'
import { Handles } from './Handles'
import { Offer } from './Offer'
import { LoopEdges } from './LoopEdges'
import { playbackSettings, usePlayback } from '../playback/settings'
import { scrolledByFingers } from '../hand/fingers'
import { zoomByWheel } from './zoom'
import { PenMark } from './PenMark'
import { fitLines, send } from '../session/actions'
import { useDesk } from '../session/store'
import { farZoom } from '../shell/appearance'
import { Ribbon } from '../playback/Ribbon'
import { Rights, TitleBlock } from './TitleBlock'
import { Washes } from './Washes'
import { cx } from '../shell/classes'

/** Mark the notes of a drawing that are selected. */
function markSelected(drawing: Element) {
  const { selection } = useDesk.getState()
  if (!selection.size) return
  for (const note of drawing.querySelectorAll('.note[id]'))
    if (selection.has(note.id)) note.setAttribute('data-selected', 'yes')
}

function Drawing({ svg, name }: { svg: string; name: string }) {
  const holder = useRef<HTMLDivElement>(null)
  useLayoutEffect(() => {
    const drawing = drawingOf(svg)
    markSelected(drawing)
    holder.current?.replaceChildren(drawing)
  }, [svg])
  return <div ref={holder} className="system" data-key={name} />
}

/** A system with its place in the page; drawn again only when its own engraving changes. */
const SystemHolder = memo(function SystemHolder({
  index,
  waiting,
  system,
}: {
  index: number
  waiting: boolean
  system: System | undefined
}) {
  return (
    <div data-system={index} className="system-holder" data-waiting={waiting ? 'yes' : undefined}>
      {system ? (
        <Drawing svg={system.svg} name={system.key} />
      ) : (
        <div className="h-36 animate-pulse rounded bg-bar/60" aria-hidden />
      )}
    </div>
  )
})

/** Staff number over all parts (from 0) of a part's staff (from 1), and back. */
function useStaves() {
  const parts = useDesk((s) => s.state?.parts)
  const changes = useDesk((s) => s.state?.clefs)
  const drawn = (parts ?? []).filter((p) => p.shown)
  const flat = drawn.flatMap((p) =>
    (p.only ? [p.only] : Array.from({ length: p.staves }, (_, i) => i + 1)).map((staff) => ({ part: p.id, staff })),
  )
  return {
    indexOf: (part: string, staff: number) => flat.findIndex((f) => f.part === part && f.staff === staff),
    at: (index: number) => flat[index],
    clefAt: (index: number, tick: number) => {
      const staff = flat[index]
      const change =
        staff && changes?.findLast((c) => c.part === staff.part && c.staff === staff.staff && c.tick <= tick)
      return change?.clef ?? drawn.find((p) => p.id === staff?.part)?.clefs[(staff?.staff ?? 1) - 1] ?? 'treble'
    },
  }
}

/** The selecting rectangle, and what letting go would do. */
function UnderHand() {
  const { lasso, label } = useHand()
  return (
    <>
      {lasso && (
        <div
          aria-hidden
          className="pointer-events-none absolute border border-verdigris bg-verdigris/10"
          style={lasso}
        />
      )}
      {label && (
        <span
          data-testid="in-hand"
          className={cx(
            'pointer-events-none absolute rounded-[3px] bg-vermilion px-1.5',
            'text-[0.9rem] whitespace-nowrap text-paper',
          )}
          style={{ left: label.x, top: label.y }}>
          {label.words}
        </span>
      )}
    </>
  )
}

/** Far view enlarges the music, too. */
const useFarZoom = () =>
  useSyncExternalStore((changed) => {
    window.addEventListener('far-view', changed)
    return () => window.removeEventListener('far-view', changed)
  }, farZoom)

const zoomedByWheel = zoomByWheel('zoom')

/** What the wheel and two fingers do to the whole of the sheet. */
function byHand(element: HTMLElement | null) {
  const stops = [zoomedByWheel(element), scrolledByFingers(element)]
  return () => stops.forEach((stop) => stop?.())
}

/** Can all of a system be seen? */
function inView(element: Element): boolean {
  const box = element.getBoundingClientRect()
  const view = element.closest('[data-testid=sheet-scroll]')?.getBoundingClientRect()
  return !view || (box.top >= view.top && box.bottom <= view.bottom)
}

export const Sheet = memo(function Sheet() {
  const refs = useDesk((s) => s.refs)
  const systems = useDesk((s) => s.systems)
  const leaves = useDesk((s) => s.leaves)
  const starts = leaves.size ? leaves.first.filter((first) => first < refs.length) : [0]
  const pen = useDesk((s) => s.pen)
  const selection = useDesk((s) => s.selection)
  const playTick = useListening((s) => s.tick)
  const zoom = usePlayback((h) => h.zoom) * useFarZoom()
  const sheet = useRef<HTMLDivElement>(null)
  const marked = useRef(false)
  const staves = useStaves()
  const [place, setPlace] = useState<PenPlace | null>(null)
  const [cursor, setCursor] = useState<{ x: number; top: number; bottom: number } | null>(null)

  const elementOf = useCallback((index: number) => holderOf(sheet.current, index), [])
  const viewOf = useCallback((index: number) => systems.get(refs[index]?.key ?? ''), [refs, systems])

  useLayoutEffect(() => {
    const measure = () => {
      if (!sheet.current || !pen) return
      const index = refs.findIndex((r) => pen.bar >= r.first && pen.bar <= r.last)
      const element = elementOf(index)
      const view = viewOf(index)
      const found =
        element && view ? penPlace(sheet.current, element, view, pen, staves.indexOf(pen.part, pen.staff)) : null
      setPlace((old) => found ?? old)
    }
    measure()
    const observer = new ResizeObserver(measure)
    if (sheet.current) observer.observe(sheet.current)
    return () => observer.disconnect()
  }, [pen, refs, systems])

  useLayoutEffect(() => {
    if (!sheet.current) return
    const observer = new ResizeObserver(([entry]) => entry && fitLines(entry.borderBoxSize[0]!.inlineSize / zoom))
    observer.observe(sheet.current)
    return () => observer.disconnect()
  }, [zoom])

  useLayoutEffect(() => {
    if (playTick === null || !sheet.current) return setCursor(null)
    const index = refs.findIndex((_, i) =>
      viewOf(i)?.bars.some((b) => playTick >= b.start && playTick < b.start + b.ticks),
    )
    const element = elementOf(index)
    const view = viewOf(index)
    setCursor(element && view ? tickPlace(sheet.current, element, view, playTick) : null)
    if (playbackSettings().follows !== 'not at all')
      element?.scrollIntoView({
        block: playbackSettings().follows === 'page' && element && !inView(element) ? 'start' : 'nearest',
      })
  }, [playTick, refs, systems])

  useEffect(() => {
    if (!selection.size && !marked.current) return
    marked.current = selection.size > 0
    for (const old of sheet.current?.querySelectorAll('[data-selected]') ?? [])
      if (!selection.has(old.id)) old.removeAttribute('data-selected')
    if (sheet.current) markSelected(sheet.current)
  }, [selection])

  const recording = useDesk((s) => s.recording !== null)
  useEffect(() => {
    if (!recording) return
    const live = sheet.current?.querySelectorAll('g.note[id^="live"]')
    live?.[live.length - 1]?.closest('[data-system]')?.scrollIntoView({ block: 'nearest' })
  }, [recording, systems])

  const penBar = pen?.bar ?? 0
  useEffect(() => {
    const index = refs.findIndex((r) => penBar >= r.first && penBar <= r.last)
    elementOf(index)?.scrollIntoView({ block: 'nearest' })
    send({ type: 'look', bar: penBar })
  }, [penBar, refs.length])

  const opened = useDesk((s) =>
    s.panel === 'read' ? s.readings.find((r) => r.id === s.openReading && !r.doubts.length)?.first_tick : undefined,
  )
  useEffect(() => {
    // a take that is opened is seen; one with doubts at the first of them
    if (opened === undefined) return
    const index = refs.findIndex((_, i) => viewOf(i)?.bars.some((b) => opened >= b.start && opened < b.start + b.ticks))
    elementOf(index)?.scrollIntoView({ block: 'nearest' })
  }, [opened, refs.length])

  const viewOfHolder = (holder: Element) => viewOf(Number(holder.getAttribute('data-system')))
  const onPointerDown = (event: PointerEvent<HTMLDivElement>) => {
    if (!sheet.current || (event.target as Element).closest('button, input')) return
    takeInHand(event.nativeEvent, {
      sheet: sheet.current,
      clefAt: staves.clefAt,
      viewOf: viewOfHolder,
      staffAt: staves.at,
    })
  }

  return (
    <div
      ref={byHand}
      className="flex min-h-0 flex-1 touch-none gap-4 overflow-auto rounded-[3px] pr-4 justify-center-safe"
      data-testid="sheet-scroll">
      <div
        ref={sheet}
        onPointerDown={onPointerDown}
        data-testid="sheet"
        role="document"
        aria-label="Sheet of music"
        style={
          zoom === 1
            ? undefined
            : { width: `calc(${zoom} * min(100% - 2.5rem, 1240px))`, maxWidth: 'none', flex: 'none' }
        }
        data-pages={leaves.size || undefined}
        className={cx(
          'relative isolate min-h-full max-w-[1240px] min-w-0 select-none',
          '2xl:max-w-[1500px] flex-1 self-start rounded-[3px]',
          'bg-paper px-7 pt-4 pb-16 shadow-[0_2px_12px_rgb(31_42_58/0.12)]',
        )}>
        <Washes sheet={sheet} />
        {starts.map((first, k) => (
          <section
            key={k}
            className="leaf"
            data-full={k + 1 < starts.length ? 'yes' : undefined}
            aria-label={leaves.size ? `page ${k + 1}` : undefined}>
            {k === 0 && <TitleBlock />}
            {k === 0 && <Ribbon />}
            <div className="leaf-systems" data-testid="systems">
              {refs.slice(first, starts[k + 1]).map((ref, i) => (
                <SystemHolder
                  key={ref.first}
                  index={first + i}
                  waiting={ref.key === null}
                  system={systems.get(ref.key ?? '')}
                />
              ))}
            </div>
            {k === 0 && <Rights />}
            {leaves.size && k > 0 && <span className="leaf-number">{k + 1}</span>}
          </section>
        ))}
        {place && <Offer place={place} />}
        {pen && place && <PenMark pen={pen} place={place} />}
        {cursor && (
          <div
            aria-hidden
            className="pointer-events-none absolute w-[2px] bg-verdigris/70"
            style={{ left: cursor.x, top: cursor.top - 8, height: cursor.bottom - cursor.top + 16 }}
          />
        )}
        <LoopEdges sheet={sheet} viewOf={viewOfHolder} />
        <Handles sheet={sheet} clefAt={staves.clefAt} viewOf={viewOfHolder} />
        <UnderHand />
        <HeardHeads sheet={sheet} />
        <OfferedHeads sheet={sheet} />
        <FreeHeads />
      </div>
      <Margin />
    </div>
  )
})
