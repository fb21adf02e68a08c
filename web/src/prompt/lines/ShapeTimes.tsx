/** What quantize in place does with times: grid, strength, ends, long and short. */
import { useState, type ReactNode } from 'react'
import type { InPlace } from '../../session/wire'
import { Now, OpenPhrase, Phrase, Tail, type Option } from '../Phrase'
import { quantizeNow, setInPlace, shapeNotes, useInPlace } from '../../shape/shape'

const GRIDS: readonly [NonNullable<InPlace['grid']>, string][] = [
  ['half', 'halves'],
  ['quarter', 'quarters'],
  ['eighth', 'eighths'],
  ['16th', '16ths'],
  ['32nd', '32nds'],
]

const KINDS = ['straight', 'triplet', 'dotted'] as const

const WHAT: readonly [string, Pick<InPlace, 'onsets' | 'ends' | 'lengths'>][] = [
  ['onsets', { onsets: true, ends: false, lengths: false }],
  ['ends', { onsets: false, ends: true, lengths: false }],
  ['lengths', { onsets: false, ends: false, lengths: true }],
  ['onsets and ends', { onsets: true, ends: true, lengths: false }],
  ['onsets and lengths', { onsets: true, ends: false, lengths: true }],
]

/** A small form with one number. */
export function Number_({
  label,
  name,
  value,
  min,
  max,
  give,
  children,
}: {
  label: string
  name: string
  value: number
  min: number
  max: number
  give: (n: number) => void
  children?: ReactNode
}) {
  return (
    <form
      className="flex flex-wrap items-center gap-2"
      onSubmit={(e) => {
        e.preventDefault()
        give(Number(new FormData(e.currentTarget).get(name)))
      }}>
      <label className="flex-1">
        {label}{' '}
        <input
          name={name}
          autoFocus
          type="number"
          step="any"
          min={min}
          max={max}
          required
          defaultValue={value}
          className="field w-20"
        />
      </label>
      <button type="submit" className="quiet-button">
        Set
      </button>
      {children}
    </form>
  )
}

/** What is left of a hundred, to one decimal. */
const rest = (share: number) => Math.round((100 - share) * 10) / 10

