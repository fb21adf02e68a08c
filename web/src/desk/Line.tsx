/**
 * The line: one sentence that says what the next key will do; every marked phrase of it is a control.
 * The words of all ways of entry come from the server (core/entry/line.py); recording and selections speak here.
 */
import { Fragment, type ReactNode } from 'react'
import type { Command, LinePhrase, Pen, ReadingChoice, State } from '../api/wire'
import { hint } from '../commands/table'
import { MoreForm } from './MoreForm'
import { OpenPhrase, Phrase, Tail, type Option } from './Phrase'
import { PlacePhrase } from './PlacePhrase'
import { usePreferences, type RecordChoice } from './preferences'
import { openRead, setReading, useOpenReading } from './reading'
import { SelectionLine } from './SelectionLine'
import { clickTempo, give, useDesk } from './store'
import { TouchForm } from './TouchForm'
import { ValueLadder } from './ValueLadder'

const SHORTEST = ['quarter', 'eighth', '16th', '32nd'] as const
const NOTE_NAMES = ['C', 'C♯', 'D', 'E♭', 'E', 'F', 'F♯', 'G', 'A♭', 'A', 'B♭', 'B']
export const keyName = (key: number) => `${NOTE_NAMES[key % 12]}${Math.floor(key / 12) - 1}`
/** Commands whose keys change what a phrase says. */
const KEYS_OF: Record<string, readonly string[]> = {
  part: ['staff-up', 'staff-down'], voice: ['voice'], place: ['step-left', 'step-right'], 'step value': ['coarser', 'finer'], 'replace or add': ['policy'], hands: ['hands'],
  clicks: ['clicks'], pitches: ['pitches'],
}
const hintOf = (name: string) => KEYS_OF[name]?.map(hint).join('; ')

