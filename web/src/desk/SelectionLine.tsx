/** When something on the sheet is selected the line speaks of it: each phrase is an edit of exactly these notes. */
import { keyWords, byId } from '../commands/table'
import { OpenPhrase, Phrase, Tail } from './Phrase'
import { setReading } from './reading'
import { edit, select, useDesk } from './store'

const VALUES = ['whole', 'half', 'half dot', 'quarter', 'quarter dot', 'eighth', 'eighth dot', '16th', '32nd']
const asChoices = (values: readonly string[]) => values.map((v) => ({ value: v, label: v.replace(/(.*) dot/, 'dotted $1') }))
const key = (id: string) => keyWords(byId.get(id)?.keys[0] ?? '')

const AGAIN = [
  { value: 'plainness plainer', label: 'plainer' },
  { value: 'plainness finer', label: 'finer' },
  ...['quarter', 'eighth', '16th', '32nd'].map((v) => ({ value: `shortest ${v}`, label: `down to ${v}s` })),
  { value: 'tuplets none', label: 'without tuplets' },
  { value: 'tuplets allowed', label: 'tuplets allowed' },
  { value: 'staccato rest', label: 'detached notes short, with rests' },
  { value: 'staccato dot', label: 'detached notes in full, with a dot' },
  { value: 'hands right', label: 'all in the right hand' },
  { value: 'hands left', label: 'all in the left hand' },
  { value: 'hands reach', label: 'hands by reach' },
]

function readAgain(value: string): void {
  const [name, ...rest] = value.split(' ')
  setReading(name!, rest.join(' '), [...useDesk.getState().selection])
}

function Now({ name, argument = '', children, command }: { name: string; argument?: string; children: string; command?: string }) {
  return (
    <button type="button" className="phrase" data-phrase={children} title={command ? key(command) : undefined} onClick={() => edit(name, argument)}>
      {children}
    </button>
  )
}

export function SelectionLine() {
  const count = useDesk((s) => s.selection.size)
  const readings = useDesk((s) => s.readings.length > 0)
  const wider = [
    { value: 'left', label: 'one more to the left', hint: key('select-left') },
    { value: 'right', label: 'one more to the right', hint: key('select-right') },
    { value: 'bar', label: 'the whole bar', hint: key('select-bar') },
    { value: 'voice', label: 'the whole voice' },
    { value: 'staff', label: 'the whole staff' },
    { value: 'all', label: 'everything', hint: key('select-all') },
    { value: 'below C4', label: 'all below middle C on this staff' },
  ]
  return (
    <>
      <Tail end=":"><Phrase name="selection" value="" choices={wider} onChoose={select} strong>{count === 1 ? 'This note' : `These ${count} notes`}</Phrase></Tail>{' '}
      <Tail><Now name="hold to the next" command="hold">hold each to the next</Now></Tail>{' '}
      <Tail><Now name="remove rest">take the rest after it</Now></Tail>{' '}
      set to a <Tail><Phrase name="set value" value="" choices={asChoices(VALUES)} onChoose={(v) => edit('length', v)}>value</Phrase></Tail>{' '}
      correct to a <Tail><Phrase name="correct value" value="" choices={asChoices(VALUES)} onChoose={(v) => edit('correct value', v)}>value, the rest moves</Phrase></Tail>{' '}
      read again as <Tail><Phrase name="read again" value="" choices={asChoices(VALUES)} onChoose={(v) => edit('read again', v)}>equal steps</Phrase></Tail>{' '}
      {readings && <><Tail><Phrase name="read the playing again" value="" choices={AGAIN} onChoose={readAgain}>read the playing again</Phrase></Tail>{' '}</>}
      <Now name="scale" argument="2">double</Now> or <Tail><Now name="scale" argument="1/2">halve</Now></Tail>{' '}
      <Tail><Now name="split" argument="2">split</Now></Tail>{' '}
      <Tail><Now name="respell" command="respell">respell</Now></Tail>{' '}
      <Now name="octave" argument="1" command="octave-up-notes">octave up</Now> or <Tail><Now name="octave" argument="-1" command="octave-down-notes">down</Now></Tail>{' '}
      transpose{' '}
      <Tail><Phrase name="transpose" value="" onChoose={(v) => edit('transpose', v)}
        choices={['12', '7', '5', '4', '3', '2', '1', '-1', '-2', '-3', '-4', '-5', '-7', '-12'].map((v) => ({ value: v, label: `${Number(v) > 0 ? 'up' : 'down'} ${Math.abs(Number(v))} semitones` }))}>by semitones</Phrase></Tail>{' '}
      <Tail><Now name="other hand">to the other hand</Now></Tail>{' '}
      to <Tail><Phrase name="to voice" value="" choices={['1', '2', '3', '4'].map((v) => ({ value: v, label: `voice ${v}` }))} onChoose={(v) => edit('voice', v)}>a voice</Phrase></Tail>{' '}
      velocity{' '}
      <Tail><Phrase name="set velocity" value="" onChoose={(v) => edit('velocity', v)}
        choices={['+10', '-10', '48', '64', '80', '96', '112'].map((v) => ({ value: v, label: /[+-]/.test(v) ? `${v} on each` : `all at ${v}` }))}>softer or louder</Phrase></Tail>{' '}
      <Tail><Now name="copy" command="copy">copy</Now></Tail>{' '}
      repeat{' '}
      <Tail><OpenPhrase name="repeat" words="these bars"><Repeat /></OpenPhrase></Tail>{' '}
      <Tail end=";"><Now name="delete" command="delete">delete</Now></Tail>{' '}
      <Tail end="."><button type="button" className="phrase" onClick={() => useDesk.setState({ selection: new Set() })}>done</button></Tail>
    </>
  )
}

function Repeat() {
  return (
    <form className="flex items-center gap-2" onSubmit={(e) => { e.preventDefault(); edit('repeat', String(new FormData(e.currentTarget).get('times'))) }}>
      <label>Times <input name="times" autoFocus defaultValue="1" inputMode="numeric" className="field w-14" /></label>
      <button type="submit" className="quiet-button">Repeat</button>
    </form>
  )
}
