/**
 * The line: one sentence that says what the next key will do; every marked phrase of it is a control.
 * The words of all ways of entry come from the server (core/entry/line.py); recording and selections speak here.
 */
import { Fragment, useState, type ReactNode } from 'react'
import type { LinePhrase, Pen, State } from '../api/wire'
import { byId, keyWords } from '../commands/table'
import { OpenPhrase, Phrase, Tail, type Choice } from './Phrase'
import { openRead, setReading, useOpenReading } from './reading'
import { SelectionLine } from './SelectionLine'
import { SoundingForm } from './SoundingForm'
import { clickTempo, command, useDesk, type RecordChoice } from './store'
import { ValueLadder } from './ValueLadder'

const RECORD: Choice = { value: 'record', label: 'Record: play in time, with the click or freely' }
const READ: Choice = { value: 'read', label: 'Read: how a take was written down, and its doubts' }
const SHORTEST = ['quarter', 'eighth', '16th', '32nd'] as const
const NOTE_NAMES = ['C', 'C♯', 'D', 'E♭', 'E', 'F', 'F♯', 'G', 'A♭', 'A', 'B♭', 'B']
export const keyName = (key: number) => `${NOTE_NAMES[key % 12]}${Math.floor(key / 12) - 1}`

export function Line() {
  const { pen, state, way, record, selection, recording } = useDesk()
  if (!pen || !state) return <div className="min-h-16" />
  const about = selection.size > 0 && !recording
  return (
    <section aria-label="The line" data-testid="line" className="min-h-[3.9rem] font-serif text-[1.34rem] leading-[1.95rem]">
      {about ? <SelectionLine /> : way === 'record' ? <RecordLine pen={pen} state={state} record={record} /> : way === 'read' ? <ReadLine pen={pen} /> : <Sentence phrases={pen.line} draw={(p) => <LinePart phrase={p} pen={pen} />} />}
    </section>
  )
}

/** Phrases in order; the mark that follows a control stays with it. */
function Sentence({ phrases, draw }: { phrases: readonly LinePhrase[]; draw: (phrase: LinePhrase) => ReactNode }) {
  const mark = (i: number) => (phrases[i]?.name && !phrases[i + 1]?.name ? (/^[,;:.)]+/.exec(phrases[i + 1]?.words ?? '')?.[0] ?? '') : '')
  return phrases.map((p, i) => {
    if (p.name) return mark(i) ? <Tail key={i} end={mark(i)}>{draw(p)}</Tail> : <Fragment key={i}>{draw(p)}</Fragment>
    return <Fragment key={i}>{i ? p.words.slice(mark(i - 1).length) : p.words}</Fragment>
  })
}

function chooseWay(value: string) {
  if (value === 'record') return useDesk.setState({ way: 'record' })
  if (value === 'read') return openRead()
  useDesk.setState({ way: 'step' })
  command('way', value)
}

function WayPhrase({ pen, words, value }: { pen: Pen; words: string; value: string }) {
  const ways = pen.line[0]?.choices ?? []
  const any = useDesk((s) => s.readings.length > 0)
  const choices = [...ways.map(([v, label]) => ({ value: v, label })), RECORD, ...(any ? [READ] : [])]
  return <Phrase name="way of working" value={value} choices={choices} strong onChoose={chooseWay}>{words}</Phrase>
}

function LinePart({ phrase, pen }: { phrase: LinePhrase; pen: Pen }) {
  if (phrase.name === 'way of working') return <WayPhrase pen={pen} words={phrase.words} value={phrase.value} />
  if (phrase.form === 'place') return <PlacePhrase pen={pen} words={phrase.words} />
  if (phrase.form === 'ladder') return <OpenPhrase name={phrase.name} words={phrase.words}><ValueLadder pen={pen} /></OpenPhrase>
  if (phrase.form === 'sounding') return <OpenPhrase name={phrase.name} words={phrase.words}><SoundingForm /></OpenPhrase>
  return (
    <Phrase name={phrase.name} value={phrase.value} choices={phrase.choices.map(([value, label]) => ({ value, label }))} onChoose={(v) => command(phrase.command, v)}>
      {phrase.words}
    </Phrase>
  )
}

