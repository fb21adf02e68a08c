/** What is seldom used: notes by letter, chord symbols, harmony, one pitch for all, both hands; and any command by its words. */
import { useState } from 'react'
import type { Command, Pen } from '../api/wire'
import { COMMANDS, keyWords } from '../commands/table'
import { frame, give } from './store'

const MOST_FOUND = 6

export function MoreForm({ pen }: { pen: Pen }) {
  const [wanted, setWanted] = useState('')
  const words = wanted.toLowerCase().split(/\s+/).filter(Boolean)
  const found = words.length ? COMMANDS.filter((c) => words.every((w) => `${c.group} ${c.label}`.toLowerCase().includes(w))).slice(0, MOST_FOUND) : []
  return (
    <div className="flex flex-col gap-2">
      <label className="flex items-center gap-2">Find a command <input autoFocus value={wanted} onChange={(e) => setWanted(e.target.value)} className="field min-w-0 flex-1" placeholder="voice, undo, octave ..." /></label>
      {words.length > 0 && (
        <ul aria-label="commands found">
          {found.map((c) => (
            <li key={c.id}><button type="button" className="menu-item w-full text-left hover:bg-wash" onClick={c.run}><span>{c.label}</span><kbd>{c.keys.map(keyWords).join(' · ')}</kbd></button></li>
          ))}
          {!found.length && <li className="text-faint">No command has these words.</li>}
        </ul>
      )}
      <div className="flex flex-col gap-1 border-t border-rule pt-2">
        <TextEntry label="Write a note by its letter (F#)" give={(letter) => ({ name: 'letter', letter })} />
        <TextEntry label="Chord symbol at the pen (Bbm7), or none" give={(text) => ({ name: 'chord-symbol', text })} />
        <TextEntry label="One pitch for all keys (B4), or as played" give={(pitch) => ({ name: 'fix-pitch', pitch })} />
      </div>
      <FrameForm pen={pen} />
      <Buttons label="Hold keys to" now={pen.harmony} of={[['off', 'nothing'], ['chord', 'chord tones'], ['key', 'chord and key']]} give={(harmony) => ({ name: 'harmony', harmony })} />
      {pen.staves > 1 && (
        <Buttons label="Keys go" now={pen.hands} of={[['one', 'into one staff'], ['reach', 'to both by reach'], ['split', `split at ${pen.split === 60 ? 'middle C' : `key ${pen.split}`}`]]}
          give={(hands) => ({ name: 'hands', hands })} />
      )}
      <button type="button" className="quiet-button self-start" aria-pressed={!pen.advances} onClick={() => give({ name: 'advances' })}>
        {pen.advances ? 'let the pen stay after a step' : 'let the pen move on'}
      </button>
    </div>
  )
}

const MODES = ['major', 'minor'] as const
const SIGNATURES = Array.from({ length: 15 }, (_, k) => k - 7)
const signature = (n: number) => (n === 0 ? 'no sharps or flats' : `${Math.abs(n)} ${n < 0 ? 'flat' : 'sharp'}${Math.abs(n) === 1 ? '' : 's'}`)

/** The frame from the pen's bar on: meter, key, tempo, pick-up. What was done is said, and undone like anything else. */
function FrameForm({ pen }: { pen: Pen }) {
  const of = (form: HTMLFormElement, name: string) => String(new FormData(form).get(name) ?? '')
  const from = pen.bar_number ? `bar ${pen.bar_number}` : 'the pick-up'
  return (
    <fieldset className="flex flex-col gap-1 border-t border-rule pt-2">
      <legend className="sr-only">The frame from {from} on</legend>
      <form onSubmit={(e) => { e.preventDefault(); frame({ name: 'meter-from', bar: pen.bar, meter: of(e.currentTarget, 'meter') }) }}>
        <label className="flex items-center justify-between gap-2">Meter from {from} on, as 3/4 or 7/8 (2+2+3) <input name="meter" required maxLength={20} className="field w-24" /></label>
      </form>
      <form className="flex items-center justify-between gap-2" onSubmit={(e) => { e.preventDefault(); frame({ name: 'key-from', bar: pen.bar, fifths: Number(of(e.currentTarget, 'fifths')), mode: of(e.currentTarget, 'mode') as (typeof MODES)[number] }) }}>
        <label>Key from there <select name="fifths" defaultValue="0" className="field">{SIGNATURES.map((n) => <option key={n} value={n}>{signature(n)}</option>)}</select></label>
        <select name="mode" aria-label="mode" className="field">{MODES.map((mode) => <option key={mode}>{mode}</option>)}</select>
        <button type="submit" className="quiet-button">Set</button>
      </form>
      <form className="flex items-center justify-between gap-2" onSubmit={(e) => { e.preventDefault(); frame({ name: 'tempo-from', tick: pen.tick, bpm: Number(of(e.currentTarget, 'bpm')), text: of(e.currentTarget, 'text') }) }}>
        <label>Tempo at the pen <input name="bpm" type="number" step="any" required className="field w-20" /></label>
        <input name="text" aria-label="tempo word" maxLength={60} placeholder="its word" className="field w-28" />
        <button type="submit" className="quiet-button">Set</button>
      </form>
      <form onSubmit={(e) => { e.preventDefault(); frame({ name: 'pick-up', ticks: Math.round(Number(of(e.currentTarget, 'beats')) * QUARTER_TICKS) }) }}>
        <label className="flex items-center justify-between gap-2">Pick-up, in quarters (0: none) <input name="beats" type="number" step="0.25" min={0} required className="field w-20" /></label>
      </form>
    </fieldset>
  )
}

const QUARTER_TICKS = 23_063_040

function TextEntry({ label, give: command }: { label: string; give: (text: string) => Command }) {
  return (
    <form onSubmit={(e) => { e.preventDefault(); give(command(String(new FormData(e.currentTarget).get('text') ?? ''))) }}>
      <label className="flex items-center justify-between gap-2">{label} <input name="text" maxLength={20} className="field w-20" /></label>
    </form>
  )
}

interface ButtonsProps<T extends string> {
  readonly label: string
  readonly now: string
  readonly of: readonly (readonly [T, string])[]
  readonly give: (value: T) => Command
}

function Buttons<T extends string>({ label, now, of, give: command }: ButtonsProps<T>) {
  return (
    <div className="flex flex-wrap items-center gap-1 border-t border-rule pt-2">
      {label}
      {of.map(([value, words]) => <button key={value} type="button" className="quiet-button" aria-pressed={now === value} onClick={() => give(command(value))}>{words}</button>)}
    </div>
  )
}
