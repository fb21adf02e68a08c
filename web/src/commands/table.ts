/**
 * The one table of commands: label, keys, what runs. Help, hints and tests are made from it.
 *
 * A key is written as KeyboardEvent.code with modifiers in front ("Ctrl+KeyZ"). `hold` runs when the key is
 * held for a moment instead of being tapped.
 */
import { toggleRecording } from '../desk/recorder'
import { command, deleteSelection, travel } from '../desk/store'
import { togglePlaying } from '../desk/listening'
import { useComputerKeys } from '../input/computerKeys'
import { toggleFarView } from '../desk/view'

export interface Command {
  readonly id: string
  readonly group: 'Pen' | 'Value' | 'Step' | 'Listening' | 'Editing' | 'Keys as a piano' | 'View'
  readonly label: string
  readonly keys: readonly string[]
  readonly run: () => void
  readonly hold?: () => void
}

const server = (name: string, argument = '') => () => command(name, argument)

export const COMMANDS: readonly Command[] = [
  { id: 'pen', group: 'Pen', label: 'Pen down / up', keys: ['NumpadMultiply', 'Backquote'], run: server('pen') },
  { id: 'pen-up', group: 'Pen', label: 'Pen up', keys: ['Escape'], run: server('pen', 'up') },
  { id: 'step-left', group: 'Pen', label: 'One step left', keys: ['ArrowLeft', 'Numpad4'], run: server('step-left') },
  { id: 'step-right', group: 'Pen', label: 'One step right', keys: ['ArrowRight', 'Numpad6'], run: server('step-right') },
  { id: 'beat-left', group: 'Pen', label: 'One beat left', keys: ['Shift+ArrowLeft'], run: server('beat-left') },
  { id: 'beat-right', group: 'Pen', label: 'One beat right', keys: ['Shift+ArrowRight'], run: server('beat-right') },
  { id: 'bar-left', group: 'Pen', label: 'One bar left', keys: ['Ctrl+ArrowLeft', 'PageUp'], run: server('bar-left') },
  { id: 'bar-right', group: 'Pen', label: 'One bar right', keys: ['Ctrl+ArrowRight', 'PageDown'], run: server('bar-right') },
  { id: 'staff-up', group: 'Pen', label: 'Staff above', keys: ['ArrowUp', 'Numpad8'], run: server('staff', 'previous') },
  { id: 'staff-down', group: 'Pen', label: 'Staff below', keys: ['ArrowDown', 'Numpad2'], run: server('staff', 'next') },
  { id: 'return', group: 'Pen', label: 'Back to where this pass began', keys: ['Home'], run: server('return') },
  { id: 'coarser', group: 'Value', label: 'Coarser step', keys: ['Numpad9', 'BracketLeft'], run: server('coarser') },
  { id: 'finer', group: 'Value', label: 'Finer step', keys: ['Numpad7', 'BracketRight'], run: server('finer') },
  {
    id: 'dot', group: 'Value', label: 'Dot for the next note (held: stays on)', keys: ['NumpadDecimal', 'Digit1'],
    run: server('dot'), hold: server('dot', 'latch'),
  },
  {
    id: 'triplet', group: 'Value', label: 'Triplet (held: stays on)', keys: ['Numpad3', 'Digit3'],
    run: server('tuplet', '3:2'), hold: server('tuplet', '3:2 latch'),
  },
  { id: 'rest', group: 'Step', label: 'Rest', keys: ['Numpad0', 'Digit0'], run: server('rest') },
  { id: 'back', group: 'Step', label: 'Step back', keys: ['Numpad1', 'Backspace'], run: server('back') },
  { id: 'policy', group: 'Step', label: 'Replace / add / keep', keys: ['NumpadAdd', 'Equal'], run: server('policy') },
  { id: 'play', group: 'Listening', label: 'Play / stop', keys: ['NumpadEnter', 'Space'], run: togglePlaying },
  { id: 'record', group: 'Listening', label: 'Record / stop', keys: ['Backslash', 'NumpadDivide'], run: toggleRecording },
  { id: 'undo', group: 'Editing', label: 'Undo', keys: ['Ctrl+KeyZ'], run: () => travel('undo') },
  { id: 'redo', group: 'Editing', label: 'Redo', keys: ['Ctrl+Shift+KeyZ', 'Ctrl+KeyY'], run: () => travel('redo') },
  { id: 'delete', group: 'Editing', label: 'Delete the selected notes', keys: ['Delete'], run: deleteSelection },
  { id: 'octave-down', group: 'Keys as a piano', label: 'Octave lower', keys: ['KeyN'], run: () => useComputerKeys.getState().shiftOctave(-1) },
  { id: 'octave-up', group: 'Keys as a piano', label: 'Octave higher', keys: ['KeyM'], run: () => useComputerKeys.getState().shiftOctave(1) },
  { id: 'softer', group: 'Keys as a piano', label: 'Softer', keys: ['Shift+KeyN'], run: () => useComputerKeys.getState().shiftVelocity(-8) },
  { id: 'louder', group: 'Keys as a piano', label: 'Louder', keys: ['Shift+KeyM'], run: () => useComputerKeys.getState().shiftVelocity(8) },
  { id: 'far', group: 'View', label: 'Far view', keys: ['F8'], run: toggleFarView },
]

const NAMES: Record<string, string> = {
  Backquote: '`', BracketLeft: '[', BracketRight: ']', Equal: '=', Backslash: '\\', ArrowLeft: '←', ArrowRight: '→', ArrowUp: '↑',
  ArrowDown: '↓', NumpadMultiply: 'pad *', NumpadDecimal: 'pad .', NumpadAdd: 'pad +', NumpadEnter: 'pad Enter', NumpadDivide: 'pad /',
}

/** "Ctrl+KeyZ" as people read it: "Ctrl Z". */
export function keyWords(key: string): string {
  return key.split('+').map((k) => NAMES[k] ?? k.replace(/^Key|^Digit/, '').replace(/^Numpad/, 'pad ')).join(' ')
}

export const byId = new Map(COMMANDS.map((c) => [c.id, c]))

/** Hint for a control: its label and its first key. */
export function hint(id: string): string {
  const found = byId.get(id)
  return found ? `${found.label} (${found.keys.map(keyWords).join(' or ')})` : ''
}
