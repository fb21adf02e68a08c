/**
 * When something on the sheet is selected the line says first what the next key will do, then speaks of the selection:
 * each phrase is an edit of it.
 */
import type { Edit, NoteValue, Pen, ReadingChoice, Selecting } from '../../session/wire'
import { byId, keyWords } from '../../input/commands'
import { WithPhrase } from './WithPhrase'
import { Now, OpenPhrase, Phrase, Tail, type Option } from '../Phrase'
import { setReading } from '../../reading/reading'
import { lookAtFrame } from '../../session/chosen'
import { toggleShape } from '../../shape/shape'
import { choose, clip, edit, select } from '../../session/actions'
import { useDesk } from '../../session/store'
import { counted } from '../words'

const BASES = ['whole', 'half', 'quarter', 'eighth', '16th', '32nd'] as const
const VALUES: readonly { label: string; value: NoteValue }[] = BASES.flatMap((base) => [
  { label: base, value: { base } },
  ...(base === 'half' || base === 'quarter' || base === 'eighth'
    ? [{ label: `dotted ${base}`, value: { base, dots: 1 } }]
    : []),
])
const INTERVALS: readonly [string, number, number][] = [
  ['minor second', 1, 1],
  ['major second', 1, 2],
  ['minor third', 2, 3],
  ['major third', 2, 4],
  ['perfect fourth', 3, 5],
  ['perfect fifth', 4, 7],
  ['minor sixth', 5, 8],
  ['major sixth', 5, 9],
]
const key = (id: string) => keyWords(byId.get(id)?.keys[0] ?? '')
const valueOptions = (make: (value: NoteValue) => Edit): Option[] =>
  VALUES.map(({ label, value }) => ({ label, act: () => edit(make(value)) }))

const AGAIN: readonly { label: string; choice: ReadingChoice }[] = [
  { label: 'plainer', choice: { name: 'plainness', by: 1 } },
  { label: 'finer', choice: { name: 'plainness', by: -1 } },
  ...(['quarter', 'eighth', '16th', '32nd'] as const).map((value) => ({
    label: `down to ${value}s`,
    choice: { name: 'shortest', value } as const,
  })),
  { label: 'without tuplets', choice: { name: 'tuplets', tuplets: false } },
  { label: 'tuplets allowed', choice: { name: 'tuplets', tuplets: true } },
  { label: 'detached notes short, with rests', choice: { name: 'detached', write: 'rest' } },
  { label: 'detached notes in full, with a dot', choice: { name: 'detached', write: 'dot' } },
  { label: 'all in the right hand', choice: { name: 'hands', hand: 'right' } },
  { label: 'all in the left hand', choice: { name: 'hands', hand: 'left' } },
  { label: 'hands by reach', choice: { name: 'hands' } },
]

const WIDER: readonly { label: string; how: Selecting; id?: string }[] = [
  { label: 'one more to the left', how: { name: 'select', what: 'left' }, id: 'select-left' },
  { label: 'one more to the right', how: { name: 'select', what: 'right' }, id: 'select-right' },
  { label: 'the whole bar', how: { name: 'select', what: 'bar' }, id: 'select-bar' },
  { label: 'the whole voice', how: { name: 'select', what: 'voice' } },
  { label: 'the whole staff', how: { name: 'select', what: 'staff' } },
  { label: 'everything', how: { name: 'select', what: 'all' }, id: 'select-all' },
  { label: 'all below middle C on this staff', how: { name: 'by-pitch', key: 60 } },
]

/** The selection: its pitch, value, key and hand, each of which is edited where it stands; then the usual edits. */
export function SelectionLine({ pen }: { pen: Pen }) {
  const count = useDesk((s) => s.selection.size)
  const shared = useDesk((s) => s.shared)
  const now = (change: Edit) => () => edit(change)
  return (
    <>
      <Tail end=":">
        <Phrase name="selection" options={wider()} strong>
          {count === 1 ? 'This note' : `These ${counted(count, 'note')}`}
        </Phrase>
      </Tail>{' '}
      <Tail>
        <Phrase name="pitch" options={pitchOptions()}>
          {shared.pitch || 'their pitches'}
        </Phrase>
      </Tail>{' '}
      <Tail>
        <Phrase name="set value" options={lengthOptions()}>
          {shared.value || 'their values'}
        </Phrase>
      </Tail>{' '}
      {shared.key && (
        <Tail>
          in{' '}
          <button type="button" className="phrase" data-phrase="key" onClick={() => lookAtFrame('key')}>
            {shared.key}
          </button>
        </Tail>
      )}{' '}
      {shared.hand && (
        <Tail end=";">
          <Phrase name="hand" options={handOptions()}>
            {shared.hand}
          </Phrase>
        </Tail>
      )}{' '}
      <Tail>
        <WithPhrase />
      </Tail>{' '}
      <Tail>
        <Phrase name="set velocity" options={velocityOptions()}>
          softer or louder
        </Phrase>
      </Tail>{' '}
      an octave{' '}
      <Now act={now({ name: 'octave', by: 1 })} command="octave-up-notes">
        up
      </Now>{' '}
      or{' '}
      <Tail>
        <Now act={now({ name: 'octave', by: -1 })} command="octave-down-notes">
          down
        </Now>
      </Tail>{' '}
      <Tail>
        <OpenPhrase name="repeat" words={count === 1 ? 'repeat its bar' : 'repeat these bars'}>
          <RepeatForm />
        </OpenPhrase>
      </Tail>{' '}
      <Tail end=";">
        <Now act={now({ name: 'delete' })} command="delete">
          delete
        </Now>
      </Tail>{' '}
      <Tail end=".">
        <Now act={() => choose([])}>done</Now>
      </Tail>{' '}
      <span className="text-faint" data-testid="next-key">
        {pen.next_key}
      </span>
    </>
  )
}

