/**
 * The one table of commands: label, keys, what runs. Help, hints and tests are made from it.
 *
 * A key is written as KeyboardEvent.code with modifiers in front ("Ctrl+KeyZ"). `hold` runs when the key is
 * held for a moment instead of being tapped.
 */
import type { Command } from './command'
import { onLearned } from './learned'
import { PAGE_COMMANDS } from './pageCommands'
import { PEN_COMMANDS } from './penCommands'

export const COMMANDS: readonly Command[] = [...PEN_COMMANDS, ...PAGE_COMMANDS]

const NAMES: Record<string, string> = {
  Backquote: '`',
  Minus: '-',
  BracketLeft: '[',
  BracketRight: ']',
  Equal: '=',
  Period: '.',
  Comma: ',',
  Slash: '/',
  Space: 'space',
  Escape: 'Esc',
  Backslash: '\\',
  ArrowLeft: '←',
  ArrowRight: '→',
  ArrowUp: '↑',
  ArrowDown: '↓',
  NumpadMultiply: 'pad *',
  NumpadDecimal: 'pad .',
  NumpadAdd: 'pad +',
  NumpadEnter: 'pad Enter',
  NumpadDivide: 'pad /',
  NumpadSubtract: 'pad -',
  Enter: 'Enter',
}

/** "Ctrl+KeyZ" as people read it: "Ctrl Z". */
export function keyWords(key: string): string {
  return key
    .split('+')
    .map((k) => NAMES[k] ?? k.replace(/^Key|^Digit/, '').replace(/^Numpad/, 'pad '))
    .join(' ')
}

export const byId = new Map(COMMANDS.map((c) => [c.id, c]))

/** Hint for a control: its label and its first key. */
export function hint(id: string): string {
  const found = byId.get(id)
  return found ? `${found.label} (${found.keys.map(keyWords).join(' or ')})` : ''
}

onLearned({
  run: (id) => byId.get(id)?.run(),
  hold: (id) => byId.get(id)?.hold ?? null,
  label: (id) => byId.get(id)?.label ?? id,
})
