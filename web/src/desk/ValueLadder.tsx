/** The ladder of step values: one rung a value, dots, and two typed numbers for n:m. */
import { useState } from 'react'
import type { Pen } from '../api/wire'
import { keyWords, byId } from '../commands/table'
import { command } from './store'

const RUNGS = ['whole', 'half', 'quarter', 'eighth', '16th', '32nd', '64th', '128th']

export function ValueLadder({ pen }: { pen: Pen }) {
  const [actual, setActual] = useState(String(pen.tuplet?.[0] ?? 3))
  const [normal, setNormal] = useState(String(pen.tuplet?.[1] ?? 2))
  const keyOf = (id: string) => keyWords(byId.get(id)?.keys[1] ?? '')
  return (
    <div className="flex flex-col gap-2">
      <div className="flex justify-between text-[0.85rem] text-faint">
        <span>coarser {keyOf('coarser')}</span><span>finer {keyOf('finer')}</span>
      </div>
      <ol className="flex flex-col">
        {RUNGS.map((base, i) => (
          <li key={base}>
            <button type="button" onClick={() => command('value', base)} aria-pressed={pen.base === base}
              className={`w-full rounded-[3px] px-2 py-0.5 text-left hover:bg-wash ${pen.base === base ? 'font-bold text-vermilion' : ''}`}
              style={{ paddingLeft: `${0.5 + i * 0.8}rem` }}>
              {base}
            </button>
          </li>
        ))}
      </ol>
      <div className="flex flex-wrap items-center gap-2 border-t border-rule pt-2">
        <button type="button" className="quiet-button" aria-pressed={pen.dots > 0} onClick={() => command('dot')}>
          {['dot', 'dotted', 'double-dotted'][pen.dots]}
        </button>
        <button type="button" className="quiet-button" aria-pressed={pen.dots_latched} onClick={() => command('dot', 'latch')}>
          {pen.dots_latched ? 'dot stays on' : 'keep the dot on'}
        </button>
      </div>
      <form className="flex flex-wrap items-center gap-2" onSubmit={(e) => { e.preventDefault(); command('tuplet', `${actual}:${normal} latch`) }}>
        <label className="flex items-center gap-1">
          <input aria-label="notes" value={actual} onChange={(e) => setActual(e.target.value)} inputMode="numeric" className="w-10 field text-center" />
          in the time of
          <input aria-label="in the time of" value={normal} onChange={(e) => setNormal(e.target.value)} inputMode="numeric" className="w-10 field text-center" />
        </label>
        <button type="submit" className="quiet-button">{pen.tuplet_latched ? 'set again' : 'stays on'}</button>
        {pen.tuplet && <button type="button" className="quiet-button" onClick={() => command('tuplet', 'off')}>no tuplet</button>}
      </form>
      <div className="flex flex-wrap items-center gap-1 border-t border-rule pt-2 text-[0.95rem]">
        <span>plus</span>
        {['half', 'quarter', 'eighth', '16th'].map((v) => <button key={v} type="button" className="quiet-button" onClick={() => command('added', v)}>{v}</button>)}
        <button type="button" className="quiet-button" onClick={() => command('added', 'off')}>nothing</button>
      </div>
      <div className="flex flex-wrap items-center gap-1 text-[0.95rem]">
        <span>next note only</span>
        {['half', 'quarter', 'eighth', '16th'].map((v) => <button key={v} type="button" className="quiet-button" onClick={() => command('next-only', v)}>{v}</button>)}
      </div>
      <form className="flex items-center gap-2" onSubmit={(e) => { e.preventDefault(); command('custom', String(new FormData(e.currentTarget).get('length') ?? '')) }}>
        <label>A length of its own, 5/16 or ticks of 960 <input name="length" className="field w-16" /></label>
      </form>
    </div>
  )
}
