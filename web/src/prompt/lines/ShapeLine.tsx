/** The line speaks of how notes sound: quantize in place as one sentence, or velocities; what it would do is counted before it is done. */
import { useEffect, useState, type ReactNode } from 'react'
import type { InPlace } from '../../session/wire'
import { hint } from '../../input/commands'
import { Now, OpenPhrase, Phrase, Tail, type Option } from '../Phrase'
import { useDesk } from '../../session/store'
import { numberShift, toggleAsPlayed } from '../../playback/listening'
import { useHow } from '../../playback/settings'
import { closeShape, meant, quantizeNow, setInPlace, shapeNotes, showBars, useInPlace, useShape, weighAgain } from '../../shape/shape'

const GRIDS: readonly [NonNullable<InPlace['grid']>, string][] = [['half', 'halves'], ['quarter', 'quarters'], ['eighth', 'eighths'], ['16th', '16ths'], ['32nd', '32nds']]
const KINDS = ['straight', 'triplet', 'dotted'] as const
const WHAT: readonly [string, Pick<InPlace, 'onsets' | 'ends' | 'lengths'>][] = [
  ['onsets', { onsets: true, ends: false, lengths: false }], ['ends', { onsets: false, ends: true, lengths: false }], ['lengths', { onsets: false, ends: false, lengths: true }],
  ['onsets and ends', { onsets: true, ends: true, lengths: false }], ['onsets and lengths', { onsets: true, ends: false, lengths: true }],
]

/** A small form with one number. */
function Number_({ label, name, value, min, max, give, children }: { label: string; name: string; value: number; min: number; max: number; give: (n: number) => void; children?: ReactNode }) {
  return (
    <form className="flex flex-wrap items-center gap-2" onSubmit={(e) => { e.preventDefault(); give(Number(new FormData(e.currentTarget).get(name))) }}>
      <label className="flex-1">{label} <input name={name} autoFocus type="number" step="any" min={min} max={max} required defaultValue={value} className="field w-20" /></label>
      <button type="submit" className="quiet-button">Set</button>
      {children}
    </form>
  )
}

export function ShapeLine() {
  const view = useShape((s) => s.view)
  const data = useShape((s) => s.data)
  const selection = useDesk((s) => s.selection)
  useEffect(weighAgain, [selection, data, view])
  const count = meant().length
  const these = `${selection.size && count < (data?.notes.length ?? 0) ? 'these' : 'all'} ${count} ${count === 1 ? 'note' : 'notes'}`
  return (
    <>
      {view === 'times' ? <Times these={these} /> : <Velocities these={these} />}{' '}
      <BarsPhrase />{' '}<Tail><Now act={() => useShape.setState({ view: view === 'times' ? 'velocities' : 'times' })}>{view === 'times' ? 'velocities' : 'times'}</Now></Tail>{' '}
      <ListPhrase />{' '}<Tail end="."><Now act={closeShape} command="shape">done</Now></Tail>
      <Counts />
    </>
  )
}

function ListPhrase() {
  const list = useShape((s) => s.list)
  return <Tail><Now act={() => useShape.setState({ list: !list })}>{list ? 'as strokes' : 'as a list'}</Now></Tail>
}

/** What quantize in place would do. */
function Counts() {
  const weighed = useShape((s) => s.weighed)
  const view = useShape((s) => s.view)
  const asPlayed = useHow((h) => h.asPlayed)
  if (view !== 'times' || !weighed) return null
  return (
    <span className="block text-[0.95rem] leading-5 text-faint" data-testid="in-place-counts">
      {weighed.words} <button type="button" className="underline" title={hint('as-played')} onClick={toggleAsPlayed}>{asPlayed ? 'hear it as set' : 'hear it as played'}</button>
    </span>
  )
}

