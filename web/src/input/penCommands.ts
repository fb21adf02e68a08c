/** Commands of the pen: where it goes, which value, what it writes. */
import { endRecording } from '../recording/recorder'
import type { MarkEdit } from '../session/wire'
import { choose, give, walk } from '../session/actions'
import { useDesk } from '../session/store'
import { openListening, useListening } from '../playback/listening'
import { editMarks, giveMark, letPageGo, usePage } from '../session/chosen'
import { useComputerKeys } from './computerKeys'
import { closeShape, useShape } from '../shape/shape'
import { closePatterns, togglePatterns, usePatterns } from '../kit/pattern'
import { closeProof } from '../proof/proof'
import { type Command, server } from './command'

const VALUE_KEYS = [
  ['whole', 'Digit5'],
  ['half', 'Digit6'],
  ['quarter', 'Digit7'],
  ['eighth', 'Digit8'],
  ['16th', 'Digit9'],
  ['32nd', 'Minus'],
] as const

/** With a mark chosen on the sheet the key is for it. */
export const onMark = (what: MarkEdit, otherwise: () => void) => () =>
  usePage.getState().marks ? editMarks(what) : otherwise()

/** Marks that a key, pad or pedal may be learned for; each goes to what is selected, or to the pen. */
const MARKS = [
  'staccato',
  'tenuto',
  'accent',
  'marcato',
  'slur',
  'fermata',
  'trill',
  'p',
  'mp',
  'mf',
  'f',
  '<',
  '>',
  'pedal',
  'other staff',
  'stem up',
  'stem down',
] as const

const MARK_WORDS: Readonly<Record<string, string>> = {
  '<': 'a crescendo hairpin',
  '>': 'a diminuendo hairpin',
  slur: 'a slur',
  'other staff': 'notes on the other staff',
}

/** The step value in ticks as people see them, 960 to the quarter. */
export const shownStep = () => useDesk.getState().pen?.step_shown ?? 0

/** What is asked, the frame or a mark, what is selected: the first of them is let go. Says whether there was one. */
export function letGoOfPage(): boolean {
  const { ask, selection } = useDesk.getState()
  if (ask) useDesk.setState({ ask: null })
  else if (letPageGo()) return true
  else if (selection.size) choose([])
  else return false
  return true
}

/** Esc lets go of one thing at a time: a recording ends, what is asked, what is selected, a proof, then the pen. */
function letGo() {
  if (useDesk.getState().recording) endRecording()
  else if (useListening.getState().open) openListening(false)
  else if (useShape.getState().open && !useDesk.getState().selection.size) closeShape()
  else if (usePatterns.getState().open && !useDesk.getState().selection.size) closePatterns()
  else if (letGoOfPage()) return
  else if (useDesk.getState().panel === 'proof') closeProof()
  else give({ name: 'pen', down: false })
}