export function Line() {
  const { pen, state, way, selection, recording } = useDesk()
  if (!pen || !state) return <div className="min-h-16" />
  const about = selection.size > 0 && !recording
  return (
    <section aria-label="The line" data-testid="line" className="min-h-[3.9rem] font-serif text-[1.34rem] leading-[1.95rem]">
      {about ? <SelectionLine pen={pen} /> : way === 'record' ? <RecordLine pen={pen} state={state} /> : way === 'read' ? <ReadLine pen={pen} /> : <Sentence phrases={pen.line} draw={(p) => <LinePart phrase={p} pen={pen} />} />}
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

/** Entry in one of its ways: recording and reading are left. */
function enter(command: Command) {
  useDesk.setState({ way: 'step' })
  usePreferences.getState().set({ records: false })
  give(command)
}

function record() {
  useDesk.setState({ way: 'record' })
  usePreferences.getState().set({ records: true })
}

function WayPhrase({ pen, words }: { pen: Pen; words: string }) {
  const now = useDesk((s) => s.way)
  const any = useDesk((s) => s.readings.length > 0)
  const options: Option[] = [
    ...(pen.line[0]?.choices ?? []).map((c) => ({ label: c.label, chosen: now === 'step' && c.chosen, act: () => enter(c.do as Command) })),
    { label: 'Record: play in time, with the click or freely', chosen: now === 'record', act: record },
    ...(any ? [{ label: 'Read: how a take was written down, and its doubts', chosen: now === 'read', act: () => openRead() }] : []),
  ]
  return <Phrase name="way of working" options={options} strong>{words}</Phrase>
}

function LinePart({ phrase, pen }: { phrase: LinePhrase; pen: Pen }) {
  if (phrase.name === 'way of working') return <WayPhrase pen={pen} words={phrase.words} />
  if (phrase.form === 'place') return <PlacePhrase pen={pen} words={phrase.words} />
  const form = { ladder: <ValueLadder pen={pen} />, touch: <TouchForm />, more: <MoreForm pen={pen} /> }[phrase.form]
  if (form) return <OpenPhrase name={phrase.name} words={phrase.words} wide={phrase.form === 'more'} hint={hintOf(phrase.name)}>{form}</OpenPhrase>
  const options = phrase.choices.map((c) => ({ label: c.label, chosen: c.chosen, act: () => give(c.do as Command) }))
  return <Phrase name={phrase.name} options={options} hint={hintOf(phrase.name)}>{phrase.words}</Phrase>
}

/** How the open take was read; the words come from the server (core/reading/sentence.py). */
function ReadLine({ pen }: { pen: Pen }) {
  const reading = useOpenReading()
  if (!reading) return <WayPhrase pen={pen} words="Read" />
  return (
    <Sentence phrases={reading.line} draw={(p) =>
      p.name === 'way of working' ? <WayPhrase pen={pen} words={p.words} />
      : <Phrase name={p.name} options={p.choices.map((c) => ({ label: c.label, chosen: c.chosen, act: () => setReading(c.do as ReadingChoice) }))}>{p.words}</Phrase>
    } />
  )
}

const HANDS: Record<RecordChoice['hands'], string> = { reach: 'both hands by reach', split: 'both hands', right: 'right hand', left: 'left hand' }

function RecordLine({ pen, state }: { pen: Pen; state: State }) {
  const { record, set: setAll } = usePreferences()
  const set = (more: Partial<RecordChoice>) => setAll({ record: { ...record, ...more } })
  const tempo = Math.round(clickTempo() * 10) / 10
  const parts = state.parts.map((p) => ({ label: p.name.toLowerCase(), chosen: p.id === pen.part, act: () => give({ name: 'place', part: p.id, staff: 1 }) }))
  const place = pen.line.find((p) => p.name === 'place')?.words ?? ''
  const hands = (Object.keys(HANDS) as RecordChoice['hands'][]).map((h) => ({
    label: h === 'split' ? 'both hands, split at a key' : HANDS[h], chosen: h === record.hands, act: () => set({ hands: h }),
  }))
  const splits = [48, 50, 52, 53, 55, 57, 59, 60, 62, 64, 65, 67].map((k) => ({ label: `${keyName(k)} and above to the right hand`, chosen: k === record.split, act: () => set({ split: k }) }))
  const shortest = (['found', ...SHORTEST] as const).map((v) => ({ label: v === 'found' ? 'what the playing shows' : `${v}s`, chosen: v === record.shortest, act: () => set({ shortest: v }) }))
  return (
    <>
      <WayPhrase pen={pen} words="Record" /> into <Phrase name="part" options={parts}>{pen.part_name.toLowerCase()}</Phrase>
      {pen.staves > 1 && (
        <>
          , <Phrase name="hands" options={hands}>{HANDS[record.hands]}</Phrase>
          {record.hands === 'split' && <> split at <Phrase name="split point" options={splits}>{keyName(record.split)}</Phrase></>}
        </>
      )}
      , from <PlacePhrase pen={pen} words={place} /> (the whole bar),{' '}
      <Phrase name="click" options={[
        { label: 'with the click', chosen: record.click, act: () => set({ click: true, shortest: '16th' }) },
        { label: 'freely: the beats are found afterwards', chosen: !record.click, act: () => set({ click: false, shortest: 'found' }) },
      ]}>{record.click ? 'with the click' : 'freely, without a click'}</Phrase>
      {record.click && <ClickPhrases record={record} set={set} tempo={tempo} />}
      , written down to <Tail end=";"><Phrase name="shortest value" options={shortest}>{record.shortest === 'found' ? 'what the playing shows' : `${record.shortest}s`}</Phrase></Tail> it replaces what is there.
    </>
  )
}

const barWords = (n: number) => (n === 0 ? 'no bars' : n === 1 ? 'one bar' : `${['', '', 'two', 'three', 'four'][n]} bars`)

function ClickPhrases({ record, set, tempo }: { record: RecordChoice; set: (more: Partial<RecordChoice>) => void; tempo: number }) {
  const counts = [0, 1, 2, 3, 4].map((n) => ({ label: `${barWords(n)} of count-in`, chosen: n === record.countIn, act: () => set({ countIn: n }) }))
  const tempi = [40, 50, 60, 70, 80, 90, 100, 110, 120].map((p) => ({ label: p === 100 ? 'the tempo of the piece' : `${p} % of the tempo`, chosen: p === record.percent, act: () => set({ percent: p }) }))
  return (
    <>
      {' '}after <Phrase name="count-in" options={counts}>{barWords(record.countIn)}</Phrase> of count-in at{' '}
      <Phrase name="tempo of the take" options={tempi}>{`♩ = ${tempo}`}</Phrase>
    </>
  )
}
