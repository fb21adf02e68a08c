/**
 * Files that come in: several at once, by a button or dropped anywhere on the shelf; what became of each is said in its
 * line.
 */
import { useEffect, useRef, useState, type ReactNode } from 'react'
import { rest } from '../session/rest'
import { cx } from '../shell/classes'

const ENDINGS = '.mid,.midi,.musicxml,.mxl,.xml,.ductus'

/** What became of one file. */
export interface Arrival {
  readonly name: string
  readonly state: 'waiting' | 'read' | 'refused'
  readonly said: string
  readonly leftOut: readonly string[]
  readonly piece?: string
  readonly pieces?: number
}

/** Brings files in one after the other; a single one with nothing left out is opened at once. */
export function useArrivals(onOpen: (id: string) => void, refresh: () => void) {
  const [list, setList] = useState<readonly Arrival[]>([])
  const take = async (files: readonly File[]) => {
    if (!files.length) return
    const rows: Arrival[] = files.map((f) => ({ name: f.name, state: 'waiting', said: '', leftOut: [] }))
    setList([...rows])
    for (const [k, file] of files.entries()) {
      try {
        const done = await rest.import(file)
        rows[k] = {
          name: file.name,
          state: 'read',
          said: done.said,
          leftOut: done.left_out,
          piece: done.id,
          pieces: done.pieces.length,
        }
      } catch (error) {
        rows[k] = { name: file.name, state: 'refused', said: (error as Error).message, leftOut: [] }
      }
      setList([...rows])
    }
    const [only] = rows
    if (rows.length === 1 && only?.piece && only.pieces === 1 && !only.leftOut.length) onOpen(only.piece)
    else refresh()
  }
  return { list, take: (files: readonly File[]) => void take(files), clear: () => setList([]) }
}

/** The button that brings files in. */
export function ImportButton({ take }: { take: (files: readonly File[]) => void }) {
  const file = useRef<HTMLInputElement>(null)
  return (
    <>
      <button type="button" className="quiet-button" onClick={() => file.current?.click()}>
        Import files
      </button>
      <input
        ref={file}
        type="file"
        multiple
        accept={ENDINGS}
        aria-label="Files to import"
        className="hidden"
        onChange={(e) => {
          const chosen = [...(e.target.files ?? [])]
          e.target.value = ''
          take(chosen)
        }}
      />
    </>
  )
}

/** All of the shelf takes files that are dropped on it. */
export function DropRoom({ take, children }: { take: (files: readonly File[]) => void; children: ReactNode }) {
  const [over, setOver] = useState(false)
  const latest = useRef(take)
  latest.current = take
  useEffect(() => {
    const has = (e: DragEvent) => e.dataTransfer?.types.includes('Files') ?? false
    const onOver = (e: DragEvent) => {
      if (has(e)) {
        e.preventDefault()
        setOver(true)
      }
    }
    const onLeave = (e: DragEvent) => {
      if (e.relatedTarget === null) setOver(false)
    }
    const onDrop = (e: DragEvent) => {
      if (has(e)) {
        e.preventDefault()
        setOver(false)
        latest.current([...(e.dataTransfer?.files ?? [])])
      }
    }
    window.addEventListener('dragover', onOver)
    window.addEventListener('dragleave', onLeave)
    window.addEventListener('drop', onDrop)
    return () => {
      window.removeEventListener('dragover', onOver)
      window.removeEventListener('dragleave', onLeave)
      window.removeEventListener('drop', onDrop)
    }
  }, [])
  return (
    <div className="relative h-full">
      {children}
      {over && (
        <div
          className={cx(
            'pointer-events-none absolute inset-3 flex items-center justify-center',
            'rounded-[3px] border-2 border-dashed border-vermilion bg-bar/90 font-serif text-2xl',
          )}
          data-testid="drop-room">
          Let go: MIDI, MusicXML and Ductus files come onto the shelf
        </div>
      )}
    </div>
  )
}

/** What became of the files, the latest first to be read aloud. */
export function ArrivalList({
  list,
  onOpen,
  clear,
}: {
  list: readonly Arrival[]
  onOpen: (id: string) => void
  clear: () => void
}) {
  if (!list.length) return null
  return (
    <section
      aria-label="Files that came in"
      role="status"
      className="rounded-[3px] bg-bar px-4 py-3"
      data-testid="arrivals">
      <ul className="flex flex-col gap-2">
        {list.map((a, k) => (
          <li key={`${k} ${a.name}`}>
            <span className={a.state === 'refused' ? 'text-vermilion' : ''}>
              <b className="font-medium">{a.name}</b>
              {': '}
              {a.state === 'waiting' ? 'waiting' : a.said}
            </span>{' '}
            {a.piece && (
              <button type="button" className="quiet-button" onClick={() => onOpen(a.piece!)}>
                Open it
              </button>
            )}
            {a.leftOut.length > 0 && (
              <details open={list.length === 1} className="pl-4 text-sm text-faint">
                <summary>
                  {a.leftOut.length === 1 ? 'One thing' : `${a.leftOut.length} things`} of it could not be kept
                </summary>
                <ul className="list-disc pl-5">
                  {a.leftOut.map((words) => (
                    <li key={words}>{words}</li>
                  ))}
                </ul>
              </details>
            )}
          </li>
        ))}
      </ul>
      <button type="button" className="quiet-button mt-2" onClick={clear}>
        Close the list
      </button>
    </section>
  )
}
