import { expect, it } from 'vitest'
import type { LinePhrase } from '../session/wire'
import { leads, withoutMore } from './weights'

const phrase = (words: string, name = '', form = '') => ({ words, name, form, choices: [] }) as unknown as LinePhrase

it('gives weight to what is done, where and with which value', () => {
  expect(['way of working', 'part', 'place', 'step value'].every(leads)).toBe(true)
  expect(['voice', 'sounding', 'replace or add', 'hands'].some(leads)).toBe(false)
})

it('takes the phrase that opens more out of the sentence', () => {
  const line = [
    phrase('Step', 'way of working'),
    phrase('; '),
    phrase('with ...', 'with'),
    phrase(' '),
    phrase('or ...', 'more', 'more'),
  ]
  expect(
    withoutMore(line)
      .map((p) => p.words)
      .join(''),
  ).toBe('Step; with ...')
  expect(withoutMore(line.slice(0, 2))).toHaveLength(2)
})
