import { expect, it } from 'vitest'
import { stageWords } from './Why'

it('says how sure a stage is and what else it could be, where anything was weighed', () => {
  const stage = { name: 'place', decided: 'bar 1, beat 2', because: 'it was struck on it' }
  expect(stageWords({ ...stage, probability: 0.957, rivals: [['bar 1, beat 2½', 0.034]] })).toBe(
    'bar 1, beat 2 (96 %), for it was struck on it; else bar 1, beat 2½ (3 %)',
  )
  expect(stageWords({ ...stage, probability: null, rivals: [] })).toBe('bar 1, beat 2, for it was struck on it')
})
