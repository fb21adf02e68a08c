/**
 * Anything by typed words: an instruction ("bars 5 to 8 an octave higher"), with what it would change before it is
 * done, or a command by its name; below, what is seldom used.
 */
import { useEffect, useState, type FormEvent, type ReactNode } from 'react'
import { Popover } from 'radix-ui'
import type { Command, Pen } from '../session/wire'
import { COMMANDS, hint, keyWords } from '../input/commands'
import { lookAtFrame } from '../session/chosen'
import { give } from '../session/actions'
import { showWhatWouldChange } from '../sheet/would'
import { askInWords, carryOut, toldOf, useInstruction } from './instruction'

const MOST_FOUND = 5

const commandsWith = (words: readonly string[]) =>
  words.length
    ? COMMANDS.filter((c) => words.every((w) => `${c.group} ${c.label}`.toLowerCase().includes(w))).slice(0, MOST_FOUND)
    : []

export function MoreForm({ pen, onDone, children }: { pen: Pen; onDone: () => void; children: ReactNode }) {
  const [wanted, setWanted] = useState('')
  const [entered, setEntered] = useState(false) // Enter came before the answer did
  const told = useInstruction((s) => toldOf(s.told, wanted))
  const found = commandsWith(wanted.toLowerCase().split(/\s+/).filter(Boolean))
  useEffect(() => askInWords(wanted), [wanted])
  useEffect(() => showWhatWouldChange(told?.steps.flatMap((s) => s.ids) ?? []), [told])
  const take = () => {
    if (told?.steps.length) carryOut(told)
    else if (found[0]) found[0].run()
    else return
    onDone()
  }
  useEffect(() => {
    if (entered && told) {
      setEntered(false)
      take()
    }
  }, [entered, told])
  const onSubmit = (e: FormEvent) => {
    e.preventDefault()
    if (told || !wanted.trim()) take()
    else setEntered(true)
  }
  return (
    <div className="flex flex-col gap-2">
      <form onSubmit={onSubmit}>
        <label className="flex items-center gap-2">
          Say it, or find it{' '}
          <input
            autoFocus
            value={wanted}
            maxLength={400}
            onChange={(e) => setWanted(e.target.value)}
            className="field min-w-0 flex-1"
            placeholder="bars 5 to 8 an octave higher, tempo 84 from bar 9, mf to f, undo ..."
          />
        </label>
        {entered && !told && <p className="mt-2 text-faint">It is done as soon as Ductus answers.</p>}
        {told && (told.steps.length > 0 || !found.length) && (
          <p role="status" className="mt-2" data-testid="would">
            {told.steps.length ? (
              <button type="submit" className="menu-item w-full bg-wash text-left font-medium">
                <span>{told.words}</span>
                <kbd>Enter</kbd>
              </button>
            ) : (
              <span className="text-faint">{told.words}</span>
            )}
          </p>
        )}
      </form>
      {found.length > 0 && (
        <ul aria-label="commands found">
          {found.map((c) => (
            <li key={c.id}>
              <Popover.Close asChild>
                <button type="button" className="menu-item w-full text-left hover:bg-wash" onClick={c.run}>
                  <span>{c.label}</span>
                  <kbd>{c.keys.map(keyWords).join(' · ')}</kbd>
                </button>
              </Popover.Close>
            </li>
          ))}
        </ul>
      )}
      {!wanted && (children || <PenMore pen={pen} />)}
    </div>
  )
}

/** What is seldom wanted of the pen. */
function PenMore({ pen }: { pen: Pen }) {
  return (
    <div className="grid grid-cols-[5fr_6fr] items-start gap-x-6 gap-y-2 border-t border-rule pt-2 max-md:grid-cols-1">
      <div className="flex flex-col gap-1">
        <TextEntry label="A note by its letter (F#)" give={(letter) => ({ name: 'letter', letter })} />
        <TextEntry label="Chord symbol (Bbm7), or none" give={(text) => ({ name: 'chord-symbol', text })} />
        <TextEntry label="One pitch for all keys (B4)" give={(pitch) => ({ name: 'fix-pitch', pitch })} />
      </div>
      <div className="flex flex-col gap-1">
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
      </div>
      <div className="col-span-full flex flex-wrap gap-1">
        <button type="button" className="quiet-button" title={hint('frame')} onClick={() => lookAtFrame('bar')}>
          bars, meter, key, tempo, clef, parts
        </button>
        <button
          type="button"
          className="quiet-button"
          aria-pressed={pen.naming_chord}
          title={hint('chords-by-keys')}
          onClick={() => give({ name: 'chords-by-keys' })}>
          {pen.naming_chord ? 'keys write notes again' : 'chord symbols by playing the chords'}
        </button>
        <button
          type="button"
          className="quiet-button"
          aria-pressed={!pen.advances}
          onClick={() => give({ name: 'advances' })}>
          {pen.advances ? 'let the pen stay after a step' : 'let the pen move on'}
        </button>
        <button type="button" className="quiet-button" onClick={() => give({ name: 'brushed' })}>
          keys brushed before a note: grace notes, or notes of the chord
        </button>
      </div>
    </div>
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
    <div className="flex flex-wrap items-center gap-1">
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
