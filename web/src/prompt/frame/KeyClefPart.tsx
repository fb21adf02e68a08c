/** Key and clef of the frame. */
import { useState } from 'react'
import type { FrameAt } from '../../session/wire'
import { Now, Phrase, Tail, type Option } from '../Phrase'
import { doFrame, weigh } from '../../session/chosen'
import { dropHere } from './MeterTempoPart'

const CLEFS = ['treble', 'bass', 'alto', 'tenor', 'soprano', 'treble-8', 'treble+8', 'bass-8']

const MAJOR = [
  'C flat',
  'G flat',
  'D flat',
  'A flat',
  'E flat',
  'B flat',
  'F',
  'C',
  'G',
  'D',
  'A',
  'E',
  'B',
  'F sharp',
  'C sharp',
]

const MINOR = [
  'A flat',
  'E flat',
  'B flat',
  'F',
  'C',
  'G',
  'D',
  'A',
  'E',
  'B',
  'F sharp',
  'C sharp',
  'G sharp',
  'D sharp',
  'A sharp',
]

const KEYS = MAJOR.flatMap((name, i) => [
  { label: `${name} major`, fifths: i - 7, mode: 'major' as const },
  { label: `${MINOR[i]} minor`, fifths: i - 7, mode: 'minor' as const },
])

export const INTERVALS: [string, number, number][] = [
  ['minor second', 1, 1],
  ['major second', 1, 2],
  ['minor third', 2, 3],
  ['major third', 2, 4],
  ['perfect fourth', 3, 5],
  ['perfect fifth', 4, 7],
  ['octave', 7, 12],
]

const KEPT = {
  kept: 'keep their pitch',
  nearest: 'go with the key, the nearest way',
  up: 'go with the key, upwards',
  down: 'go with the key, downwards',
}

export function KeyPart({ at }: { at: FrameAt }) {
  const [notes, setNotes] = useState<keyof typeof KEPT>('kept')
  const now = (k: (typeof KEYS)[number]) => k.fifths === at.fifths && k.mode === at.mode
  const options = KEYS.map((k): Option => ({
    label: k.label,
    chosen: now(k),
    act: () => weigh({ name: 'key-from', bar: at.bar, fifths: k.fifths, mode: k.mode, notes }),
  }))
  const piece = KEYS.filter((k) => k.mode === at.mode).map((k): Option => ({
    label: k.label,
    chosen: now(k),
    act: () => weigh({ name: 'transpose-to', fifths: k.fifths }),
  }))
  const by = ([1, -1] as const).flatMap((sign) =>
    INTERVALS.map(([name, steps, semitones]): Option => ({
      label: `${name} ${sign > 0 ? 'up' : 'down'}`,
      act: () => weigh({ name: 'transpose-by', steps: sign * steps, semitones: sign * semitones }),
    })),
  )
  return (
    <>
      key{' '}
      <Tail end=";">
        <Phrase name="key" options={options}>
          {at.key}
        </Phrase>
      </Tail>{' '}
      notes{' '}
      <Tail end=";">
        <Phrase
          name="notes"
          options={(Object.keys(KEPT) as (keyof typeof KEPT)[]).map((k) => ({
            label: KEPT[k],
            chosen: k === notes,
            act: () => setNotes(k),
          }))}>
          {KEPT[notes]}
        </Phrase>
      </Tail>{' '}
      the whole piece{' '}
      <Phrase name="transpose to" options={piece}>
        to another key
      </Phrase>{' '}
      or{' '}
      <Tail end=";">
        <Phrase name="transpose by" options={by}>
          by an interval
        </Phrase>
      </Tail>{' '}
      {at.here.length > 0 && (
        <>
          <Tail>
            <Now act={() => dropHere(at)}>take this change of key away</Now>
          </Tail>{' '}
        </>
      )}
    </>
  )
}

export function ClefPart({ at }: { at: FrameAt }) {
  const options = CLEFS.map((clef): Option => ({
    label: `${clef} clef`,
    chosen: clef === at.clef,
    act: () => doFrame({ name: 'clef-from', part: at.part, staff: at.staff, tick: at.tick, clef }),
  }))
  return (
    <>
      <Tail>
        <Phrase name="clef" options={options}>{`${at.clef} clef`}</Phrase>
      </Tail>{' '}
      from here on;{' '}
      {at.here.length > 0 && (
        <>
          <Tail end=";">
            <Now act={() => dropHere(at)}>take this change of clef away</Now>
          </Tail>
        </>
      )}
    </>
  )
}
