/** The shelf: all pieces, a new one by a fill-in sentence, import, delete with undo. */
import { useCallback, useEffect, useRef, useState } from 'react'
import { rest } from '../api/rest'
import type { PieceRow } from '../api/wire'
import { NewPiece } from './NewPiece'

const ago = (iso: string) => {
  const minutes = Math.round((Date.now() - Date.parse(iso)) / 60000)
  if (minutes < 1) return 'just now'
  if (minutes < 60) return `${minutes} min ago`
  if (minutes < 60 * 24) return `${Math.round(minutes / 60)} h ago`
  return new Date(iso).toLocaleDateString()
}

export function Shelf({ onOpen }: { onOpen: (id: string) => void }) {
  const [rows, setRows] = useState<PieceRow[] | null>(null)
  const [problem, setProblem] = useState('')
  const [deleted, setDeleted] = useState<PieceRow | null>(null)
  const file = useRef<HTMLInputElement>(null)

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

  return (
    <div className="flex h-full flex-col overflow-y-auto">
      <header className="flex h-13 shrink-0 items-center border-b border-rule bg-bar px-5">
        <span className="font-serif text-2xl italic"><span className="text-vermilion">D</span>uctus</span>
      </header>
      <main className="mx-auto flex w-full max-w-[980px] flex-col gap-6 px-6 py-6">
        <NewPiece onMake={(answers) => attempt(async () => onOpen((await rest.create(answers)).id))} />
        {problem && <p role="alert" className="rounded-[3px] bg-wash px-3 py-2" data-testid="problem">{problem}</p>}
        {deleted && (
          <p role="status" className="flex items-center gap-3 rounded-[3px] bg-bar px-3 py-2">
            “{deleted.title || 'Untitled'}” was taken off the shelf.
            <button type="button" className="quiet-button" onClick={() => attempt(async () => { await rest.restore(deleted.id); setDeleted(null); await refresh() })}>Bring it back</button>
          </p>
        )}
        <section aria-label="Pieces" className="rounded-[3px] bg-paper px-6 py-4 shadow-[0_2px_12px_rgb(31_42_58/0.12)]">
          <div className="flex items-baseline justify-between pb-2">
            <h1 className="font-serif text-2xl">On the shelf</h1>
            <button type="button" className="quiet-button" onClick={() => file.current?.click()}>Import a MIDI file</button>
            <input ref={file} type="file" accept=".mid,.midi,.musicxml,.mxl,.xml" aria-label="MIDI file" className="hidden"
              onChange={(e) => { const chosen = e.target.files?.[0]; e.target.value = ''; if (chosen) void attempt(async () => onOpen((await rest.import(chosen)).id)) }} />
          </div>
          {rows?.length === 0 && <p className="py-6 text-faint">Nothing here yet. Finish the sentence above to begin a piece, or import a performance.</p>}
          <ul>
            {rows?.map((row) => (
              <li key={row.id} className="group flex items-baseline gap-4 border-t border-rule py-3">
                <a href={`/piece/${row.id}`} onClick={(e) => { e.preventDefault(); onOpen(row.id) }} className="min-w-0 flex-1">
                  <span className="font-serif text-xl">{row.title || 'Untitled'}</span>{' '}
                  <span className="font-serif text-faint italic">{row.subtitle}</span>
                  <span className="block text-sm text-faint">
                    {row.parts} · {row.meter} · {row.notes} notes{row.takes ? ` · ${row.takes} take${row.takes > 1 ? 's' : ''}` : ''}
                  </span>
                </a>
                <span className="text-sm text-faint">{ago(row.changed_at)}</span>
                <button type="button" className="quiet-button" aria-label={`Delete ${row.title || 'Untitled'}`}
                  onClick={() => attempt(async () => { await rest.remove(row.id); setDeleted(row); await refresh() })}>Delete</button>
              </li>
            ))}
          </ul>
        </section>
      </main>
    </div>
  )
}