function PlacePhrase({ pen, words }: { pen: Pen; words: string }) {
  const [text, setText] = useState('')
  const [bars, setBars] = useState('')
  return (
    <OpenPhrase name="place" words={words}>
      <form onSubmit={(e) => { e.preventDefault(); command('place', text); setText('') }} className="flex flex-col gap-2">
        <label>Bar and beat, as 5.2{' '}
          <input autoFocus value={text} onChange={(e) => setText(e.target.value)} className="field w-20" />
        </label>
        <p className="text-[0.9rem] text-faint">{pen.left} in this bar. This pass began at {pen.pass_start}; {keyWords(byId.get('return')!.keys[0]!)} goes back there.</p>
        <button type="submit" className="quiet-button self-start">Put the pen there</button>
      </form>
      <form onSubmit={(e) => { e.preventDefault(); command('span', bars) }} className="mt-3 flex flex-col gap-2 border-t border-rule pt-2">
        <label>Stay in bars, as 5 8{' '}
          <input value={bars} onChange={(e) => setBars(e.target.value)} className="field w-20" />
        </label>
        <button type="submit" className="quiet-button self-start">Hold the pen there</button>
      </form>
    </OpenPhrase>
  )
}

/** How the open take was read; the words come from the server (core/reading/sentence.py). */
function ReadLine({ pen }: { pen: Pen }) {
  const reading = useOpenReading()
  if (!reading) return <WayPhrase pen={pen} words="Read" value="read" />
  return (
    <Sentence phrases={reading.line} draw={(p) =>
      p.name === 'way of working' ? <WayPhrase pen={pen} words={p.words} value="read" />
      : <Phrase name={p.name} value={p.value} choices={p.choices.map(([value, label]) => ({ value, label }))} onChoose={(v) => setReading(p.command, v)}>{p.words}</Phrase>
    } />
  )
}

function RecordLine({ pen, state, record }: { pen: Pen; state: State; record: RecordChoice }) {
  const set = (more: Partial<RecordChoice>) => useDesk.setState({ record: { ...record, ...more } })
  const tempo = Math.round(clickTempo() * 10) / 10
  const hands = { reach: 'both hands by reach', split: 'both hands', right: 'right hand', left: 'left hand' }
  const parts = state.parts.map((p) => ({ value: `${p.id} 1 ${pen.tick}`, label: p.name.toLowerCase() }))
  const place = pen.line.find((p) => p.name === 'place')?.words ?? ''
  return (
    <>
      <WayPhrase pen={pen} words="Record" value="record" /> into{' '}
      <Phrase name="part" value={`${pen.part} 1 ${pen.tick}`} choices={parts} onChoose={(v) => command('place', v)}>{pen.part_name.toLowerCase()}</Phrase>
      {pen.staves > 1 && (
        <>
          ,{' '}
          <Phrase name="hands" value={record.hands} onChoose={(v) => set({ hands: v as RecordChoice['hands'] })}
            choices={Object.entries(hands).map(([value, label]) => ({ value, label: value === 'split' ? 'both hands, split at a key' : label }))}>
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
      , from <PlacePhrase pen={pen} words={place} /> (the whole bar),{' '}
      <Phrase name="click" value={record.click ? 'click' : 'freely'} onChoose={(v) => set({ click: v === 'click', shortest: v === 'click' ? '16th' : 'found' })}
        choices={[{ value: 'click', label: 'with the click' }, { value: 'freely', label: 'freely: the beats are found afterwards' }]}>
        {record.click ? 'with the click' : 'freely, without a click'}
      </Phrase>
      {record.click && <ClickPhrases record={record} set={set} tempo={tempo} />}
      , written down to{' '}
      <Phrase name="shortest value" value={record.shortest} onChoose={(v) => set({ shortest: v as RecordChoice['shortest'] })}
        choices={[{ value: 'found', label: 'what the playing shows' }, ...SHORTEST.map((v) => ({ value: v, label: `${v}s` }))]}>
        {record.shortest === 'found' ? 'what the playing shows' : `${record.shortest}s`}
      </Phrase>
      ; it replaces what is there.
    </>
  )
}

const barWords = (n: number) => (n === 0 ? 'no bars' : n === 1 ? 'one bar' : `${['', '', 'two', 'three', 'four'][n]} bars`)

function ClickPhrases({ record, set, tempo }: { record: RecordChoice; set: (more: Partial<RecordChoice>) => void; tempo: number }) {
  return (
    <>
      {' '}after{' '}
      <Phrase name="count-in" value={String(record.countIn)} onChoose={(v) => set({ countIn: Number(v) })}
        choices={[0, 1, 2, 3, 4].map((n) => ({ value: String(n), label: `${barWords(n)} of count-in` }))}>
        {barWords(record.countIn)}
      </Phrase>{' '}
      of count-in at{' '}
      <Phrase name="tempo of the take" value={String(record.percent)} onChoose={(v) => set({ percent: Number(v) })}
        choices={[40, 50, 60, 70, 80, 90, 100, 110, 120].map((p) => ({ value: String(p), label: p === 100 ? 'the tempo of the piece' : `${p} % of the tempo` }))}>
        {`♩ = ${tempo}`}
      </Phrase>
    </>
  )
}