/** A new value; below, the same with everything behind it shifted. */
const lengthOptions = (): Option[] => [
  ...valueOptions((value) => ({ name: 'length', value })),
  ...VALUES.map(({ label, value }) => ({
    label: `${label}, shifting what follows`,
    act: () => edit({ name: 'correct-value', value }),
  })),
]

const wider = (): Option[] =>
  WIDER.map(({ label, how, id }) => ({ label, hint: id && key(id), act: () => select(how) }))

const velocityOptions = (): Option[] => [
  ...[10, -10].map((by) => ({
    label: `${by > 0 ? 'louder' : 'softer'}: ${by > 0 ? '+' : ''}${by} on each`,
    act: () => edit({ name: 'velocity', by }),
  })),
  ...[48, 64, 80, 96, 112].map((velocity) => ({
    label: `all at ${velocity}`,
    act: () => edit({ name: 'velocity', velocity }),
  })),
]

/** Other names of the same key first, then steps and octaves. */
const pitchOptions = (): Option[] => [
  { label: 'its other name', hint: key('respell'), act: () => edit({ name: 'respell' }) },
  { label: 'sharpen', act: () => edit({ name: 'accidental', by: 1 }) },
  { label: 'flatten', act: () => edit({ name: 'accidental', by: -1 }) },
  { label: 'a semitone up', act: () => edit({ name: 'transpose', semitones: 1 }) },
  { label: 'a semitone down', act: () => edit({ name: 'transpose', semitones: -1 }) },
  { label: 'an octave up', hint: key('octave-up-notes'), act: () => edit({ name: 'octave', by: 1 }) },
  { label: 'an octave down', hint: key('octave-down-notes'), act: () => edit({ name: 'octave', by: -1 }) },
]

const handOptions = (): Option[] => [
  { label: 'to the other hand', act: () => edit({ name: 'other-hand' }) },
  ...[1, 2, 3, 4].map((voice) => ({ label: `voice ${voice}`, act: () => edit({ name: 'move-to-voice', voice }) })),
]