export function Times({ these }: { these: string }) {
  const how = useInPlace((s) => s.how)
  const what =
    WHAT.find(([, w]) => w.onsets === how.onsets && w.ends === how.ends && w.lengths === how.lengths)?.[0] ?? 'onsets'
  const grid = GRIDS.find(([g]) => g === how.grid)![1]
  const longShort = how.long_short ?? 50
  const ahead = how.ahead_ms ?? 0
  const far = [100, 80, 60, 50, 40, 20].map((p): Option => ({
    label: `${p} % of the way`,
    chosen: how.far === p,
    act: () => setInPlace({ far: p }),
  }))
  const within = [
    [50, 'all of them'],
    [40, 'only those within 40 %'],
    [25, 'only those within 25 %'],
    [10, 'only those within 10 %'],
  ] as const
  const ahead_ = ahead ? `${Math.abs(ahead)} ms ${ahead > 0 ? 'behind' : 'ahead of'} the beat` : 'on the beat'
  return (
    <>
      <Now act={quantizeNow} strong command="quantize-again">
        Bring
      </Now>{' '}
      <Phrase
        name="what moves"
        options={WHAT.map(([label, w]) => ({ label, chosen: label === what, act: () => setInPlace(w) }))}>
        {what}
      </Phrase>{' '}
      of {these} <Phrase name="how far" options={far}>{`${how.far} % of the way`}</Phrase> to{' '}
      <Phrase
        name="kind of grid"
        options={KINDS.map((kind) => ({ label: kind, chosen: kind === how.kind, act: () => setInPlace({ kind }) }))}>
        {how.kind ?? 'straight'}
      </Phrase>{' '}
      <Tail>
        <Phrase
          name="grid"
          options={GRIDS.map(([g, label]) => ({ label, chosen: g === how.grid, act: () => setInPlace({ grid: g }) }))}>
          {grid}
        </Phrase>
      </Tail>{' '}
      <Tail end=";">
        <Phrase
          name="only within"
          options={within.map(([p, label]) => ({
            label: p === 50 ? label : `${label} of a step`,
            chosen: how.within === p,
            act: () => setInPlace({ within: p }),
          }))}>
          {(how.within ?? 50) >= 50 ? 'all of them' : `only those within ${how.within} % of a step`}
        </Phrase>
      </Tail>{' '}
      pairs{' '}
      <Tail end=";">
        <OpenPhrase
          closes
          name="long and short"
          words={
            longShort === 50
              ? 'even'
              : `${longShort} ${longShort > 50 ? 'long' : 'short'}, ${rest(longShort)} ` +
                (longShort > 50 ? 'short' : 'long')
          }>
          <LongShort now={longShort} />
        </OpenPhrase>
      </Tail>{' '}
      <Tail end=";">
        <OpenPhrase closes name="ahead or behind" words={ahead_}>
          <Number_
            label="Milliseconds behind the beat (ahead: minus)"
            name="ahead"
            value={ahead}
            min={-200}
            max={200}
            give={(ahead_ms) => setInPlace({ ahead_ms })}
          />
        </OpenPhrase>
      </Tail>{' '}
      unevenness{' '}
      <Tail end=";">
        <OpenPhrase closes name="unevenness" words={how.uneven_ms ? `up to ${how.uneven_ms} ms` : 'none'}>
          <Uneven now={how} />
        </OpenPhrase>
      </Tail>{' '}
      <Tail>
        <Now act={() => shapeNotes({ name: 'sound-as-before' })}>as before</Now>
      </Tail>
    </>
  )
}

function Uneven({ now }: { now: InPlace }) {
  return (
    <Number_
      label="Up to milliseconds"
      name="uneven"
      value={now.uneven_ms ?? 0}
      min={0}
      max={200}
      give={(uneven_ms) => setInPlace({ uneven_ms })}>
      <button type="button" className="underline" onClick={() => setInPlace({ seed: (now.seed ?? 1) + 1 })}>
        another throw of the dice
      </button>
    </Number_>
  )
}

/** Which of each pair gets longer: said, and drawn. */
function LongShort({ now }: { now: number }) {
  const [share, setShare] = useState(now)
  const words =
    share === 50
      ? 'Both are even.'
      : `The ${share > 50 ? 'first' : 'second'} of each pair gets longer: ${share} to ${rest(share)}.`
  return (
    <form
      className="flex flex-col gap-2"
      onSubmit={(e) => {
        e.preventDefault()
        setInPlace({ long_short: share })
      }}>
      <label className="flex items-center gap-2">
        The first of a pair takes{' '}
        <input
          autoFocus
          type="number"
          step="any"
          min={25}
          max={75}
          value={share}
          onChange={(e) => setShare(Number(e.target.value))}
          className="field w-20"
        />{' '}
        %
      </label>
      <svg viewBox="0 0 200 26" className="w-full" role="img" aria-label={words}>
        {[0, 100].map((from) => (
          <g key={from}>
            <path d={`M${from + 1} 5L${from + share - 3} 12V14L${from + 1} 21Z`} fill="var(--color-ink)" />
            <path d={`M${from + share} 5L${from + 97} 12V14L${from + share} 21Z`} fill="var(--color-verdigris)" />
          </g>
        ))}
      </svg>
      <p className="text-[0.95rem]">{words}</p>
      <p className="flex gap-3">
        {[50, 58, 66.7, 42].map((p) => (
          <button key={p} type="button" className="underline" onClick={() => setShare(p)}>
            {p === 66.7 ? '66.7 (triplet)' : p}
          </button>
        ))}
        <button type="submit" className="quiet-button ml-auto">
          Set
        </button>
      </p>
    </form>
  )
}
