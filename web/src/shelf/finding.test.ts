import { describe, expect, it } from 'vitest'
import type { PieceRow } from '../session/wire'
import { found, headings, sorted } from './finding'

const row = (title: string, more: Partial<PieceRow> = {}): PieceRow => ({
  id: title,
  title,
  subtitle: '',
  composer: '',
  parts: 'Piano',
  meter: '4/4',
  notes: 1,
  takes: 0,
  changed_at: '',
  tags: [],
  revision: 0,
  ...more,
})
const rows = [
  row('Étude 10', { composer: 'Zora' }),
  row('Étude 2', { composer: 'Abel', tags: ['barge'] }),
  row('Waltz', { parts: 'Singer, Piano', tags: ['bar'] }),
]

describe('pieces are found', () => {
  it('by every word, without accents or capitals', () => {
    expect(found(rows, 'etude').map((r) => r.title)).toEqual(['Étude 10', 'Étude 2'])
    expect(found(rows, 'SINGER waltz').map((r) => r.title)).toEqual(['Waltz'])
    expect(found(rows, 'etude singer')).toEqual([])
    expect(found(rows, '  ')).toBe(rows)
  })
  it('by a tag, which is more than a word', () => {
    expect(found(rows, '#barge').map((r) => r.title)).toEqual(['Étude 2'])
    expect(found(rows, '#bar').map((r) => r.title)).toEqual(['Étude 2', 'Waltz'])
  })
})

describe('pieces are put in order', () => {
  it('numbers as numbers, those without a composer last', () => {
    expect(sorted(rows, 'by title').map((r) => r.title)).toEqual(['Étude 2', 'Étude 10', 'Waltz'])
    expect(sorted(rows, 'by composer').map((r) => r.title)).toEqual(['Étude 2', 'Étude 10', 'Waltz'])
    expect(sorted(rows, 'oldest first').map((r) => r.title)).toEqual(['Waltz', 'Étude 2', 'Étude 10'])
    expect(sorted(rows, 'latest first')).toBe(rows)
  })
})

describe('a long shelf', () => {
  it('has headings by the order that it is in, a short one none', () => {
    const some = sorted(rows, 'by title')
    expect(headings(some, 'by title')).toEqual([null, null, null])
    expect(headings(some, 'by title', 3)).toEqual(['E', null, 'W'])
    expect(headings(sorted(rows, 'by composer'), 'by composer', 3)).toEqual(['Abel', 'Zora', 'without a composer'])
    const dated = [row('a', { changed_at: '2026-11-30' }), row('b', { changed_at: '2026-10-01' })]
    expect(headings(dated, 'latest first', 2).filter(Boolean)).toHaveLength(2)
  })
})
