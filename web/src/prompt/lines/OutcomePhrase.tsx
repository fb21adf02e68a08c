/** What becomes of the player's time: each outcome says before what will move; a steady tempo can be typed. */
import { useState } from 'react'
import type { LinePhrase, ReadingChoice } from '../../session/wire'
import { OpenPhrase } from '../Phrase'
import { Radios } from '../Radios'
import { setReading } from '../../reading/reading'

export function OutcomePhrase({ phrase }: { phrase: LinePhrase }) {
  const [tempo, setTempo] = useState('')
  return (
    <OpenPhrase name={phrase.name} words={phrase.words}>
      <Radios
        label={phrase.name}
        className="flex flex-col"
        item={() => 'menu-item text-left hover:bg-wash'}
        answers={phrase.choices.map((c) => ({
          label: c.label,
          chosen: c.chosen,
          act: () => setReading(c.do as ReadingChoice),
        }))}
      />
      <form
        className="mt-2 flex flex-col gap-2 border-t border-rule pt-2"
        onSubmit={(e) => {
          e.preventDefault()
          setReading({ name: 'time', outcome: 'steady', tempo: Number(tempo) })
        }}>
        <label className="flex items-center justify-between gap-2">
          One tempo, rounded to{' '}
          <input
            type="number"
            step="any"
            required
            value={tempo}
            onChange={(e) => setTempo(e.target.value)}
            aria-label="rounded tempo"
            className="field w-20"
          />
        </label>
        <button type="submit" className="quiet-button self-start">
          Take this tempo
        </button>
        <p className="text-[0.9rem] text-faint">
          Times that were played are never lost: any of these can be chosen again. Later takes are clicked at what
          stands here.
        </p>
      </form>
    </OpenPhrase>
  )
}
