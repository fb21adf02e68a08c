/** Which phrases of the line carry its weight, and what of a sentence stands where. */
import type { LinePhrase } from '../session/wire'

/** What is done, where, and with which value: these are read first. */
const LEADING = new Set(['way of working', 'part', 'place', 'step value', 'pitch', 'set value'])

export const leads = (name: string): boolean => LEADING.has(name)

/** A sentence without the phrase that only opens more, which is a button of its own; it ends with a full stop. */
export function withoutMore(phrases: readonly LinePhrase[]): readonly LinePhrase[] {
  const at = phrases.findIndex((p) => p.form === 'more')
  if (at < 0) return phrases
  const kept = phrases.slice(0, at)
  while (kept.length && !kept.at(-1)!.name && !kept.at(-1)!.words.trim()) kept.pop()
  const last = kept.at(-1)
  return last && /[.!?]$/.test(last.words) ? kept : [...kept, FULL_STOP]
}

const FULL_STOP: LinePhrase = { words: '.', name: '', choices: [], form: '' }
