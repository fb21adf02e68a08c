/** A phrase of the line: its words are a control with a menu of what else it could say. */
import { DropdownMenu, Popover } from 'radix-ui'
import { useState, type ReactNode } from 'react'
import { hint as hintOf } from '../input/commands'
import { cx } from '../shell/classes'
import { DOCKED } from './docked'
import { leads } from './weights'

/** One thing that a phrase could say, and what choosing it does. */
export interface Option {
  readonly label: string
  readonly act: () => void
  readonly chosen?: boolean
  readonly hint?: string | undefined
}

interface PhraseProps {
  readonly name: string
  readonly children: ReactNode
  readonly options: readonly Option[]
  readonly strong?: boolean
  readonly hint?: string | undefined
}

const ONE_COLUMN = 7 // choices; more stand side by side, so that the menu stays low

function inColumns(count: number) {
  if (count <= ONE_COLUMN) return {}
  const rows = Math.ceil(count / Math.ceil(count / ONE_COLUMN))
  return { className: 'grid grid-flow-col gap-x-2', style: { gridTemplateRows: `repeat(${rows}, auto)` } }
}

export function Phrase({ name, children, options, strong, hint }: PhraseProps) {
  const now = options.findIndex((o) => o.chosen)
  return (
    <DropdownMenu.Root modal={false}>
      <DropdownMenu.Trigger
        className={cx('phrase', leads(name) && 'lead', strong && 'font-bold text-vermilion')}
        aria-label={`${name}: ${textOf(children)}`}
        data-phrase={name}
        title={hint}>
        {children}
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content {...DOCKED} className="menu docked font-serif" aria-label={name}>
          <DropdownMenu.RadioGroup
            {...inColumns(options.length)}
            value={String(now)}
            onValueChange={(i) => options[Number(i)]?.act()}>
            {options.map((o, i) => (
              <DropdownMenu.RadioItem key={o.label} value={String(i)} className="menu-item">
                <span>{o.label}</span>
                {o.hint && <kbd>{o.hint}</kbd>}
              </DropdownMenu.RadioItem>
            ))}
          </DropdownMenu.RadioGroup>
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  )
}

interface OpenPhraseProps {
  readonly name: string
  readonly words: ReactNode
  readonly children: ReactNode | ((close: () => void) => ReactNode)
  readonly wide?: boolean
  readonly hint?: string | undefined
  /** It closes once its form has been given. */
  readonly closes?: boolean
  /** It is a button of its own, not a part of the sentence. */
  readonly button?: boolean
  /** Whether it is open, where a command can open it, too. */
  readonly shown?: readonly [boolean, (open: boolean) => void]
}

/** A phrase that opens a small form instead of a list. */
export function OpenPhrase({ name, words, children, wide, hint, closes, button, shown }: OpenPhraseProps) {
  const own = useState(false)
  const [open, setOpen] = shown ?? own
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger
        className={button ? 'more-button' : cx('phrase', leads(name) && 'lead')}
        aria-label={button ? textOf(words) : `${name}: ${textOf(words)}`}
        data-phrase={name}
        title={hint}>
        {words}
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          {...DOCKED}
          className={`menu docked roomy font-serif text-base ${wide ? 'w-[52rem] max-w-[94vw]' : 'w-72'}`}
          aria-label={name}
          onCloseAutoFocus={(e) => {
            if (button) e.preventDefault() // keys are for the desk again, not for the button
          }}
          onSubmit={() => {
            if (closes) setOpen(false)
          }}>
          {typeof children === 'function' ? children(() => setOpen(false)) : children}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  )
}

/** A phrase that does something at once; `command` names the command whose key does the same. */
export function Now({
  act,
  children,
  command,
  strong,
}: {
  act: () => void
  children: string
  command?: string
  strong?: boolean
}) {
  return (
    <button
      type="button"
      className={`phrase ${strong ? 'font-bold text-vermilion' : ''}`}
      data-phrase={children}
      title={command ? hintOf(command) : undefined}
      onClick={act}>
      {children}
    </button>
  )
}

/** A phrase with the mark that follows it: no line begins with a comma. */
export function Tail({ end = ',', children }: { end?: string; children: ReactNode }) {
  return (
    <span className="whitespace-nowrap">
      {children}
      {end}
    </span>
  )
}

function textOf(node: ReactNode): string {
  if (typeof node === 'string' || typeof node === 'number') return String(node)
  return Array.isArray(node) ? node.map(textOf).join('') : ''
}
