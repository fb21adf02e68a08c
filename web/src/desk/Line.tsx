/** The line: one sentence that says what the next key will do; every marked phrase of it is a control. */
import { useState } from 'react'
import type { Pen, State } from '../api/wire'
import { keyWords, byId } from '../commands/table'
import { OpenPhrase, Phrase } from './Phrase'
import { clickTempo, command, useDesk, type RecordChoice, type Way } from './store'
import { ValueLadder } from './ValueLadder'

const WAYS = [
  { value: 'step', label: 'Step: one value after the other' },
  { value: 'record', label: 'Record: play in time, with the click' },
]
const WHENS = [
  { value: 'all up', label: 'when all keys are up' },
  { value: 'stroke', label: 'at the stroke' },
]
const POLICIES = [
  { value: 'replace', label: 'replaces what is there' },
  { value: 'add', label: 'is added to what is there' },
  { value: 'keep', label: 'goes to the next silence' },
]
const POLICY_WORDS: Record<string, [string, string]> = {
  replace: ['replaces', ' what is there'], add: ['is added', ' to what is there'], keep: ['keeps', ' what is there and goes to the next silence'],
}
const SHORTEST = ['quarter', 'eighth', '16th', '32nd'] as const
const NOTE_NAMES = ['C', 'C♯', 'D', 'E♭', 'E', 'F', 'F♯', 'G', 'A♭', 'A', 'B♭', 'B']
export const keyName = (key: number) => `${NOTE_NAMES[key % 12]}${Math.floor(key / 12) - 1}`

const article = (words: string) => (/^[aei]/.test(words) ? 'an' : 'a')
const handName = (pen: Pen) => (pen.staves === 1 ? '' : pen.staff === 1 ? ', right hand' : ', left hand')
const place = (pen: Pen) => `${pen.bar_number ? `bar ${pen.bar_number}` : 'the pick-up'}, beat ${pen.beat}`

export function Line() {
  const { pen, state, way, record } = useDesk()
  if (!pen || !state) return <div className="min-h-16" />
  return (
    <section aria-label="The line" data-testid="line" className="font-serif text-[1.34rem] leading-[1.95rem]">
      <Phrase name="way of working" value={way} choices={WAYS} strong onChoose={(v) => useDesk.setState({ way: v as Way })}>
        {way === 'step' ? 'Step' : 'Record'}
      </Phrase>{' '}
      {way === 'step' ? <StepLine pen={pen} state={state} /> : <RecordLine pen={pen} state={state} record={record} />}
    </section>
  )
}

function PartPhrase({ pen, state, hands }: { pen: Pen; state: State; hands: boolean }) {
  const places = state.parts.flatMap((p) =>
    Array.from({ length: hands ? p.staves : 1 }, (_, i) => ({
      value: `${p.id} ${i + 1}`,
      label: hands && p.staves > 1 ? `${p.name.toLowerCase()}, ${i ? 'left' : 'right'} hand` : p.name.toLowerCase(),
    })),
  )
  return (
    <Phrase name="part" value={`${pen.part} ${hands ? pen.staff : 1}`} choices={places} onChoose={(v) => command('place', `${v} ${pen.tick}`)}>
      {`${pen.part_name.toLowerCase()}${hands ? handName(pen) : ''}`}
    </Phrase>
  )
}

function PlacePhrase({ pen }: { pen: Pen }) {
  const [text, setText] = useState('')
  return (
    <OpenPhrase name="place" words={place(pen)}>
      <form onSubmit={(e) => { e.preventDefault(); command('place', text); setText('') }} className="flex flex-col gap-2">
        <label>Bar and beat, as 5.2{' '}
          <input autoFocus value={text} onChange={(e) => setText(e.target.value)} className="w-20 rounded-[3px] border border-rule px-1" />
        </label>
        <p className="text-[0.9rem] text-faint">{pen.left} in this bar. This pass began at {pen.pass_start}; {keyWords(byId.get('return')!.keys[0]!)} goes back there.</p>
        <button type="submit" className="quiet-button self-start">Put the pen there</button>
      </form>
    </OpenPhrase>
  )
}

