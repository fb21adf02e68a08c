/**
 * What is seldom used: notes by letter, chord symbols, harmony, one pitch for all, both hands; and any command by its
 * words.
 */
import { useState, type ReactNode } from 'react'
import type { Command, Pen } from '../session/wire'
import { COMMANDS, hint, keyWords } from '../input/commands'
import { lookAtFrame } from '../session/chosen'
import { give } from '../session/actions'

const MOST_FOUND = 6

export function MoreForm({ pen, children }: { pen: Pen; children: ReactNode }) {
  const [wanted, setWanted] = useState('')
  const words = wanted.toLowerCase().split(/\s+/).filter(Boolean)
  const found = words.length
    ? COMMANDS.filter((c) => words.every((w) => `${c.group} ${c.label}`.toLowerCase().includes(w))).slice(0, MOST_FOUND)
    : []
  return (
    <div className="flex flex-col gap-2">
      <label className="flex items-center gap-2">
        Find a command{' '}
        <input
          autoFocus
          value={wanted}
          onChange={(e) => setWanted(e.target.value)}
          className="field min-w-0 flex-1"
          placeholder="voice, undo, octave ..."
        />
      </label>
      {words.length > 0 && (
        <ul aria-label="commands found">
          {found.map((c) => (
            <li key={c.id}>
              <button type="button" className="menu-item w-full text-left hover:bg-wash" onClick={c.run}>
                <span>{c.label}</span>
                <kbd>{c.keys.map(keyWords).join(' · ')}</kbd>
              </button>
            </li>
          ))}
          {!found.length && <li className="text-faint">No command has these words.</li>}
        </ul>
      )}
      {children || <PenMore pen={pen} />}
    </div>
  )
}

/** What is seldom wanted of the pen. */
function PenMore({ pen }: { pen: Pen }) {
  return (
    <>
      <div className="flex flex-col gap-1 border-t border-rule pt-2">
        <TextEntry label="Write a note by its letter (F#)" give={(letter) => ({ name: 'letter', letter })} />
        <TextEntry label="Chord symbol at the pen (Bbm7), or none" give={(text) => ({ name: 'chord-symbol', text })} />
        <TextEntry label="One pitch for all keys (B4), or as played" give={(pitch) => ({ name: 'fix-pitch', pitch })} />
      </div>
      <button
        type="button"
        className="quiet-button self-start"
        title={hint('frame')}
        onClick={() => lookAtFrame('bar')}>
        bars, meter, key, tempo, clef, parts
      </button>
      <button
        type="button"
        className="quiet-button self-start"
        aria-pressed={pen.naming_chord}
        title={hint('chords-by-keys')}
        onClick={() => give({ name: 'chords-by-keys' })}>
        {pen.naming_chord ? 'keys write notes again' : 'chord symbols by playing the chords'}
      </button>
      <Buttons
        label="Snap keys to"
        now={pen.harmony}
        of={[
          ['off', 'nothing'],
          ['chord', 'chord tones'],
          ['key', 'chord and key'],
          ['scale', 'the scale'],
        ]}
        give={(harmony) => ({ name: 'harmony', harmony })}
      />
      {pen.staves > 1 && (
        <Buttons
          label="Keys go"
          now={pen.hands}
          of={[
            ['one', 'into one staff'],
            ['reach', 'to both by reach'],
            ['split', `split at ${pen.split === 60 ? 'middle C' : `key ${pen.split}`}`],
          ]}
          give={(hands) => ({ name: 'hands', hands })}
        />
      )}
      <button
        type="button"
        className="quiet-button self-start text-left whitespace-normal!"
        onClick={() => give({ name: 'brushed' })}>
        keys brushed before a note are grace notes, or notes of the chord
      </button>
      <button
        type="button"
        className="quiet-button self-start"
        aria-pressed={!pen.advances}
        onClick={() => give({ name: 'advances' })}>
        {pen.advances ? 'let the pen stay after a step' : 'let the pen move on'}
      </button>
    </>
  )
}

function TextEntry({ label, give: command }: { label: string; give: (text: string) => Command }) {
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault()
        give(command(String(new FormData(e.currentTarget).get('text') ?? '')))
      }}>
      <label className="flex items-center justify-between gap-2">
        {label} <input name="text" maxLength={20} className="field w-20" />
      </label>
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
      {of.map(([value, words]) => (
        <button
          key={value}
          type="button"
          className="quiet-button"
          aria-pressed={now === value}
          onClick={() => give(command(value))}>
          {words}
        </button>
      ))}
    </div>
  )
}
