/**
 * One page of keys, made from the table of commands: what fits the moment first, learned controls beside each; it
 * prints.
 */
import { Dialog } from 'radix-ui'
import { memo, type ReactNode, useRef, useState } from 'react'
import type { Command } from '../input/command'
import { COMMANDS, keyWords } from '../input/commands'
import { useDesk } from '../session/store'
import { triggerWords, useLearned } from '../input/learned'
import { tasksWith } from './guide'
import { startTour } from './tour'
import { showHelp, useHelp } from './help'
import { counted } from '../prompt/words'
import { cx } from '../shell/classes'

const FITTING: Record<string, readonly string[]> = {
  step: ['pen', 'with', 'frame', 'coarser', 'finer', 'dot', 'triplet', 'rest', 'back', 'advance', 'policy'],
  pulse: ['pen', 'advance', 'coarser', 'finer', 'back'],
  rhythm: ['value-half', 'value-quarter', 'value-eighth', 'dot', 'rest', 'pitches', 'back'],
  over: ['back', 'return', 'step-left', 'step-right'],
  beat: ['advance', 'beat-left', 'beat-right'],
  foot: ['advance', 'rest', 'back', 'policy'],
  walk: ['advance', 'back', 'policy'],
  selection: [
    'with',
    'delete',
    'copy',
    'paste',
    'hold',
    'respell',
    'octave-up-notes',
    'select-left',
    'select-right',
    'select-bar',
    'pen-up',
  ],
}
const GROUPS = [...new Set(COMMANDS.map((c) => c.group))]

/** Commands and tasks of the guide in which the words are found. */
function Found({ words, row }: { words: string; row: (c: Command) => ReactNode }) {
  const wanted = words.toLowerCase().split(/\s+/).filter(Boolean)
  const commands = COMMANDS.filter((c) => {
    const all = `${c.label} ${c.group} ${c.keys.map(keyWords).join(' ')}`.toLowerCase()
    return wanted.every((w) => all.includes(w))
  })
  const tasks = tasksWith(words)
  const count = commands.length + tasks.length
  return (
    <div className="no-print" data-testid="help-found">
      <p role="status" className="text-faint">
        {count === 0
          ? `Nothing is said of “${words.trim()}”.`
          : `${counted(commands.length, 'command')}, ${counted(tasks.length, 'task')} of the guide`}
      </p>
      {commands.length > 0 && <ul className="mb-3">{commands.map(row)}</ul>}
      {tasks.map((t) => (
        <section
          key={t.name}
          aria-label={t.name}
          className="guide mb-3 max-w-[46rem] border-l-2 border-rule pl-3"
          dangerouslySetInnerHTML={{ __html: t.html }}
        />
      ))}
    </div>
  )
}

export const KeyPage = memo(function KeyPage() {
  const [words, setWords] = useState('')
  const field = useRef<HTMLInputElement>(null)
  const open = useHelp((s) => s.open)
  const { bound, learning, said, learn, forget, reset } = useLearned()
  const way = useDesk((s) => s.pen?.way ?? 'step')
  const selected = useDesk((s) => s.selection.size > 0)
  const fitting = (FITTING[selected ? 'selection' : way] ?? [])
    .map((id) => COMMANDS.find((c) => c.id === id))
    .filter((c) => c !== undefined)

  const row = (c: Command) => {
    const triggers = Object.entries(bound)
      .filter(([, id]) => id === c.id)
      .map(([t]) => triggerWords(t))
    return (
      <li key={c.id} className="flex items-baseline justify-between gap-3 break-inside-avoid py-0.5">
        <span>{c.label}</span>
        <span className="flex shrink-0 items-baseline gap-2">
          <kbd>{[...c.keys.map(keyWords), ...triggers].join(' · ')}</kbd>
          <button
            type="button"
            className="no-print text-[0.8rem] underline"
            aria-label={`Learn a control for: ${c.label}`}
            onClick={() => learn(learning === c.id ? null : c.id, c.label)}>
            {learning === c.id ? 'waiting' : 'learn'}
          </button>
          {triggers.length > 0 && (
            <button
              type="button"
              className="no-print text-[0.8rem] underline"
              aria-label={`Forget the control for: ${c.label}`}
              onClick={() => forget(c.id)}>
              forget
            </button>
          )}
        </span>
      </li>
    )
  }
  return (
    <Dialog.Root open={open} onOpenChange={showHelp} modal={false}>
      <Dialog.Portal>
        <Dialog.Content
          className={cx(
            'key-page fixed top-16 right-5 bottom-4 z-50 w-[62rem] max-w-[95vw]',
            'overflow-y-auto rounded-[4px] border border-rule bg-paper p-5 shadow-xl',
          )}
          aria-describedby={undefined}
          onEscapeKeyDown={(e) => {
            if (words) {
              e.preventDefault()
              setWords('')
            }
          }}
          onOpenAutoFocus={(e) => {
            e.preventDefault()
            field.current?.focus()
          }}
          onInteractOutside={(e) => e.preventDefault()}>
          <div className="flex items-baseline justify-between">
            <Dialog.Title className="font-serif text-2xl">Keys and controls</Dialog.Title>
            <span className="no-print flex gap-2">
              <button
                type="button"
                className="quiet-button"
                onClick={() => {
                  showHelp(false)
                  startTour()
                }}>
                The tour
              </button>
              <button type="button" className="quiet-button" onClick={() => window.print()}>
                Print this page
              </button>
              <button type="button" className="quiet-button" onClick={reset}>
                Forget all learned controls
              </button>
              <Dialog.Close className="quiet-button">Close</Dialog.Close>
            </span>
          </div>
          <p role="status" className="min-h-6 text-vermilion" data-testid="learned">
            {said}
          </p>
          <label className="no-print mb-3 flex items-center gap-2">
            Find{' '}
            <input
              ref={field}
              type="search"
              value={words}
              onChange={(e) => setWords(e.target.value)}
              placeholder="what you want to do, or a key"
              className="field w-80"
            />
          </label>
          {words.trim() && <Found words={words} row={row} />}
          <div className={`gap-8 md:columns-2 ${words.trim() ? 'hidden' : ''}`}>
            {fitting.length > 0 && (
              <section className="mb-3 break-inside-avoid border-l-2 border-vermilion pl-3">
                <h2 className="font-serif text-lg text-vermilion">Now</h2>
                <ul>{fitting.map(row)}</ul>
              </section>
            )}
            {GROUPS.map((group) => (
              <section key={group} className="mb-3">
                <h2 className="font-serif text-lg">{group}</h2>
                <ul>{COMMANDS.filter((c) => c.group === group).map(row)}</ul>
              </section>
            ))}
          </div>
          <p className="mt-2 text-faint">
            The letters A to ’ and W to P play pitches. A control that was learned no longer writes a note.
          </p>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  )
})
