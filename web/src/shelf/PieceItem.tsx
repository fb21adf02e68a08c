/** One piece of the shelf: its first bars, what it is, and what can be done with it. */
import { useState } from 'react'
import { DropdownMenu } from 'radix-ui'
import { rest } from '../session/rest'
import type { PieceRow } from '../session/wire'
import { counted } from '../prompt/words'
import { cx } from '../shell/classes'

const ago = (iso: string) => {
  const minutes = Math.round((Date.now() - Date.parse(iso)) / 60000)
  if (minutes < 1) return 'just now'
  if (minutes < 60) return `${minutes} min ago`
  if (minutes < 60 * 24) return `${Math.round(minutes / 60)} h ago`
  return new Date(iso).toLocaleDateString()
}

interface Props {
  readonly row: PieceRow
  readonly onOpen: (id: string) => void
  readonly attempt: (what: () => Promise<unknown>) => void
  readonly changed: () => void
  readonly removed: (row: PieceRow) => void
  readonly onTag: (tag: string) => void
}

export function PieceItem({ row, onOpen, attempt, changed, removed, onTag }: Props) {
  const [tagging, setTagging] = useState(false)
  const title = row.title || 'Untitled'
  return (
    <li
      className={cx(
        'group relative grid grid-cols-[minmax(0,1fr)_auto] items-center gap-x-4 gap-y-1 border-t',
        'border-rule py-2.5 max-md:grid-cols-1',
      )}>
      <a
        href={`/piece/${row.id}`}
        onClick={(e) => {
          e.preventDefault()
          onOpen(row.id)
        }}
        className="grid min-w-0 grid-cols-[15rem_minmax(0,1fr)] items-center gap-4 max-sm:grid-cols-1">
        <img
          src={`/api/pieces/${row.id}/opening.svg?revision=${row.revision}`}
          alt=""
          loading="lazy"
          decoding="async"
          className="opening h-16 w-60 bg-bar/40 object-cover object-left"
        />
        <span className="min-w-0">
          <span className="font-serif text-xl">{title}</span>{' '}
          <span className="font-serif text-faint italic">{row.subtitle}</span>
          <span className="block text-sm text-faint">
            {[
              row.composer,
              row.parts,
              row.meter,
              counted(row.notes, 'note'),
              row.takes ? counted(row.takes, 'take') : '',
              ago(row.changed_at),
            ]
              .filter(Boolean)
              .join(' · ')}
          </span>
        </span>
      </a>
      <span
        className={cx(
          'flex flex-wrap items-center gap-1 pointer-fine:opacity-0',
          'group-focus-within:opacity-100 group-hover:opacity-100 has-data-[state=open]:opacity-100',
          'pointer-fine:md:absolute pointer-fine:md:right-0 pointer-fine:md:bg-paper pointer-fine:md:pl-3',
        )}>
        <button
          type="button"
          className="quiet-button"
          aria-expanded={tagging}
          aria-label={`Tags of ${title}`}
          onClick={() => setTagging(!tagging)}>
          Tags
        </button>
        <button
          type="button"
          className="quiet-button"
          aria-label={`Copy ${title}`}
          onClick={() =>
            attempt(async () => {
              await rest.copy(row.id)
              changed()
            })
          }>
          Copy
        </button>
        <button
          type="button"
          className="quiet-button"
          aria-label={`Save ${title} as a file`}
          onClick={() => {
            location.href = rest.exportAddress(row.id, 'ductus')
          }}>
          Save
        </button>
        <DropdownMenu.Root modal={false}>
          <DropdownMenu.Trigger className="quiet-button" aria-label={`More for ${title}`}>
            <span aria-hidden>···</span>
          </DropdownMenu.Trigger>
          <DropdownMenu.Portal>
            <DropdownMenu.Content className="menu" align="end" sideOffset={6}>
              <DropdownMenu.Item
                className="menu-item"
                aria-label={`Delete ${title}`}
                onSelect={() =>
                  attempt(async () => {
                    await rest.remove(row.id)
                    removed(row)
                  })
                }>
                Delete
              </DropdownMenu.Item>
            </DropdownMenu.Content>
          </DropdownMenu.Portal>
        </DropdownMenu.Root>
      </span>
      {(row.tags.length > 0 || tagging) && (
        <span className="col-span-full flex flex-wrap items-center gap-2 pl-[16rem] text-sm max-sm:pl-0">
          {!tagging &&
            row.tags.map((tag) => (
              <button
                key={tag}
                type="button"
                className="tag"
                onClick={() => onTag(tag)}
                aria-label={`Only pieces with the tag ${tag}`}>
                {tag}
              </button>
            ))}
          {tagging && (
            <form
              className="flex items-center gap-2"
              onSubmit={(e) => {
                e.preventDefault()
                const words = String(new FormData(e.currentTarget).get('tags') ?? '')
                attempt(async () => {
                  await rest.tag(row.id, words.split(','))
                  setTagging(false)
                  changed()
                })
              }}>
              <label>
                Tags, with commas between them{' '}
                <input
                  autoFocus
                  name="tags"
                  defaultValue={row.tags.join(', ')}
                  maxLength={300}
                  className="field w-72"
                  onKeyDown={(e) => {
                    if (e.key === 'Escape') setTagging(false)
                  }}
                />
              </label>
              <button type="submit" className="quiet-button">
                Keep
              </button>
            </form>
          )}
        </span>
      )}
    </li>
  )
}
