/**
 * The lead-through after a take: one question at a time in the line, the opening of each answer engraved in the margin.
 */
import { useEffect, useLayoutEffect, useRef, useState } from 'react'
import { rest } from '../../session/rest'
import type { Question, Reading } from '../../session/wire'
import { byId, hint, keyWords } from '../../input/commands'
import { drawingOf } from '../../sheet/engraving'
import { Radios } from '../Radios'
import { useDesk } from '../../session/store'
import { answerWith, setReading, settleQuestion } from '../../reading/reading'
import { cx } from '../../shell/classes'

const key = (id: string) => keyWords(byId.get(id)?.keys[0] ?? '')

/** The question as a sentence; every answer is a control. */
export function LeadLine({ question }: { question: Question }) {
  const lone = question.answers.length < 2
  return (
    <div data-testid="lead">
      <span className="font-bold text-vermilion">{question.words}</span>{' '}
      <Radios
        label={question.words}
        className="inline"
        item={(chosen) => `phrase mr-3 px-1 ${chosen && !lone ? 'rounded-[3px] bg-wash font-bold' : ''}`}
        answers={question.answers.map((answer, i) => ({
          label: answer.label,
          chosen: i === question.chosen,
          act: () => (lone ? settleQuestion(question) : answerWith(question, i)),
        }))}
      />
      <span className="text-[1.02rem] text-faint">
        {!lone && (
          <>
            <kbd>{key('swap-doubt')}</kbd> the next answer ·{' '}
          </>
        )}
        <button
          type="button"
          className="underline"
          title={hint('accept-doubt')}
          onClick={() => settleQuestion(question)}>
          go on
        </button>{' '}
        <kbd>{key('accept-doubt')}</kbd> ·{' '}
        <button type="button" className="underline" onClick={() => settleQuestion(question)}>
          pass over
        </button>{' '}
        <kbd>{key('next-doubt')}</kbd> ·{' '}
        <button type="button" className="underline" onClick={() => setReading({ name: 'answer', question: null })}>
          ask no more
        </button>
      </span>
    </div>
  )
}

/** Two bars of each answer, as they would be engraved. */
export function Openings({ reading, question }: { reading: Reading; question: Question }) {
  const pieceId = useDesk((s) => s.pieceId)
  const revision = useDesk((s) => s.state?.revision)
  const [drawn, setDrawn] = useState<readonly string[]>([])
  useEffect(() => {
    let late = false
    setDrawn([])
    rest.openings(pieceId, reading.id, question.name).then(
      (all) => {
        if (!late) setDrawn(all)
      },
      () => undefined,
    )
    return () => {
      late = true
    }
  }, [pieceId, reading.id, question.name, revision])
  return (
    <section aria-label={question.words} data-testid="openings" className="border-l-2 border-vermilion pl-3">
      <h2 className="font-serif text-lg leading-tight text-vermilion">{question.words}</h2>
      {question.answers.map((answer, i) => (
        <button
          key={answer.label}
          type="button"
          onClick={() => answerWith(question, i)}
          aria-pressed={i === question.chosen}
          className={cx(
            'mt-1 block w-full rounded-[4px] border px-2 py-1 text-left',
            i === question.chosen ? 'border-vermilion bg-wash font-medium' : 'border-rule bg-paper',
          )}>
          <span>{answer.label}</span>
          {drawn[i] && <Opening svg={drawn[i]} />}
        </button>
      ))}
    </section>
  )
}

function Opening({ svg }: { svg: string }) {
  const holder = useRef<HTMLSpanElement>(null)
  useLayoutEffect(() => {
    holder.current?.replaceChildren(drawingOf(svg))
  }, [svg])
  return <span ref={holder} aria-hidden className="system opening block overflow-hidden" />
}
