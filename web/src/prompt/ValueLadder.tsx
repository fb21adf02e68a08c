/** The ladder of step values: one rung a value, dots, and two typed numbers for n:m. */
import { useState } from 'react'
import type { NoteValue, Pen } from '../session/wire'
import { keyWords, byId } from '../input/commands'
import { give } from '../session/actions'
import { cx } from '../shell/classes'

const RUNGS = ['whole', 'half', 'quarter', 'eighth', '16th', '32nd', '64th', '128th'] as const
const SOME = ['half', 'quarter', 'eighth', '16th'] as const

export function ValueLadder({ pen }: { pen: Pen }) {
  const [actual, setActual] = useState(String(pen.tuplet?.[0] ?? 3))
  const [normal, setNormal] = useState(String(pen.tuplet?.[1] ?? 2))
  const keyOf = (id: string) => keyWords(byId.get(id)?.keys[1] ?? '')
  return (
    <div className="flex flex-col gap-2" data-ladder>
      <div className="flex justify-between text-[0.85rem] text-faint">
        <span>coarser {keyOf('coarser')}</span>
        <span>finer {keyOf('finer')}</span>
      </div>
      <ol className="flex flex-col">
        {RUNGS.map((base, i) => (
          <li key={base}>
            <button
              type="button"
              onClick={() => give({ name: 'value', base })}
              aria-pressed={pen.base === base}
              className={cx(
                'w-full rounded-[3px] px-2 py-0.5 text-left hover:bg-wash',
                pen.base === base ? 'font-bold text-vermilion' : '',
              )}
              style={{ paddingLeft: `${0.5 + i * 0.8}rem` }}>
              {base}
            </button>
          </li>
        ))}
      </ol>
      <div className="flex flex-wrap items-center gap-2 border-t border-rule pt-2">
        <button
          type="button"
          className="quiet-button"
          aria-pressed={pen.dots > 0}
          onClick={() => give({ name: 'dot' })}>
          {['dot the next note', 'dotted', 'double-dotted'][pen.dots]}
        </button>
        <button
          type="button"
          className="quiet-button"
          aria-pressed={pen.dots_latched}
          onClick={() => give({ name: 'dot', latch: true })}>
          {pen.dots_latched ? 'dot stays on' : 'keep the dot on'}
        </button>
      </div>
      <form
        className="flex flex-wrap items-center gap-2"
        onSubmit={(e) => {
          e.preventDefault()
          give({ name: 'tuplet', actual: Number(actual), normal: Number(normal), latch: true })
        }}>
        <span className="flex items-center gap-1">
          <input
            aria-label="notes"
            type="number"
            min={2}
            max={16}
            required
            value={actual}
            onChange={(e) => setActual(e.target.value)}
            className="w-12 field text-center"
          />
          in the time of
          <input
            aria-label="in the time of"
            type="number"
            min={1}
            max={16}
            required
            value={normal}
            onChange={(e) => setNormal(e.target.value)}
            className="w-12 field text-center"
          />
        </span>
        <button type="submit" className="quiet-button">
          {pen.tuplet_latched ? 'set again' : 'stays on'}
        </button>
        <button
          type="button"
          className="quiet-button"
          aria-disabled={!pen.tuplet}
          onClick={() => {
            if (pen.tuplet) give({ name: 'no-tuplet' })
          }}>
          no tuplet
        </button>
      </form>
      <div className="flex flex-wrap items-center gap-1 border-t border-rule pt-2 text-[0.95rem]">
        <span>plus</span>
        {SOME.map((base) => (
          <button key={base} type="button" className="quiet-button" onClick={() => give({ name: 'added', base })}>
            {base}
          </button>
        ))}
        <button type="button" className="quiet-button" onClick={() => give({ name: 'added' })}>
          nothing
        </button>
      </div>
      <div className="flex flex-wrap items-center gap-1 text-[0.95rem]">
        <span>next note only</span>
        {SOME.map((base) => (
          <button
            key={base}
            type="button"
            className="quiet-button"
            onClick={() => give({ name: 'next-only', value: { base } satisfies NoteValue })}>
            {base}
          </button>
        ))}
      </div>
      <form
        className="flex items-center gap-2"
        onSubmit={(e) => {
          e.preventDefault()
          give({ name: 'custom', text: String(new FormData(e.currentTarget).get('length') ?? '') })
        }}>
        <label>
          A length of its own, 5/16 or ticks of 960 <input name="length" maxLength={20} className="field w-16" />
        </label>
      </form>
    </div>
  )
}
