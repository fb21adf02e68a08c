/** Meter, pick-up and tempo of the frame. */
import { useState } from 'react'
import type { FrameAt } from '../../session/wire'
import { Now, OpenPhrase, Phrase, Tail, type Option } from '../Phrase'
import { doFrame, editMarks, leaveFrame, openWith, usePage, weigh } from '../../session/chosen'
import { One, formText } from './FrameForms'

const METERS = [
  '4/4',
  '3/4',
  '2/4',
  '2/2',
  '6/8',
  '9/8',
  '12/8',
  '3/8',
  'C',
  'cut',
  '5/4',
  '5/8 (2+3)',
  '5/8 (3+2)',
  '7/8 (2+2+3)',
  '7/8 (3+2+2)',
  '8/8 (3+3+2)',
]

export function MeterPart({ at }: { at: FrameAt }) {
  const [values, setValues] = useState<'kept' | 'scaled'>('kept')
  const to = (meter: string) => weigh({ name: 'meter-from', bar: at.bar, meter, values })
  const options = METERS.map((meter): Option => ({ label: meter, chosen: meter === at.meter, act: () => to(meter) }))
  return (
    <>
      meter{' '}
      <Tail>
        <Phrase name="meter" options={options}>
          {at.meter}
        </Phrase>
      </Tail>{' '}
      <Tail>
        <OpenPhrase closes name="any meter" words="or any other">
          <One label="Meter, as 7/8 (2+2+3)" name="meter" give={to} />
        </OpenPhrase>
      </Tail>{' '}
      values{' '}
      <Tail end=";">
        <Phrase
          name="values"
          options={(['kept', 'scaled'] as const).map((v) => ({
            label: v === 'kept' ? 'kept: bar lines move' : 'scaled: each bar stays a bar',
            chosen: v === values,
            act: () => setValues(v),
          }))}>
          {values}
        </Phrase>
      </Tail>{' '}
      {at.bar === 0 && (
        <>
          pick-up{' '}
          <Tail end=";">
            <OpenPhrase closes name="pick-up" words={at.pickup ? `of ${at.pickup / 960} quarters` : 'none'}>
              <One
                label="Length in quarters (0: none)"
                name="quarters"
                value={at.pickup / 960}
                number
                className="w-20"
                give={(q) => weigh({ name: 'pick-up', ticks: Math.round(Number(q) * QUARTER_TICKS) })}
              />
            </OpenPhrase>
          </Tail>{' '}
        </>
      )}
    </>
  )
}

const QUARTER_TICKS = 23_063_040

export function dropHere(at: FrameAt) {
  usePage.setState({
    marks: {
      type: 'marks-chosen',
      ids: at.here,
      words: '',
      movable: false,
      moved: false,
      bends: false,
      spans: false,
      text: '',
      start: 0,
      end: 0,
      part: at.part,
      staff: at.staff,
    },
  })
  editMarks({ name: 'drop-marks' })
  leaveFrame()
}

export function TempoPart({ at }: { at: FrameAt }) {
  return (
    <>
      <form
        className="inline-flex flex-wrap items-baseline gap-2"
        onSubmit={(e) => {
          e.preventDefault()
          ;(document.activeElement as HTMLElement | null)?.blur() // the keys are commands again
          doFrame({
            name: 'tempo-from',
            tick: at.tick,
            bpm: Number(formText(e.currentTarget, 'bpm')),
            upto: Number(formText(e.currentTarget, 'upto')) || null,
            text: formText(e.currentTarget, 'word'),
          })
        }}>
        <label>
          word <input name="word" defaultValue={at.tempo_text} maxLength={60} className="field w-36 text-base" />
        </label>
        <label>
          {at.beat} ={' '}
          <input
            name="bpm"
            autoFocus
            type="number"
            step="any"
            required
            defaultValue={at.bpm}
            className="field w-20 text-base"
          />
        </label>
        <label>
          to <input name="upto" type="number" step="any" placeholder="(...)" className="field w-20 text-base" />
        </label>
        <button type="submit" className="quiet-button">
          Set it from here on
        </button>
      </form>{' '}
      rit., accel., a tempo:{' '}
      <Tail end=";">
        <Now
          act={() => {
            leaveFrame()
            openWith(true)
          }}>
          with ...
        </Now>
      </Tail>{' '}
      {at.here.length > 0 && (
        <>
          <Tail end=";">
            <Now act={() => dropHere(at)}>take this mark away</Now>
          </Tail>
        </>
      )}
    </>
  )
}
