/** A new piece by one fill-in sentence with good answers filled in. */
import { useState } from 'react'
import type { NewPiece as Answers } from '../api/wire'

const LAYOUTS: NonNullable<Answers['layout']>[] = ['keys', 'singer and keys', 'melody', 'four voices']
const METERS = ['4/4', '3/4', '2/4', '2/2', '6/8', '9/8', '12/8', '5/8', '7/8', '5/4', '3/8']
const MAJOR = ['C♭', 'G♭', 'D♭', 'A♭', 'E♭', 'B♭', 'F', 'C', 'G', 'D', 'A', 'E', 'B', 'F♯', 'C♯']
const MINOR = ['A♭', 'E♭', 'B♭', 'F', 'C', 'G', 'D', 'A', 'E', 'B', 'F♯', 'C♯', 'G♯', 'D♯', 'A♯']
const KEYS = [...MAJOR.map((n, i) => ({ id: `${i - 7} major`, label: `${n} major` })), ...MINOR.map((n, i) => ({ id: `${i - 7} minor`, label: `${n} minor` }))]
const PACES: [string, number][] = [['very slow', 48], ['slow', 60], ['walking', 92], ['lively', 116], ['quick', 144]]
const COUNTS = ['no pick-up', 'a pick-up of one', 'a pick-up of two', 'a pick-up of three', 'a pick-up of four', 'a pick-up of five']

const field = 'h-8 leading-7 border-b-2 border-vermilion/45 bg-transparent font-medium focus:border-vermilion'

export function NewPiece({ onMake }: { onMake: (answers: Partial<Answers>) => void }) {
  const [layout, setLayout] = useState<NonNullable<Answers['layout']>>('keys')
  const [title, setTitle] = useState('')
  const [meter, setMeter] = useState('4/4')
  const [key, setKey] = useState('0 major')
  const [pickup, setPickup] = useState(0)
  const [bpm, setBpm] = useState(92)
  const [count, unit] = meter.split('/').map(Number) as [number, number]
  const unitName = { 2: 'half', 4: 'beat', 8: 'eighth' }[unit] ?? 'beat'
  const [fifths, mode] = key.split(' ') as [string, 'major' | 'minor']

  return (
    <form aria-label="New piece" className="font-serif text-[1.34rem] leading-10"
      onSubmit={(e) => { e.preventDefault(); onMake({ layout, title, meter, fifths: Number(fifths), mode, pickup_beats: Math.min(pickup, count - 1), bpm }) }}>
      A piece for{' '}
      <select aria-label="layout" className={field} value={layout} onChange={(e) => setLayout(e.target.value as NonNullable<Answers['layout']>)}>
        {LAYOUTS.map((l) => <option key={l}>{l}</option>)}
      </select>
      , called{' '}
      <input aria-label="title" className={`${field} w-60`} placeholder="(a title, or none yet)" value={title} onChange={(e) => setTitle(e.target.value)} />
      , in{' '}
      <select aria-label="meter" className={field} value={meter} onChange={(e) => setMeter(e.target.value)}>{METERS.map((m) => <option key={m}>{m}</option>)}</select>
      ,{' '}
      <select aria-label="key" className={field} value={key} onChange={(e) => setKey(e.target.value)}>{KEYS.map((k) => <option key={k.id} value={k.id}>{k.label}</option>)}</select>
      , with{' '}
      <select aria-label="pick-up" className={field} value={pickup} onChange={(e) => setPickup(Number(e.target.value))}>
        {COUNTS.slice(0, Math.min(count, 6)).map((c, i) => <option key={c} value={i}>{i ? `${c} ${unitName}${i > 1 ? 's' : ''}` : c}</option>)}
      </select>
      , at a pace of{' '}
      <input aria-label="beats a minute" type="number" min={20} max={300} className={`${field} w-16`} value={bpm} onChange={(e) => setBpm(Number(e.target.value))} list="paces" />
      <datalist id="paces">{PACES.map(([name, n]) => <option key={n} value={n} label={name} />)}</datalist>.{' '}
      <button type="submit" className="rounded-[3px] bg-vermilion px-3 py-0.5 font-sans text-base font-medium text-white">Begin</button>
    </form>
  )
}
