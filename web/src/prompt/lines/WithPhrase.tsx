/**
 * "with ...": one phrase that takes any mark as musicians write it, for the selected notes or at the pen, with
 * suggestions drawn as the mark. Words that begin with "lyrics" at the pen are sung along: a space, a hyphen or an
 * underscore puts the syllable under its note and goes on.
 */
import { useEffect, useId, useState, type KeyboardEvent, type ReactNode } from 'react'
import { Popover } from 'radix-ui'
import { rest } from '../../session/rest'
import type { Suggestion } from '../../session/wire'
import { hint } from '../../input/commands'
import { give, say } from '../../session/actions'
import { useDesk } from '../../session/store'
import { giveMark, openWith, usePage } from '../../session/chosen'
import { counted } from '../words'
import { DOCKED } from '../docked'

/** "lyrics" and the beginning of what is sung; a verse by its number, with or without a colon. */
const SINGING = /^lyrics?(?:\s+(\d))?(?::\s*|\s+)(?!\d(?:[\s:]|$))(\S[\s\S]*)$/i
const JOINS = { ' ': 'word', '-': 'syllable', _: 'hold' } as const

export function WithPhrase() {
  const open = usePage((s) => s.withOpen)
  return (
    <button
      type="button"
      className="phrase"
      data-phrase="with"
      data-state={open ? 'open' : 'closed'}
      aria-label="with a mark"
      aria-haspopup="dialog"
      aria-expanded={open}
      title={hint('with')}
      onPointerDown={(e) => e.stopPropagation()}
      onClick={() => openWith(!open)}>
      with ...
    </button>
  )
}

/** Where the field opens: at the phrase, whatever the line speaks of. */
const anchor = {
  current: {
    getBoundingClientRect: () =>
      (
        document.querySelector('[data-phrase="with"]') ??
        document.querySelector('[data-testid="line"]') ??
        document.body
      ).getBoundingClientRect(),
  },
}

/** The field itself stands apart from the line, so that it stays when the line comes to speak of something else. */
export function WithField() {
  const open = usePage((s) => s.withOpen)
  return (
    <Popover.Root open={open} onOpenChange={openWith}>
      <Popover.Anchor virtualRef={anchor} />
      <Popover.Portal>
        <Popover.Content
          {...DOCKED}
          className="menu docked roomy w-96 font-serif text-base"
          aria-label="with a mark"
          onCloseAutoFocus={(e) => e.preventDefault()}>
          <Field />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  )
}

function Field() {
  const [text, setText] = useState('')
  const [begun, setBegun] = useState('')
  const [verse, setVerse] = useState<number | null>(null)
  const selected = useDesk((s) => s.selection.size)
  return verse === null ? (
    <Words
      text={text}
      onText={(value) => {
        const sung = SINGING.exec(value)
        if (sung && !selected && !/[\s_-]/.test(sung[2]!)) {
          setBegun(sung[2]!)
          setVerse(Number(sung[1] ?? 1))
        } else setText(value)
      }}
    />
  ) : (
    <Singing verse={verse} begun={begun} onEnd={() => openWith(false)} />
  )
}

function Words({ text, onText }: { text: string; onText: (text: string) => void }) {
  const id = useId()
  const selected = useDesk((s) => s.selection.size)
  const [told, setTold] = useState<{ of: string; marks: readonly Suggestion[] }>({ of: '', marks: [] })
  const found = told.marks
  const [active, setActive] = useState(0)
  const [entered, setEntered] = useState(false) // Enter came before the suggestions did: it takes the first of them
  const [chosen, setChosen] = useState(false) // by the arrow keys: words that are not known are not taken by Enter alone
  useEffect(() => {
    let stale = false
    const wanted = /^lyrics?\b/i.test(text) ? Promise.resolve([]) : rest.marks(text.slice(0, 200))
    wanted
      .catch(() => [])
      .then((marks) => {
        if (!stale) {
          setTold({ of: text, marks })
          setActive(0)
          setChosen(false)
        }
      })
    return () => {
      stale = true
    }
  }, [text])

  const take = (s: Suggestion | undefined) => {
    if (s?.explains) rest.explain(text, s.explains).catch(() => undefined)
    openWith(false)
    giveMark(s?.text ?? text)
  }
  const enter = (s: Suggestion | undefined) => {
    if (!s?.explains || chosen) return take(s)
    setChosen(true)
    say(`Not known yet. ${s.words}? Arrow keys choose, Enter takes it`)
  }
  useEffect(() => {
    if (!entered || told.of !== text) return
    setEntered(false)
    enter(found[0])
  }, [entered, told, text])
  const onKey = (e: KeyboardEvent) => {
    if (e.key === 'ArrowDown' || e.key === 'ArrowUp') {
      e.preventDefault()
      setChosen(true)
      setActive((k) => (k + (e.key === 'ArrowDown' ? 1 : found.length - 1)) % Math.max(found.length, 1))
    } else if (e.key === 'Enter') {
      e.preventDefault()
      if (!text.trim() && !active) return
      if (told.of !== text) return setEntered(true)
      enter(found[active])
    }
  }
  const asks = found[0]?.explains
  return (
    <div className="flex flex-col gap-2">
      <label className="flex items-center gap-2">
        {selected ? `${selected === 1 ? 'this note' : `these ${counted(selected, 'note')}`} with` : 'from here, with'}
        <input
          autoFocus
          value={text}
          maxLength={20_000}
          onChange={(e) => onText(e.target.value)}
          onKeyDown={onKey}
          className="field min-w-0 flex-1"
          placeholder="mf, slur, rit., Cm7 ..."
          role="combobox"
          aria-expanded={found.length > 0}
          aria-controls={id}
          aria-activedescendant={found.length ? `${id}-${active}` : undefined}
          aria-label="mark"
        />
      </label>
      {asks && <p className="text-[0.9rem]">“{text}” is not known yet. What is it?</p>}
      <ul id={id} role="listbox" aria-label="marks" className="flex flex-col">
        {found.map((s, k) => (
          <li
            key={s.text}
            id={`${id}-${k}`}
            role="option"
            aria-selected={k === active}
            onPointerDown={(e) => {
              e.preventDefault()
              take(s)
            }}
            onPointerEnter={() => setActive(k)}
            className={`menu-item items-center ${k === active ? 'bg-wash' : ''}`}>
            <span>{s.words}</span>
            <span aria-hidden className="music flex h-7 items-center text-[1.35rem] leading-none">
              {DRAWN[s.words] ?? s.picture}
            </span>
          </li>
        ))}
      </ul>
      {!selected && (
        <p className="text-[0.9rem] text-faint">
          Signs of notes go to the next note. After “lyrics” and a space, words are sung along. The same mark again
          takes it away.
        </p>
      )}
    </div>
  )
}