/** Commands of the pen: where it goes, which value, what it writes. */
export const PEN_COMMANDS: readonly Command[] = [
  {
    id: 'pen',
    group: 'Pen',
    label: 'Pen down / up',
    keys: ['NumpadMultiply', 'Backquote'],
    run: server({ name: 'pen' }),
  },
  { id: 'pen-up', group: 'Pen', label: 'Let the selection go; pen up', keys: ['Escape'], run: letGo },
  {
    id: 'ready',
    group: 'Pen',
    label: 'Ready: pen down, keys live; again undoes it',
    keys: ['F2'],
    run: server({ name: 'ready' }),
  },
  {
    id: 'step-left',
    group: 'Pen',
    label: 'One step left; with a selection, the note before',
    keys: ['ArrowLeft', 'Numpad4'],
    run: () => walk('left'),
  },
  {
    id: 'step-right',
    group: 'Pen',
    label: 'One step right; with a selection, the next note',
    keys: ['ArrowRight', 'Numpad6'],
    run: () => walk('right'),
  },
  {
    id: 'beat-left',
    group: 'Pen',
    label: 'One beat left',
    keys: ['Shift+ArrowLeft'],
    run: server({ name: 'move', by: 'beat', to: 'left' }),
  },
  {
    id: 'beat-right',
    group: 'Pen',
    label: 'One beat right',
    keys: ['Shift+ArrowRight'],
    run: server({ name: 'move', by: 'beat', to: 'right' }),
  },
  {
    id: 'bar-left',
    group: 'Pen',
    label: 'One bar left',
    keys: ['Ctrl+ArrowLeft', 'PageUp'],
    run: server({ name: 'move', by: 'bar', to: 'left' }),
  },
  {
    id: 'bar-right',
    group: 'Pen',
    label: 'One bar right',
    keys: ['Ctrl+ArrowRight', 'PageDown'],
    run: server({ name: 'move', by: 'bar', to: 'right' }),
  },
  {
    id: 'staff-up',
    group: 'Pen',
    label: 'Staff above',
    keys: ['ArrowUp', 'Numpad8'],
    run: server({ name: 'staff', direction: 'previous' }),
  },
  {
    id: 'staff-down',
    group: 'Pen',
    label: 'Staff below',
    keys: ['ArrowDown', 'Numpad2'],
    run: server({ name: 'staff', direction: 'next' }),
  },
  {
    id: 'staff-start',
    group: 'Pen',
    label: 'Other staff, where this pass began',
    keys: ['Shift+ArrowDown'],
    run: server({ name: 'staff', direction: 'next', at_start: true }),
  },
  { id: 'voice', group: 'Pen', label: 'Next voice of the staff', keys: ['KeyI'], run: server({ name: 'voice' }) },
  {
    id: 'hands',
    group: 'Pen',
    label: 'Both hands: keys are divided between the staves, or all into one',
    keys: ['Shift+KeyI'],
    run: server({ name: 'hands' }),
  },
  {
    id: 'return',
    group: 'Pen',
    label: 'Back to where this pass began; with a mark chosen, it goes back to its own place',
    keys: ['Home'],
    run: onMark({ name: 'marks-in-place' }, server({ name: 'return' })),
  },
  {
    id: 'coarser',
    group: 'Value',
    label: 'Coarser step',
    keys: ['Numpad9', 'BracketLeft'],
    run: server({ name: 'shift-value', to: 'coarser' }),
  },
  {
    id: 'finer',
    group: 'Value',
    label: 'Finer step',
    keys: ['Numpad7', 'BracketRight'],
    run: server({ name: 'shift-value', to: 'finer' }),
  },
  {
    id: 'dot',
    group: 'Value',
    label: 'Dot for the next note (held: stays on)',
    keys: ['NumpadDecimal', 'Digit1'],
    run: server({ name: 'dot' }),
    hold: server({ name: 'dot', latch: true }),
  },
  {
    id: 'triplet',
    group: 'Value',
    label: 'Triplet (held: stays on)',
    keys: ['Numpad3', 'Digit3'],
    run: server({ name: 'tuplet', actual: 3, normal: 2 }),
    hold: server({ name: 'tuplet', actual: 3, normal: 2, latch: true }),
  },
  {
    id: 'quintuplet',
    group: 'Value',
    label: 'Quintuplet (held: stays on)',
    keys: ['NumpadSubtract', 'Digit4'],
    run: server({ name: 'tuplet', actual: 5, normal: 4 }),
    hold: server({ name: 'tuplet', actual: 5, normal: 4, latch: true }),
  },
  ...VALUE_KEYS.map(([value, key]): Command => ({
    id: `value-${value}`,
    group: 'Value',
    label: `${value[0]!.toUpperCase()}${value.slice(1)} (in rhythm first: write one)`,
    keys: [key],
    run: server({ name: 'rhythm-value', base: value }),
  })),
  {
    id: 'clicks',
    group: 'Pen',
    label: 'A click on a staff writes a note, or places the pen',
    keys: ['Slash'],
    run: server({ name: 'clicks' }),
  },
  {
    id: 'advance',
    group: 'Step',
    label: 'Advance: write what is held, beat, tap',
    keys: ['Numpad5', 'KeyZ'],
    run: server({ name: 'advance' }),
  },
  {
    id: 'pitches',
    group: 'Step',
    label: 'Rhythm is done: now the pitches',
    keys: ['KeyQ'],
    run: server({ name: 'pitches' }),
  },
  { id: 'rest', group: 'Step', label: 'Rest', keys: ['Numpad0', 'Digit0'], run: server({ name: 'rest' }) },
  {
    id: 'grace',
    group: 'Step',
    label: 'The next key is a grace note (held: all keys, until pressed again)',
    keys: ['Shift+Digit0'],
    run: server({ name: 'grace' }),
    hold: server({ name: 'grace', latch: true }),
  },
  { id: 'back', group: 'Step', label: 'Step back', keys: ['Numpad1', 'Backspace'], run: server({ name: 'back' }) },
  {
    id: 'policy',
    group: 'Step',
    label: 'Replace / add / keep',
    keys: ['NumpadAdd', 'Equal'],
    run: server({ name: 'policy' }),
  },
  {
    id: 'patterns',
    group: 'Step',
    label: 'On a kit: the lines of its patterns',
    keys: ['Shift+KeyB'],
    run: togglePatterns,
  },
  {
    id: 'harmony',
    group: 'Step',
    label: 'Held to harmony / free, to compare',
    keys: ['Shift+KeyQ'],
    run: server({ name: 'switch-harmony' }),
  },
  {
    id: 'chords-by-keys',
    group: 'Step',
    label: 'Chords that are played become chord symbols / notes again',
    keys: ['Shift+Digit2'],
    run: server({ name: 'chords-by-keys' }),
  },
  ...MARKS.map((mark): Command => ({
    id: `with-${mark}`,
    group: 'Marks',
    label: `With ${MARK_WORDS[mark] ?? mark}`,
    keys: [],
    run: () => giveMark(mark),
  })),
  {
    id: 'octave-down',
    group: 'Keys as a piano',
    label: 'Octave lower',
    keys: ['KeyN'],
    run: () => useComputerKeys.getState().shiftOctave(-1),
  },
  {
    id: 'octave-up',
    group: 'Keys as a piano',
    label: 'Octave higher',
    keys: ['KeyM'],
    run: () => useComputerKeys.getState().shiftOctave(1),
  },
  {
    id: 'softer',
    group: 'Keys as a piano',
    label: 'Softer',
    keys: ['Shift+KeyN'],
    run: () => useComputerKeys.getState().shiftVelocity(-8),
  },
  {
    id: 'louder',
    group: 'Keys as a piano',
    label: 'Louder',
    keys: ['Shift+KeyM'],
    run: () => useComputerKeys.getState().shiftVelocity(8),
  },
]
