/** Which pieces of the shelf are shown, and in which order. */
import type { PieceRow } from '../session/wire'

export const ORDERS = ['latest first', 'oldest first', 'by title', 'by composer'] as const
export type Order = (typeof ORDERS)[number]

const plain = (text: string) => text.normalize('NFD').replace(/\p{M}/gu, '').toLowerCase()

/** Pieces in which every word is found: in title, subtitle, composer, parts or tags; "#tag" means just that tag. */
export function found(rows: readonly PieceRow[], words: string): readonly PieceRow[] {
  const tag = words.startsWith('#') ? plain(words.slice(1).trim()) : ''
  if (tag) return rows.filter((r) => r.tags.some((t) => plain(t).startsWith(tag)))
  const wanted = plain(words).split(/\s+/).filter(Boolean)
  if (!wanted.length) return rows
  return rows.filter((r) => {
    const all = plain([r.title, r.subtitle, r.composer, r.parts, ...r.tags].join(' '))
    return wanted.every((w) => all.includes(w))
  })
}

/** The pieces in an order; the server gives the latest first. */
export function sorted(rows: readonly PieceRow[], by: Order): readonly PieceRow[] {
  if (by === 'latest first') return rows
  if (by === 'oldest first') return [...rows].reverse()
  const of = by === 'by title' ? (r: PieceRow) => r.title : (r: PieceRow) => `${r.composer || '\uffff'} ${r.title}`
  const compare = new Intl.Collator(undefined, { numeric: true, sensitivity: 'base' }).compare
  return [...rows].sort((a, b) => compare(of(a), of(b)))
}

const MANY = 50 // pieces from which on they stand under headings

/** The heading over each piece that begins a group: its month, first letter or composer; none on a short shelf. */
export function headings(rows: readonly PieceRow[], by: Order, most = MANY): readonly (string | null)[] {
  if (rows.length < most) return rows.map(() => null)
  const groups = rows.map((row) => groupOf(row, by))
  return groups.map((group, k) => (group === groups[k - 1] ? null : group))
}

function groupOf({ title, composer, changed_at }: PieceRow, by: Order): string {
  if (by === 'by composer') return composer || 'without a composer'
  if (by === 'by title')
    return (
      plain(title)
        .match(/[a-z]|\d/)?.[0]
        ?.toUpperCase() ?? '...'
    )
  return new Date(changed_at).toLocaleDateString(undefined, { month: 'long', year: 'numeric' })
}