function BarsPhrase() {
  const first = useShape((s) => s.first)
  const last = useShape((s) => s.last)
  const by = numberShift()
  return (
    <Tail><OpenPhrase closes name="bars of the strip" words={first === last ? `bar ${first + by}` : `bars ${first + by} to ${last + by}`}>
      <form className="flex items-center gap-2" onSubmit={(e) => { e.preventDefault(); const g = new FormData(e.currentTarget); showBars(Number(g.get('first')) - by, Number(g.get('last')) - by) }}>
        <label>Bars <input name="first" autoFocus required type="number" min={by} max={9999} defaultValue={first + by} className="field w-16" /></label>
        <label>to <input name="last" required type="number" min={by} max={9999} defaultValue={last + by} className="field w-16" /></label>
        <button type="submit" className="quiet-button">Show</button>
      </form>
    </OpenPhrase></Tail>
  )
}

function Times({ these }: { these: string }) {
  const how = useInPlace((s) => s.how)
  const what = WHAT.find(([, w]) => w.onsets === how.onsets && w.ends === how.ends && w.lengths === how.lengths)?.[0] ?? 'onsets'
  const grid = GRIDS.find(([g]) => g === how.grid)![1]
  const longShort = how.long_short ?? 50
  const ahead = how.ahead_ms ?? 0
  const far = [100, 80, 60, 50, 40, 20].map((p): Option => ({ label: `${p} % of the way`, chosen: how.far === p, act: () => setInPlace({ far: p }) }))
  const within = [[50, 'all of them'], [40, 'only those within 40 %'], [25, 'only those within 25 %'], [10, 'only those within 10 %']] as const
  const ahead_ = ahead ? `${Math.abs(ahead)} ms ${ahead > 0 ? 'behind' : 'ahead of'} the beat` : 'on the beat'
  return (
    <>
      <Now act={quantizeNow} strong command="quantize-again">Bring</Now>{' '}
      <Phrase name="what moves" options={WHAT.map(([label, w]) => ({ label, chosen: label === what, act: () => setInPlace(w) }))}>{what}</Phrase> of {these}{' '}
      <Phrase name="how far" options={far}>{`${how.far} % of the way`}</Phrase> to{' '}
      <Phrase name="kind of grid" options={KINDS.map((kind) => ({ label: kind, chosen: kind === how.kind, act: () => setInPlace({ kind }) }))}>{how.kind ?? 'straight'}</Phrase>{' '}
      <Tail><Phrase name="grid" options={GRIDS.map(([g, label]) => ({ label, chosen: g === how.grid, act: () => setInPlace({ grid: g }) }))}>{grid}</Phrase></Tail>{' '}
      <Tail end=";"><Phrase name="only within" options={within.map(([p, label]) => ({ label: p === 50 ? label : `${label} of a step`, chosen: how.within === p, act: () => setInPlace({ within: p }) }))}>{(how.within ?? 50) >= 50 ? 'all of them' : `only those within ${how.within} % of a step`}</Phrase></Tail>{' '}
      pairs <Tail end=";"><OpenPhrase closes name="long and short" words={longShort === 50 ? 'even' : `${longShort} ${longShort > 50 ? 'long' : 'short'}, ${Math.round((100 - longShort) * 10) / 10} ${longShort > 50 ? 'short' : 'long'}`}><LongShort now={longShort} /></OpenPhrase></Tail>{' '}
      <Tail end=";"><OpenPhrase closes name="ahead or behind" words={ahead_}><Number_ label="Milliseconds behind the beat (ahead: minus)" name="ahead" value={ahead} min={-200} max={200} give={(ahead_ms) => setInPlace({ ahead_ms })} /></OpenPhrase></Tail>{' '}
      unevenness <Tail end=";"><OpenPhrase closes name="unevenness" words={how.uneven_ms ? `up to ${how.uneven_ms} ms` : 'none'}><Uneven now={how} /></OpenPhrase></Tail>{' '}
      <Tail><Now act={() => shapeNotes({ name: 'sound-as-before' })}>as before</Now></Tail>
    </>
  )
}

function Uneven({ now }: { now: InPlace }) {
  return (
    <Number_ label="Up to milliseconds" name="uneven" value={now.uneven_ms ?? 0} min={0} max={200} give={(uneven_ms) => setInPlace({ uneven_ms })}>
      <button type="button" className="underline" onClick={() => setInPlace({ seed: (now.seed ?? 1) + 1 })}>another throw of the dice</button>
    </Number_>
  )
}

