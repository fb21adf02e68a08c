/**
 * The shelf: all pieces, found by words and tags, in an order of one's choice; a new one by a fill-in sentence, files,
 * delete with undo.
 */
import { Fragment, useCallback, useEffect, useMemo, useRef, useState } from 'react'
import { create } from 'zustand'
import { persist } from 'zustand/middleware'
import { rest } from '../session/rest'
import type { PieceRow } from '../session/wire'
import { ArrivalList, DropRoom, ImportButton, useArrivals } from './Arrivals'
import { TourOffer } from '../help/TourLine'
import { PlaySomething } from './PlaySomething'
import { NewPiece } from './NewPiece'
import { PieceItem } from './PieceItem'
import { found, headings, ORDERS, sorted, type Order } from './finding'

const useOrder = create<{ readonly by: Order }>()(
  persist(() => ({ by: 'latest first' as Order }), { name: 'ductus.shelf' }),
)

/** Pieces that are listed at once; the others follow when the end of the list comes near. */
const AT_ONCE = 40
const AGAIN_MS = 2000

export function Shelf({ onOpen, onShown }: { onOpen: (id: string) => void; onShown: () => unknown }) {
  const [rows, setRows] = useState<readonly PieceRow[] | null>(null)
  const [problem, setProblem] = useState('')
  const [deleted, setDeleted] = useState<PieceRow | null>(null)
  const [words, setWords] = useState('')
  const by = useOrder((s) => s.by)

  const attempt = useCallback(async (what: () => Promise<unknown>) => {
    try {
      setProblem('')
      await what()
    } catch (error) {
      setProblem((error as Error).message)
    }
  }, [])
  const refresh = useCallback(() => attempt(async () => setRows(await rest.shelf())), [attempt])
  useEffect(() => void refresh(), [refresh])
  useEffect(() => {
    // the desk is fetched behind the list, once that has been painted
    if (!rows) return
    const soon = window.setTimeout(onShown, 700)
    return () => window.clearTimeout(soon)
  }, [rows === null])
  useEffect(() => {
    // opened before its server: as soon as that answers, the shelf stands
    if (rows || !problem) return
    const again = window.setInterval(() => void refresh(), AGAIN_MS)
    return () => window.clearInterval(again)
  }, [rows === null, problem])
  const arrivals = useArrivals(onOpen, () => void refresh())
  const shown = useMemo(() => sorted(found(rows ?? [], words), by), [rows, words, by])
  const [many, setMany] = useState(AT_ONCE)
  useEffect(() => setMany(AT_ONCE), [words, by])
  const more = useRef<HTMLLIElement>(null)
  useEffect(() => {
    const end = more.current
    if (!end) return
    const watch = new IntersectionObserver(
      (seen) => {
        if (seen.some((s) => s.isIntersecting)) setMany((n) => n + 4 * AT_ONCE)
      },
      { rootMargin: '1200px' },
    )
    watch.observe(end)
    return () => watch.disconnect()
  }, [many, shown.length])
  const tags = useMemo(
    () => [...new Set((rows ?? []).flatMap((r) => r.tags))].sort((a, b) => a.localeCompare(b)),
    [rows],
  )
  const heads = useMemo(() => headings(shown, by), [shown, by])
  const removed = (row: PieceRow) => {
    setDeleted(row)
    void refresh()
  }
  const onlyTag = (tag: string) => setWords(words === `#${tag}` ? '' : `#${tag}`)

  return (
    <DropRoom take={arrivals.take}>
      <div className="flex h-full flex-col overflow-y-auto">
        <header className="flex h-13 shrink-0 items-center border-b border-rule bg-bar px-5">
          <span className="font-serif text-2xl italic">
            <span className="text-vermilion">D</span>uctus
          </span>
        </header>
        <main className="mx-auto flex w-full max-w-[1080px] 2xl:max-w-[1640px] flex-col gap-5 px-6 py-6">
          <PlaySomething onOpen={onOpen} />
          <TourOffer
            begin={() => void attempt(async () => onOpen((await rest.create({ title: 'First Steps aboard' })).id))}
          />
          <NewPiece onMake={(answers) => attempt(async () => onOpen((await rest.create(answers)).id))} />
          {problem && (
            <p role="alert" className="rounded-[3px] bg-wash px-3 py-2" data-testid="problem">
              {problem}
            </p>
          )}
          {deleted && (
            <p role="status" className="flex items-center gap-3 rounded-[3px] bg-bar px-3 py-2">
              “{deleted.title || 'Untitled'}” was taken off the shelf.
              <button
                type="button"
                className="quiet-button"
                onClick={() =>
                  attempt(async () => {
                    await rest.restore(deleted.id)
                    setDeleted(null)
                    await refresh()
                  })
                }>
                Bring it back
              </button>
            </p>
          )}
          <ArrivalList list={arrivals.list} onOpen={onOpen} clear={arrivals.clear} />
          <section
            aria-label="Pieces"
            className="rounded-[3px] bg-paper px-6 py-4 shadow-[0_2px_12px_rgb(31_42_58/0.12)]">
            <div className="flex flex-wrap items-baseline gap-x-4 gap-y-2 pb-3">
              <h1 className="font-serif text-2xl">On the shelf</h1>
              <input
                type="search"
                aria-label="Find pieces by words of their title, composer or parts, or by #tag"
                placeholder="find a title, a part, #tag"
                value={words}
                onChange={(e) => setWords(e.target.value)}
                className="field w-60"
              />
              <label className="text-sm text-faint">
                order{' '}
                <select
                  value={by}
                  onChange={(e) => useOrder.setState({ by: e.target.value as Order })}
                  className="field">
                  {ORDERS.map((o) => (
                    <option key={o}>{o}</option>
                  ))}
                </select>
              </label>
              <span className="flex-1" />
              <ImportButton take={arrivals.take} />
              {rows && rows.length > 0 && (
                <a className="quiet-button" href="/api/backup.ductus" download>
                  Back up the library
                </a>
              )}
            </div>
            {tags.length > 0 && (
              <div className="flex flex-wrap gap-2 pb-3" role="group" aria-label="Tags">
                {tags.map((tag) => (
                  <button
                    key={tag}
                    type="button"
                    className="tag"
                    aria-pressed={words === `#${tag}`}
                    onClick={() => onlyTag(tag)}>
                    {tag}
                  </button>
                ))}
              </div>
            )}
            {rows?.length === 0 && <Nothing />}
            {rows && rows.length > 0 && (
              <p role="status" className="sr-only">
                {shown.length === rows.length ? `${rows.length} pieces` : `${shown.length} of ${rows.length} pieces`}
              </p>
            )}
            {rows && rows.length > 0 && shown.length === 0 && (
              <p className="py-6 text-faint">
                No piece is called “{words}”.{' '}
                <button type="button" className="quiet-button" onClick={() => setWords('')}>
                  Show all {rows.length}
                </button>
              </p>
            )}
            <ul data-testid="pieces" className="2xl:grid 2xl:grid-cols-2 2xl:gap-x-10">
              {shown.slice(0, many).map((row, k) => (
                <Fragment key={row.id}>
                  {heads[k] && (
                    <li className="col-span-full pt-5 pb-1 font-serif text-lg text-faint" data-testid="group">
                      {heads[k]}
                    </li>
                  )}
                  <PieceItem
                    row={row}
                    onOpen={onOpen}
                    attempt={attempt}
                    changed={() => void refresh()}
                    removed={removed}
                    onTag={onlyTag}
                  />
                </Fragment>
              ))}
              {shown.length > many && (
                <li ref={more} className="border-t border-rule py-3 text-faint">
                  and {shown.length - many} more
                </li>
              )}
            </ul>
          </section>
        </main>
      </div>
    </DropRoom>
  )
}

/** A shelf with nothing on it: how a page will look, and the ways to the first one. */
function Nothing() {
  return (
    <div className="flex flex-wrap items-center gap-6 py-6">
      <img src="/api/example.svg" alt="" className="opening h-28 w-96 max-w-full object-contain object-left" />
      <p className="max-w-96 flex-1 text-faint">
        Nothing here yet. Play something above, finish the sentence to begin a piece, or drop MIDI, MusicXML or Ductus
        files here. It will look like this.
      </p>
    </div>
  )
}
