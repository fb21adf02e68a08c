/** The line of a recording; its words come from the server (core/recording/line.py). */
import { useState } from 'react'
import type { LinePhrase, Pen, RecordChoice, RecordLine as RecordLineData } from '../../session/wire'
import { OpenPhrase, Phrase } from '../Phrase'
import { PlacePhrase } from '../PlacePhrase'
import { Radios } from '../Radios'
import { give, send } from '../../session/actions'
import { useDesk } from '../../session/store'
import { Levels } from '../../margin/Levels'

export const setRecord = (choice: RecordChoice) => send({ type: 'record-set', do: choice })

/** A choice of the line may be one of the recording, or move the pen. */
function act(choice: LinePhrase['choices'][number]): void {
  if (choice.do.name?.startsWith('record-')) setRecord(choice.do as RecordChoice)
  else give(choice.do as Parameters<typeof give>[0])
}

export function RecordPart({ phrase, pen, record }: { phrase: LinePhrase; pen: Pen; record: RecordLineData }) {
  if (phrase.form === 'place') return <PlacePhrase pen={pen} words={phrase.words} />
  if (phrase.form === 'tempo') return <TempoPhrase phrase={phrase} record={record} />
  if (phrase.form === 'until') return <UntilPhrase phrase={phrase} pen={pen} />
  if (phrase.name === 'click')
    return (
      <OpenPhrase name="click" words={phrase.words}>
        <Choices phrase={phrase} />
        <Levels />
      </OpenPhrase>
    )
  return (
    <Phrase
      name={phrase.name}
      options={phrase.choices.map((c) => ({ label: c.label, chosen: c.chosen, act: () => act(c) }))}>
      {phrase.words}
    </Phrase>
  )
}

/** What a phrase could say, as buttons of its form. */
function Choices({ phrase }: { phrase: LinePhrase }) {
  return (
    <Radios
      label={phrase.name}
      className="flex flex-col"
      item={() => 'menu-item text-left hover:bg-wash'}
      answers={phrase.choices.map((c) => ({ label: c.label, chosen: c.chosen, act: () => act(c) }))}
    />
  )
}

/** Any tempo, typed: beats a minute, or percent of what is written. */
function TempoPhrase({ phrase, record }: { phrase: LinePhrase; record: RecordLineData }) {
  const state = useDesk((s) => s.state)
  const [bpm, setBpm] = useState('')
  const [percent, setPercent] = useState('')
  const quarters = state ? state.quarters_per_minute / state.beats_per_minute : 1
  const bends = record.bends ? ' The click goes with you all the same.' : ''
  return (
    <OpenPhrase name={phrase.name} words={phrase.words}>
      <Choices phrase={phrase} />
      <form
        className="mt-2 flex flex-col gap-2 border-t border-rule pt-2"
        onSubmit={(e) => {
          e.preventDefault()
          if (bpm) setRecord({ name: 'record-tempo', tempo: { name: 'one-tempo', qpm: Number(bpm) * quarters } })
          else if (percent) setRecord({ name: 'record-tempo', tempo: { name: 'as-written', percent: Number(percent) } })
        }}>
        <label className="flex items-center justify-between gap-2">
          One tempo, beats a minute{' '}
          <input
            type="number"
            step="any"
            value={bpm}
            onChange={(e) => {
              setBpm(e.target.value)
              setPercent('')
            }}
            aria-label="beats a minute"
            className="field w-20"
          />
        </label>
        <label className="flex items-center justify-between gap-2">
          or percent of the written{' '}
          <input
            type="number"
            step="any"
            value={percent}
            onChange={(e) => {
              setPercent(e.target.value)
              setBpm('')
            }}
            aria-label="percent"
            className="field w-20"
          />
        </label>
        <button type="submit" className="quiet-button self-start">
          Take this tempo
        </button>
        <p className="text-[0.9rem] text-faint">
          The tempo of the piece stays what it is; a take at another tempo is written the same.{bends}
        </p>
      </form>
    </OpenPhrase>
  )
}

/** How far is written: any bar number, typed. */
function UntilPhrase({ phrase, pen }: { phrase: LinePhrase; pen: Pen }) {
  const [last, setLast] = useState('')
  return (
    <OpenPhrase name={phrase.name} words={phrase.words}>
      <Choices phrase={phrase} />
      <form
        className="mt-2 flex flex-col gap-2 border-t border-rule pt-2"
        onSubmit={(e) => {
          e.preventDefault()
          setRecord({ name: 'record-until', bar: pen.bar + Number(last) - pen.bar_number })
        }}>
        <label>
          Only to the end of bar{' '}
          <input
            type="number"
            min={pen.bar_number}
            max={9999}
            required
            value={last}
            onChange={(e) => setLast(e.target.value)}
            aria-label="last bar written"
            className="field w-16"
          />
        </label>
        <button type="submit" className="quiet-button self-start">
          Write only these bars
        </button>
        <p className="text-[0.9rem] text-faint">
          The music around them is heard and stays; the recording ends by itself behind the last bar.
        </p>
      </form>
    </OpenPhrase>
  )
}
