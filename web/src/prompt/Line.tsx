/**
 * The line: one sentence that says what the next key will do; every marked phrase of it is a control. All its words
 * come from the server (core/entry/line.py, core/recording/line.py, core/reading/sentence.py); selections speak here.
 */
import { Fragment, memo, type ReactNode } from 'react'
import type { Command, LinePhrase, Pen, ReadingChoice, RecordLine as RecordLineData } from '../session/wire'
import { RecordPart, setRecord } from './lines/RecordLine'
import { hint } from '../input/commands'
import { LeadLine } from './lines/Lead'
import { OutcomePhrase } from './lines/OutcomePhrase'
import { MoreForm } from './MoreForm'
import { FrameLine } from './lines/FrameLine'
import { MarkLine } from './lines/MarkLine'
import { ShapeLine } from './lines/ShapeLine'
import { useShape } from '../shape/shape'
import { PatternLine } from './lines/PatternLine'
import { togglePatterns, usePatterns } from '../kit/pattern'
import { ListenLine } from './lines/ListenLine'
import { useListening } from '../playback/listening'
import { openMore, usePage } from '../session/chosen'
import { WithField, WithPhrase } from './lines/WithPhrase'
import { OpenPhrase, Phrase, Tail, type Option } from './Phrase'
import { PlacePhrase } from './PlacePhrase'
import { openProof } from '../proof/proof'
import { ProofLine } from './lines/ProofLine'
import { openRead, setReading, useOpenReading } from '../reading/reading'
import { SelectionLine, SelectionMore } from './lines/SelectionLine'
import { give, send } from '../session/actions'
import { useDesk, useDeskParts } from '../session/store'
import { withoutMore } from './weights'
import { TouchForm } from './TouchForm'
import { ValueLadder } from './ValueLadder'

/** Commands whose keys change what a phrase says. */
const KEYS_OF: Record<string, readonly string[]> = {
  part: ['staff-up', 'staff-down'],
  voice: ['voice'],
  place: ['step-left', 'step-right'],
  'step value': ['coarser', 'finer'],
  'replace or add': ['policy'],
  hands: ['hands'],
  clicks: ['clicks'],
  pitches: ['pitches'],
}
const hintOf = (name: string) => KEYS_OF[name]?.map(hint).join('; ')

export const Line = memo(function Line() {
  const { pen, state, panel, selection, recording, recordLine } = useDeskParts(
    'pen',
    'state',
    'panel',
    'selection',
    'recording',
    'recordLine',
  )
  const ofFrame = usePage((s) => s.frame !== null) && !recording
  const ofMark = usePage((s) => s.marks !== null) && !recording
  const ofListening = useListening((s) => s.open) && !recording
  const ofPattern = usePatterns((s) => s.open) && pen?.drums != null && !recording
  const ofShape = useShape((s) => s.open) && !recording
  if (!pen || !state) return <div className="min-h-16" />
  const about = selection.size > 0 && !recording
  return (
    <>
      <WithField />
      <section
        aria-label="The line"
        data-testid="line"
        className="line max-h-16 min-h-16 min-w-0 flex-1 overflow-y-auto font-serif max-xl:max-h-none">
        {ofListening ? (
          <ListenLine />
        ) : ofFrame ? (
          <FrameLine />
        ) : ofMark ? (
          <MarkLine />
        ) : ofShape ? (
          <ShapeLine />
        ) : ofPattern ? (
          <PatternLine pen={pen} />
        ) : about ? (
          <SelectionLine pen={pen} />
        ) : panel === 'record' && recordLine ? (
          <RecordLine pen={pen} record={recordLine} />
        ) : panel === 'read' ? (
          <ReadLine pen={pen} />
        ) : panel === 'proof' ? (
          <ProofLine part={pen.part_name} way={<WayPhrase pen={pen} words="Proof" />} />
        ) : (
          <Sentence phrases={withoutMore(pen.line)} draw={(p) => <LinePart phrase={p} pen={pen} />} />
        )}
      </section>
    </>
  )
})

/** Everything that is not said in the line: found by typed words. */
export function More() {
  const pen = useDesk((s) => s.pen)
  const selects = useDesk((s) => s.selection.size > 0)
  const open = usePage((s) => s.moreOpen)
  if (!pen) return null
  return (
    <OpenPhrase name="more" words="More" wide button hint={hint('more')} shown={[open, openMore]}>
      {(close) => (
        <MoreForm pen={pen} onDone={close}>
          {selects && <SelectionMore />}
        </MoreForm>
      )}
    </OpenPhrase>
  )
}