/** What is less often wanted of a selection; the More button of the line opens it. */
export function SelectionMore() {
  const count = useDesk((s) => s.selection.size)
  const readings = useDesk((s) => s.readings.length > 0)
  const again = AGAIN.map(({ label, choice }) => ({
    label,
    act: () => setReading(choice, [...useDesk.getState().selection]),
  }))
  const semitones = [12, 7, 5, 4, 3, 2, 1, -1, -2, -3, -4, -5, -7, -12].map((n) => ({
    label: `${n > 0 ? 'up' : 'down'} ${Math.abs(n)} ${Math.abs(n) === 1 ? 'semitone' : 'semitones'}`,
    act: () => edit({ name: 'transpose', semitones: n }),
  }))
  const pitches: Option[] = [
    { label: 'sharpen', act: () => edit({ name: 'accidental', by: 1 }) },
    { label: 'flatten', act: () => edit({ name: 'accidental', by: -1 }) },
    ...(
      [
        ['double flat', -2],
        ['flat', -1],
        ['natural', 0],
        ['sharp', 1],
        ['double sharp', 2],
      ] as const
    ).map(([label, to]) => ({ label, act: () => edit({ name: 'accidental', to }) })),
    { label: 'spelled by the way the line goes', act: () => edit({ name: 'spell-by-direction' }) },
  ]
  const intervals = ([1, -1] as const).flatMap((sign) =>
    INTERVALS.map(([name, steps, by]): Option => ({
      label: `${sign > 0 ? 'up' : 'down'} a ${name}`,
      act: () => edit({ name: 'by-interval', steps: sign * steps, semitones: sign * by }),
    })),
  )
  const now = (change: Edit) => () => edit(change)
  return (
    <div className="flex flex-col gap-1 text-[1.1rem]">
      <p>
        Values: change the value and shift what follows{' '}
        <Phrase
          name="value up to the bar line"
          options={valueOptions((value) => ({ name: 'correct-value', value, upto: 'bar' }))}>
          up to the bar line
        </Phrase>
        ,{' '}
        <Now act={now({ name: 'hold' })} command="hold">
          lengthen each to the next note
        </Now>
        , <Now act={now({ name: 'take-rest' })}>take the rest after it</Now>,{' '}
        <Phrase name="read again" options={valueOptions((value) => ({ name: 'equal-steps', value }))}>
          even out the rhythm
        </Phrase>
        , <Now act={now({ name: 'scale', times: 2 })}>double</Now>,{' '}
        <Now act={now({ name: 'scale', times: 1, over: 2 })}>halve</Now>, <Now act={now({ name: 'split' })}>split</Now>.
      </p>
      <p>
        Pitches:{' '}
        <Phrase name="accidental" options={pitches}>
          an accidental
        </Phrase>
        ,{' '}
        <Now act={now({ name: 'respell' })} command="respell">
          respell
        </Now>
        , transpose{' '}
        <Phrase name="transpose" options={semitones}>
          by semitones
        </Phrase>{' '}
        or{' '}
        <Phrase name="by interval" options={intervals}>
          an interval
        </Phrase>
        .
      </p>
      {readings && (
        <p>
          The playing:{' '}
          <Phrase name="read the playing again" options={again}>
            read it again
          </Phrase>
          ,{' '}
          <OpenPhrase name="its place in time" words={count === 1 ? 'which bar it is' : 'how many bars'}>
            <PinForm />
          </OpenPhrase>
          .
        </p>
      )}
      <p>
        Bars:{' '}
        <Now act={() => clip('copy')} command="copy">
          copy
        </Now>
        ,{' '}
        <Now act={toggleShape} command="shape">
          how they sound
        </Now>
        .
      </p>
      <p>
        Place: <Now act={now({ name: 'other-hand' })}>to the other hand</Now>, to{' '}
        <Phrase
          name="to voice"
          options={[1, 2, 3, 4].map((voice) => ({
            label: `voice ${voice}`,
            act: () => edit({ name: 'move-to-voice', voice }),
          }))}>
          a voice
        </Phrase>
        .
      </p>
    </div>
  )
}

/**
 * A hand on the bars of a take: this note is such a bar, or this stretch holds so many; from there the others are
 * worked out again.
 */
function PinForm() {
  const count = useDesk((s) => s.selection.size)
  const chosen = () => [...useDesk.getState().selection]
  const number = (form: HTMLFormElement, name: string) => Number(new FormData(form).get(name))
  return (
    <div className="flex flex-col gap-2">
      <form
        className="flex flex-wrap items-center gap-2"
        onSubmit={(e) => {
          e.preventDefault()
          setReading(
            { name: 'pin', bar: number(e.currentTarget, 'bar'), beat: number(e.currentTarget, 'beat') },
            chosen(),
          )
        }}>
        <label>
          This note is bar{' '}
          <input name="bar" type="number" min={0} max={9999} required autoFocus className="field w-16" />
        </label>
        <label>
          beat <input name="beat" type="number" min={1} max={32} required defaultValue="1" className="field w-14" />
        </label>
        <button type="submit" className="quiet-button">
          Put it there
        </button>
      </form>
      {count > 1 && (
        <form
          className="flex flex-wrap items-center gap-2 border-t border-rule pt-2"
          onSubmit={(e) => {
            e.preventDefault()
            setReading({ name: 'stretch', bars: number(e.currentTarget, 'bars') }, chosen())
          }}>
          <label>
            From the first to the last are{' '}
            <input name="bars" type="number" min={1} max={1000} required className="field w-16" /> bars
          </label>
          <button type="submit" className="quiet-button">
            Count them so
          </button>
        </form>
      )}
      <p className="text-[0.9rem] text-faint">Notes keep the time at which they were played; bar lines move.</p>
    </div>
  )
}

function RepeatForm() {
  return (
    <form
      className="flex items-center gap-2"
      onSubmit={(e) => {
        e.preventDefault()
        edit({ name: 'repeat', times: Number(new FormData(e.currentTarget).get('times')) })
      }}>
      <label>
        Times{' '}
        <input
          name="times"
          type="number"
          min={1}
          max={200}
          required
          autoFocus
          defaultValue="1"
          className="field w-16"
        />
      </label>
      <button type="submit" className="quiet-button">
        Repeat
      </button>
    </form>
  )
}
