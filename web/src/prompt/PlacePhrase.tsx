/** Where the pen stands: typed as bar and beat, or held in a span of bars. */
import { useState } from 'react'
import type { Pen } from '../session/wire'
import { byId, keyWords } from '../input/commands'
import { OpenPhrase } from './Phrase'
import { give } from '../session/actions'

export function PlacePhrase({ pen, words }: { pen: Pen; words: string }) {
  const [text, setText] = useState('')
  const [first, setFirst] = useState('')
  const [last, setLast] = useState('')
  return (
    <OpenPhrase name="place" words={words}>
      <form
        onSubmit={(e) => {
          e.preventDefault()
          give({ name: 'typed-place', text })
          setText('')
        }}
        className="flex flex-col gap-2">
        <label>
          Bar and beat, as 5.2{' '}
          <input
            autoFocus
            value={text}
            maxLength={20}
            onChange={(e) => setText(e.target.value)}
            className="field w-20"
          />
        </label>
        <p className="text-[0.9rem] text-faint">
          {pen.left} in this bar. This pass began at {pen.pass_start}; {keyWords(byId.get('return')!.keys[0]!)} goes
          back there.
        </p>
        <button type="submit" className="quiet-button self-start">
          Put the pen there
        </button>
      </form>
      <form
        onSubmit={(e) => {
          e.preventDefault()
          give({ name: 'span', first: Number(first), last: Number(last || first) })
        }}
        className="mt-3 flex flex-col gap-2 border-t border-rule pt-2">
        <p className="flex flex-wrap items-center gap-1">
          <label>
            Stay in bars{' '}
            <input
              type="number"
              min={0}
              max={9999}
              required
              value={first}
              onChange={(e) => setFirst(e.target.value)}
              aria-label="first bar"
              className="field w-16"
            />
          </label>
          <label>
            to{' '}
            <input
              type="number"
              min={0}
              max={9999}
              value={last}
              onChange={(e) => setLast(e.target.value)}
              aria-label="last bar"
              className="field w-16"
            />
          </label>
        </p>
        <button type="submit" className="quiet-button self-start">
          Hold the pen there
        </button>
      </form>
    </OpenPhrase>
  )
}
