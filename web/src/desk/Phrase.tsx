/** A phrase of the line: its words are a control with a menu of what else it could say. */
import { DropdownMenu, Popover } from 'radix-ui'
import type { ReactNode } from 'react'

export interface Choice {
  readonly value: string
  readonly label: string
  readonly hint?: string
}

interface PhraseProps {
  readonly name: string
  readonly children: ReactNode
  readonly value: string
  readonly choices: readonly Choice[]
  readonly onChoose: (value: string) => void
  readonly strong?: boolean
}

export function Phrase({ name, children, value, choices, onChoose, strong }: PhraseProps) {
  return (
    <DropdownMenu.Root modal={false}>
      <DropdownMenu.Trigger className={`phrase ${strong ? 'font-bold text-vermilion' : ''}`} aria-label={`${name}: ${textOf(children)}`} data-phrase={name}>
        {children}
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content className="menu font-serif" side="top" align="start" sideOffset={6} aria-label={name}>
          <DropdownMenu.RadioGroup value={value} onValueChange={onChoose}>
            {choices.map((c) => (
              <DropdownMenu.RadioItem key={c.value} value={c.value} className="menu-item">
                <span>{c.label}</span>
                {c.hint && <kbd>{c.hint}</kbd>}
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
  readonly children: ReactNode
}

/** A phrase that opens a small form instead of a list. */
export function OpenPhrase({ name, words, children }: OpenPhraseProps) {
  return (
    <Popover.Root>
      <Popover.Trigger className="phrase" aria-label={`${name}: ${textOf(words)}`} data-phrase={name}>{words}</Popover.Trigger>
      <Popover.Portal>
        <Popover.Content className="menu w-72 p-3 font-serif text-base" side="top" align="start" sideOffset={6}>{children}</Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  )
}

/** A phrase with the mark that follows it: no line begins with a comma. */
export function Tail({ end = ',', children }: { end?: string; children: ReactNode }) {
  return <span className="whitespace-nowrap">{children}{end}</span>
}

function textOf(node: ReactNode): string {
  if (typeof node === 'string' || typeof node === 'number') return String(node)
  return Array.isArray(node) ? node.map(textOf).join('') : ''
}
