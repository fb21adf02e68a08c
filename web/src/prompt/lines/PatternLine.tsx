/** The line speaks of a pattern: what a click writes, how often it stands, which bars are varied. */
import { useEffect, useState } from 'react'
import { rest } from '../../session/rest'
import { Now, OpenPhrase, Phrase, Tail, type Option } from '../Phrase'
import { ValueLadder } from '../ValueLadder'
import type { Pen, ReadyPattern } from '../../session/wire'
import { frame, give } from '../../session/actions'
import { useDeskParts } from '../../session/store'
import { useDrums } from '../../kit/drums'
import { closePatterns, makePattern, usePattern, usePatterns } from '../../kit/pattern'

export function PatternLine({ pen }: { pen: Pen }) {
  const pattern = usePattern()
  const byMeter = usePatterns((s) => s.byMeter)
  const drums = useDrums((s) => s.list)
  const naming = drums.find((d) => d.key === pen.naming_drum)
  const [ready, setReady] = useState<readonly ReadyPattern[]>([])
  const { pieceId } = useDeskParts('pieceId')
  const bar = pattern?.first ?? pen.bar
  useEffect(() => {
    rest.readyPatterns(pieceId, bar).then(setReady, () => undefined)
  }, [pieceId, bar])
  const begin: Option[] = [
    { label: 'what is written here', act: () => makePattern(1, 1) },
    ...ready
      .filter((r) => r.fits)
      .map((r): Option => ({
        label: r.name,
        act: () => makePattern(pattern ? pattern.last - pattern.first + 1 : 1, pattern?.times ?? 1, r.name, bar),
      })),
  ]
  const lengths: Option[] = [1, 2, 4].map((bars) => ({
    label: `${bars} ${bars === 1 ? 'bar' : 'bars'}`,
    chosen: pattern ? pattern.last - pattern.first + 1 === bars : false,
    act: () => makePattern(bars, 1, '', bar),
  }))
  return (
    <>
      <span className="font-bold text-vermilion">Pattern</span> into {pen.part_name.toLowerCase()}
      {pattern ? (
        <>
          ,{' '}
          <Phrase name="bars of the pattern" options={lengths}>
            {pattern.where}
          </Phrase>
          : a click writes {/^[aeiou]/.test(pen.step_words) ? 'an' : 'a'}{' '}
          <OpenPhrase name="step value" words={pen.step_words}>
            <ValueLadder pen={pen} />
          </OpenPhrase>
          , velocity{' '}
          <Tail end=";">
            <Now act={() => usePatterns.setState({ byMeter: !byMeter })}>
              {byMeter ? 'by meter' : 'by where it is pressed'}
            </Now>
          </Tail>{' '}
          it stands{' '}
          <Tail>
            <OpenPhrase closes name="times" words={pattern.times === 1 ? 'once' : `${pattern.times} times`}>
              <TimesForm id={pattern.id} times={pattern.times} />
            </OpenPhrase>
          </Tail>{' '}
          to bar {pattern.until},{' '}
          {pattern.varied.length ? (
            <Varied pattern={pattern.id} bars={pattern.varied} />
          ) : pattern.times > 1 ? (
            'every copy follows'
          ) : (
            'copies will follow'
          )}
          ;{' '}
          <Tail>
            <Phrase name="ready pattern" options={begin}>
              a ready one
            </Phrase>
          </Tail>{' '}
          <Tail end=";">
            <Now act={() => frame({ name: 'let-pattern-go', pattern: pattern.id })}>let it be plain notes</Now>
          </Tail>{' '}
        </>
      ) : (
        <>
          : begin with{' '}
          <Tail end=";">
            <Phrase name="ready pattern" options={begin}>
              one here
            </Phrase>
          </Tail>{' '}
        </>
      )}
      {naming ? (
        <>strike the key or pad for the {naming.label};</>
      ) : (
        <>
          a pad means{' '}
          <Tail end=";">
            <OpenPhrase name="pad for a drum" words="another drum">
              <PadForm />
            </OpenPhrase>
          </Tail>
        </>
      )}{' '}
      <Tail end=".">
        <Now act={closePatterns}>done</Now>
      </Tail>
    </>
  )
}

/** Bars that are varied; each can follow again. */
function Varied({ pattern, bars }: { pattern: string; bars: readonly (readonly [number, number])[] }) {
  const options = bars.map(([bar, number]): Option => ({
    label: `bar ${number} follows again`,
    act: () => frame({ name: 'follow-pattern', pattern, bar }),
  }))
  const words = bars.length === 1 ? `bar ${bars[0]![1]} is varied` : `${bars.length} bars are varied`
  return (
    <Phrase name="varied bars" options={options}>
      {words}
    </Phrase>
  )
}

function TimesForm({ id, times }: { id: string; times: number }) {
  return (
    <form
      className="flex items-center gap-2"
      onSubmit={(e) => {
        e.preventDefault()
        frame({ name: 'repeat-pattern', pattern: id, times: Number(new FormData(e.currentTarget).get('times')) })
      }}>
      <label className="flex-1">
        Repetitions in all{' '}
        <input
          name="times"
          autoFocus
          type="number"
          min={1}
          max={200}
          required
          defaultValue={times}
          className="field w-16"
        />
      </label>
      <button type="submit" className="quiet-button">
        Set
      </button>
    </form>
  )
}

/** Choose a drum, then strike the key or pad that is to mean it. */
function PadForm() {
  const drums = useDrums((s) => s.list)
  return (
    <div className="flex flex-col gap-2">
      <label className="flex items-center gap-2">
        The next key I strike means
        <select
          className="field min-w-0 flex-1"
          defaultValue=""
          onChange={(e) => {
            if (e.target.value) give({ name: 'name-drum', drum: Number(e.target.value) })
          }}>
          <option value="">which drum?</option>
          {drums.map((d) => (
            <option key={d.key} value={d.key}>
              {d.label}
            </option>
          ))}
        </select>
      </label>
      <button type="button" className="quiet-button self-start" onClick={() => give({ name: 'name-drum' })}>
        all keys as in General MIDI again
      </button>
    </div>
  )
}