/** Phrases in order; the mark that follows a control stays with it. */
function Sentence({ phrases, draw }: { phrases: readonly LinePhrase[]; draw: (phrase: LinePhrase) => ReactNode }) {
  const mark = (i: number) =>
    phrases[i]?.name && !phrases[i + 1]?.name ? (/^[,;:.)]+/.exec(phrases[i + 1]?.words ?? '')?.[0] ?? '') : ''
  return phrases.map((p, i) => {
    // an open menu stays open when words before it change
    const key = p.name ? `${p.name} ${phrases.slice(0, i).filter((q) => q.name === p.name).length}` : i
    if (p.name)
      return mark(i) ? (
        <Tail key={key} end={mark(i)}>
          {draw(p)}
        </Tail>
      ) : (
        <Fragment key={key}>{draw(p)}</Fragment>
      )
    return <Fragment key={key}>{i ? p.words.slice(mark(i - 1).length) : p.words}</Fragment>
  })
}

/** Entry in one of its ways: recording and reading are left. */
function enter(command: Command) {
  useDesk.setState({ panel: 'step' })
  setRecord({ name: 'record-on', on: false })
  give(command)
}

function record() {
  useDesk.setState({ panel: 'record' })
  setRecord({ name: 'record-on', on: true })
}

function RecordLine({ pen, record }: { pen: Pen; record: RecordLineData }) {
  return (
    <Sentence
      phrases={record.line}
      draw={(p) =>
        p.name === 'way of working' ? (
          <WayPhrase pen={pen} words={p.words} />
        ) : (
          <RecordPart phrase={p} pen={pen} record={record} />
        )
      }
    />
  )
}

function WayPhrase({ pen, words }: { pen: Pen; words: string }) {
  const now = useDesk((s) => s.panel)
  const any = useDesk((s) => s.readings.length > 0)
  const options: Option[] = [
    ...(pen.line[0]?.choices ?? []).map((c) => ({
      label: c.label,
      chosen: now === 'step' && c.chosen,
      act: () => enter(c.do as Command),
    })),
    { label: 'Record: play in time, with the click or freely', chosen: now === 'record', act: record },
    ...(any
      ? [{ label: 'Read: how a take was written down, and its doubts', chosen: now === 'read', act: () => openRead() }]
      : []),
    { label: 'Proof: play what is on the page, and see where they differ', chosen: now === 'proof', act: openProof },
  ]
  return (
    <Phrase name="way of working" options={options} strong>
      {words}
    </Phrase>
  )
}

function LinePart({ phrase, pen }: { phrase: LinePhrase; pen: Pen }) {
  if (phrase.name === 'way of working') return <WayPhrase pen={pen} words={phrase.words} />
  if (phrase.form === 'with') return <WithPhrase />
  if (phrase.form === 'patterns')
    return (
      <button
        type="button"
        className="phrase"
        data-phrase={phrase.name}
        title={hint('patterns')}
        onClick={togglePatterns}>
        {phrase.words}
      </button>
    )
  if (phrase.form === 'place') return <PlacePhrase pen={pen} words={phrase.words} />
  const form = { ladder: <ValueLadder pen={pen} />, touch: <TouchForm /> }[phrase.form]
  if (form)
    return (
      <OpenPhrase name={phrase.name} words={phrase.words} hint={hintOf(phrase.name)}>
        {form}
      </OpenPhrase>
    )
  const options = phrase.choices.map((c) => ({ label: c.label, chosen: c.chosen, act: () => give(c.do as Command) }))
  return (
    <Phrase name={phrase.name} options={options} hint={hintOf(phrase.name)}>
      {phrase.words}
    </Phrase>
  )
}

/** How the open take was read; the words come from the server (core/reading/sentence.py). */
function ReadLine({ pen }: { pen: Pen }) {
  const reading = useOpenReading()
  if (!reading) return <WayPhrase pen={pen} words="Read" />
  if (reading.questions[0]) return <LeadLine question={reading.questions[0]} />
  return (
    <>
      <Sentence
        phrases={reading.line}
        draw={(p) =>
          p.name === 'way of working' ? (
            <WayPhrase pen={pen} words={p.words} />
          ) : p.form === 'outcome' ? (
            <OutcomePhrase phrase={p} />
          ) : (
            <Phrase
              name={p.name}
              options={p.choices.map((c) => ({
                label: c.label,
                chosen: c.chosen,
                act: () => setReading(c.do as ReadingChoice),
              }))}>
              {p.words}
            </Phrase>
          )
        }
      />
      ; write its{' '}
      <button
        type="button"
        className="phrase"
        data-phrase="pedal"
        onClick={() => send({ type: 'take-marks', reading: reading.id, what: 'pedal' })}>
        pedal
      </button>
      ,{' '}
      <button
        type="button"
        className="phrase"
        data-phrase="dynamics"
        onClick={() => send({ type: 'take-marks', reading: reading.id, what: 'dynamics' })}>
        dynamics
      </button>{' '}
      or{' '}
      <button
        type="button"
        className="phrase"
        data-phrase="rit. and pauses"
        onClick={() => send({ type: 'take-marks', reading: reading.id, what: 'tempo' })}>
        rit. and pauses
      </button>{' '}
      as marks.
    </>
  )
}
