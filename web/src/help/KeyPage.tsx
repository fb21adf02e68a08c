/** One page of keys, made from the table of commands: what fits the moment first, learned controls beside each; it prints. */
import { Dialog } from 'radix-ui'
import { COMMANDS, keyWords, type Command } from '../commands/table'
import { useDesk } from '../desk/store'
import { triggerWords, useLearned } from '../input/learned'
import { useHelp } from './help'

const FITTING: Record<string, readonly string[]> = {
  step: ['pen', 'with', 'frame', 'coarser', 'finer', 'dot', 'triplet', 'rest', 'back', 'advance', 'policy'],
  pulse: ['pen', 'advance', 'coarser', 'finer', 'back'],
  rhythm: ['value-half', 'value-quarter', 'value-eighth', 'dot', 'rest', 'pitches', 'back'],
  over: ['back', 'return', 'step-left', 'step-right'],
  beat: ['advance', 'beat-left', 'beat-right'],
  foot: ['advance', 'rest', 'back', 'policy'],
  walk: ['advance', 'back', 'policy'],
  selection: ['with', 'delete', 'copy', 'paste', 'hold', 'respell', 'octave-up-notes', 'select-left', 'select-right', 'select-bar', 'pen-up'],
}
const GROUPS = [...new Set(COMMANDS.map((c) => c.group))]

export function KeyPage() {
  const open = useHelp((s) => s.open)
  const { bound, learning, said, learn, forget, reset } = useLearned()
  const way = useDesk((s) => s.pen?.way ?? 'step')
  const selected = useDesk((s) => s.selection.size > 0)
  const fitting = (FITTING[selected ? 'selection' : way] ?? []).map((id) => COMMANDS.find((c) => c.id === id)).filter((c) => c !== undefined)

  const row = (c: Command) => {
    const triggers = Object.entries(bound).filter(([, id]) => id === c.id).map(([t]) => triggerWords(t))
    return (
      <li key={c.id} className="flex items-baseline justify-between gap-3 break-inside-avoid py-0.5">
        <span>{c.label}</span>
        <span className="flex shrink-0 items-baseline gap-2">
          <kbd>{[...c.keys.map(keyWords), ...triggers].join(' · ')}</kbd>
          <button type="button" className="no-print text-[0.8rem] underline" aria-label={`Learn a control for: ${c.label}`} onClick={() => learn(learning === c.id ? null : c.id, c.label)}>
            {learning === c.id ? 'waiting' : 'learn'}
          </button>
          {triggers.length > 0 && <button type="button" className="no-print text-[0.8rem] underline" aria-label={`Forget the control for: ${c.label}`} onClick={() => forget(c.id)}>forget</button>}
        </span>
      </li>
    )
  }
  return (
    <Dialog.Root open={open} onOpenChange={(now) => { useHelp.setState({ open: now }); if (!now) learn(null) }} modal={false}>
      <Dialog.Portal>
        <Dialog.Content className="key-page fixed top-16 right-5 bottom-4 z-50 w-[62rem] max-w-[95vw] overflow-y-auto rounded-[4px] border border-rule bg-paper p-5 shadow-xl"
          aria-describedby={undefined} onInteractOutside={(e) => e.preventDefault()}>
          <div className="flex items-baseline justify-between">
            <Dialog.Title className="font-serif text-2xl">Keys and controls</Dialog.Title>
            <span className="no-print flex gap-2">
              <button type="button" className="quiet-button" onClick={() => window.print()}>Print this page</button>
              <button type="button" className="quiet-button" onClick={reset}>Forget all learned controls</button>
              <Dialog.Close className="quiet-button">Close</Dialog.Close>
            </span>
          </div>
          <p role="status" className="min-h-6 text-vermilion" data-testid="learned">{said}</p>
          <div className="gap-8 md:columns-2">
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
          <p className="mt-2 text-faint">The letters A to ’ and W to P play pitches. A control that was learned no longer writes a note.</p>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  )
}