/** Which of each pair gets longer: said, and drawn. */
function LongShort({ now }: { now: number }) {
  const [share, setShare] = useState(now)
  const words = share === 50 ? 'Both are even.' : `The ${share > 50 ? 'first' : 'second'} of each pair gets longer: ${share} to ${Math.round((100 - share) * 10) / 10}.`
  return (
    <form className="flex flex-col gap-2" onSubmit={(e) => { e.preventDefault(); setInPlace({ long_short: share }) }}>
      <label className="flex items-center gap-2">The first of a pair takes <input autoFocus type="number" step="any" min={25} max={75} value={share} onChange={(e) => setShare(Number(e.target.value))} className="field w-20" /> %</label>
      <svg viewBox="0 0 200 26" className="w-full" role="img" aria-label={words}>
        {[0, 100].map((from) => (
          <g key={from}>
            <path d={`M${from + 1} 5L${from + share - 3} 12V14L${from + 1} 21Z`} fill="var(--color-ink)" />
            <path d={`M${from + share} 5L${from + 97} 12V14L${from + share} 21Z`} fill="var(--color-verdigris)" />
          </g>
        ))}
      </svg>
      <p className="text-[0.95rem]">{words}</p>
      <p className="flex gap-3">{[50, 58, 66.7, 42].map((p) => <button key={p} type="button" className="underline" onClick={() => setShare(p)}>{p === 66.7 ? '66.7 (triplet)' : p}</button>)}<button type="submit" className="quiet-button ml-auto">Set</button></p>
    </form>
  )
}

function Velocities({ these }: { these: string }) {
  const sets: Option[] = [32, 48, 64, 80, 96, 112].map((velocity) => ({ label: `all at ${velocity}`, act: () => shapeNotes({ name: 'velocity', velocity }) }))
  const adds: Option[] = [-20, -10, -5, 5, 10, 20].map((by) => ({ label: `${by > 0 ? '+' : ''}${by} on each`, act: () => shapeNotes({ name: 'velocity', by }) }))
  return (
    <>
      <span className="font-bold text-vermilion">Velocities</span> of {these}: <Tail><Phrase name="set all" options={sets}>set</Phrase></Tail>{' '}
      <Tail><Phrase name="add to each" options={adds}>add</Phrase></Tail>{' '}
      <Tail><OpenPhrase closes name="scale" words="scale"><Number_ label="Percent of what they are" name="percent" value={100} min={1} max={400} give={(percent) => shapeNotes({ name: 'scale-velocity', percent })} /></OpenPhrase></Tail>{' '}
      <Tail><OpenPhrase closes name="limit" words="limit"><Two labels={['Not under', 'nor over']} values={[30, 110]} give={(low, high) => shapeNotes({ name: 'limit-velocity', low, high })} /></OpenPhrase></Tail>{' '}
      <Tail><OpenPhrase closes name="gradually" words="gradually"><Two labels={['From', 'to']} values={[50, 100]} give={(first, last) => shapeNotes({ name: 'gradual-velocity', first, last })} /></OpenPhrase></Tail>{' '}
      <Tail><OpenPhrase closes name="accents by meter" words="accents by meter"><Number_ label="The bar line louder by" name="by" value={12} min={-60} max={60} give={(by) => shapeNotes({ name: 'accent-velocity', by })} /></OpenPhrase></Tail>{' '}
      <Tail end=";"><OpenPhrase closes name="at random" words="at random"><Two labels={['Up to', 'seed']} values={[8, 1]} give={(by, seed) => shapeNotes({ name: 'random-velocity', by, seed })} /></OpenPhrase></Tail>
    </>
  )
}

function Two({ labels, values, give }: { labels: readonly [string, string]; values: readonly [number, number]; give: (a: number, b: number) => void }) {
  return (
    <form className="flex items-center gap-2" onSubmit={(e) => { e.preventDefault(); const g = new FormData(e.currentTarget); give(Number(g.get('a')), Number(g.get('b'))) }}>
      <label>{labels[0]} <input name="a" autoFocus type="number" min={1} max={127} required defaultValue={values[0]} className="field w-16" /></label>
      <label>{labels[1]} <input name="b" type="number" min={1} max={9999} required defaultValue={values[1]} className="field w-16" /></label>
      <button type="submit" className="quiet-button">Do it</button>
    </form>
  )
}