function StepLine({ pen, state }: { pen: Pen; state: State }) {
  const [does, rest] = POLICY_WORDS[pen.policy] ?? ['', '']
  const latched = pen.dots_latched || pen.tuplet_latched
  return (
    <>
      into <PartPhrase pen={pen} state={state} hands />, voice{' '}
      <Phrase name="voice" value={String(pen.voice)} choices={['1', '2', '3', '4'].map((v) => ({ value: v, label: `voice ${v}` }))} onChoose={(v) => command('voice', v)}>
        {pen.voice}
      </Phrase>, from <PlacePhrase pen={pen} />: each step {article(pen.step_words)}{' '}
      <OpenPhrase name="step value" words={pen.step_words}><ValueLadder pen={pen} /></OpenPhrase>
      {latched ? ' (stays on)' : ''}; a chord is written{' '}
      <Phrase name="when" value={pen.when} choices={WHENS} onChoose={(v) => command('when', v)}>
        {WHENS.find((w) => w.value === pen.when)?.label}
      </Phrase>{' '}
      and{' '}
      <Phrase name="replace or add" value={pen.policy} choices={POLICIES} onChoose={(v) => command('policy', v)}>{does}</Phrase>
      {rest}.
    </>
  )
}

function RecordLine({ pen, state, record }: { pen: Pen; state: State; record: RecordChoice }) {
  const set = (more: Partial<RecordChoice>) => useDesk.setState({ record: { ...record, ...more } })
  const tempo = Math.round(clickTempo() * 10) / 10
  const bars = (n: number) => (n === 0 ? 'no bars' : n === 1 ? 'one bar' : `${['', '', 'two', 'three', 'four'][n]} bars`)
  const hands = { split: 'both hands', right: 'right hand', left: 'left hand' }
  return (
    <>
      into <PartPhrase pen={pen} state={state} hands={false} />
      {pen.staves > 1 && (
        <>
          ,{' '}
          <Phrase name="hands" value={record.hands} onChoose={(v) => set({ hands: v as RecordChoice['hands'] })}
            choices={Object.entries(hands).map(([value, label]) => ({ value, label }))}>
            {hands[record.hands]}
          </Phrase>
          {record.hands === 'split' && (
            <>
              {' '}split at{' '}
              <Phrase name="split point" value={String(record.split)} onChoose={(v) => set({ split: Number(v) })}
                choices={[48, 50, 52, 53, 55, 57, 59, 60, 62, 64, 65, 67].map((k) => ({ value: String(k), label: `${keyName(k)} and above to the right hand` }))}>
                {keyName(record.split)}
              </Phrase>
            </>
          )}
        </>
      )}
      , from <PlacePhrase pen={pen} /> (the whole bar), after{' '}
      <Phrase name="count-in" value={String(record.countIn)} onChoose={(v) => set({ countIn: Number(v) })}
        choices={[0, 1, 2, 3, 4].map((n) => ({ value: String(n), label: `${bars(n)} of count-in` }))}>
        {bars(record.countIn)}
      </Phrase>{' '}
      of count-in at{' '}
      <Phrase name="tempo of the take" value={String(record.percent)} onChoose={(v) => set({ percent: Number(v) })}
        choices={[40, 50, 60, 70, 80, 90, 100, 110, 120].map((p) => ({ value: String(p), label: p === 100 ? 'the tempo of the piece' : `${p} % of the tempo` }))}>
        {`♩ = ${tempo}`}
      </Phrase>
      , written down to{' '}
      <Phrase name="shortest value" value={record.shortest} onChoose={(v) => set({ shortest: v as RecordChoice['shortest'] })}
        choices={SHORTEST.map((v) => ({ value: v, label: `${v}s` }))}>
        {`${record.shortest}s`}
      </Phrase>
      ; it replaces what is there.
    </>
  )
}