/** What has no letter of its own in the music face, by its words. */
const line = (path: string, more?: ReactNode) => (
  <svg viewBox="0 0 30 14" className="h-4 w-9" fill="none" stroke="currentColor" strokeWidth={1.2}>
    <path d={path} />
    {more}
  </svg>
)
const DRAWN: Readonly<Record<string, ReactNode>> = {
  slur: (
    <svg viewBox="0 0 30 10" className="h-3 w-8">
      <path d="M1 9Q15 -3 29 9Q15 0 1 9" fill="currentColor" />
    </svg>
  ),
  'crescendo hairpin': line('M29 2L2 7L29 12'),
  'diminuendo hairpin': line('M1 2L28 7L1 12'),
  'repeat begins': line(
    'M13 1V13',
    <>
      <path d="M10 1V13" strokeWidth={2.6} />
      <circle cx={16.5} cy={5} r={1.1} fill="currentColor" />
      <circle cx={16.5} cy={9} r={1.1} fill="currentColor" />
    </>,
  ),
  'repeat ends': line(
    'M17 1V13',
    <>
      <path d="M20 1V13" strokeWidth={2.6} />
      <circle cx={13.5} cy={5} r={1.1} fill="currentColor" />
      <circle cx={13.5} cy={9} r={1.1} fill="currentColor" />
    </>,
  ),
  'cresc.': <i className="font-serif text-base">the word, in place of a hairpin</i>,
  'dim.': <i className="font-serif text-base">the word, in place of a hairpin</i>,
  'decresc.': <i className="font-serif text-base">the word, in place of a hairpin</i>,
}

/** Words typed along the notes. */
function Singing({ verse, begun, onEnd }: { verse: number; begun: string; onEnd: () => void }) {
  const [text, setText] = useState(begun)
  const place = useDesk((s) =>
    s.pen?.bar_number ? `bar ${s.pen.bar_number}, beat ${s.pen.beat}` : `the pick-up, beat ${s.pen?.beat}`,
  )
  const onText = (value: string) => {
    const words = value.trim()
    const last = value.at(-1) as keyof typeof JOINS | undefined
    if (/[\s_-]/.test(value.slice(0, -1).trim())) {
      // pasted
      giveMark(`lyrics ${verse}: ${value}`)
      setText('')
      onEnd()
    } else if (last && last in JOINS) {
      const syllable = words.replace(/[-_]$/, '')
      if (syllable || last === '_' || last === ' ')
        give({ name: 'sing', text: syllable.slice(0, 40), then: JOINS[last], verse })
      setText('')
    } else setText(value)
  }
  return (
    <div className="flex flex-col gap-2">
      <label className="flex items-center gap-2">
        Verse {verse}, {place}:
        <input
          autoFocus
          value={text}
          onChange={(e) => onText(e.target.value)}
          aria-label="syllable"
          onFocus={(e) => e.target.setSelectionRange(text.length, text.length)}
          className="field min-w-0 flex-1"
          onKeyDown={(e) => {
            if (e.key === 'Enter') {
              e.preventDefault()
              if (text.trim()) give({ name: 'sing', text: text.trim().slice(0, 40), then: 'word', verse })
              onEnd()
            }
          }}
        />
      </label>
      <p className="text-[0.9rem] text-faint">
        Space: next word. Hyphen: next syllable. Underscore: it goes on over the next note. Enter ends. A whole text can
        be pasted.
      </p>
    </div>
  )
}
