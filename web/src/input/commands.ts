/**
 * The one table of commands: label, keys, what runs. Help, hints and tests are made from it.
 *
 * A key is written as KeyboardEvent.code with modifiers in front ("Ctrl+KeyZ"). `hold` runs when the key is
 * held for a moment instead of being tapped.
 */
import { endRecording, recordAgain, toggleRecording } from '../recording/recorder'
import type { Command as EntryCommand, Edit, MarkEdit, Selecting } from '../session/wire'
import { choose, clip, edit, give, layOut, readAloud, select, travel, useDesk, walk } from '../session/store'
import { how } from '../playback/settings'
import { toggleHelp } from '../shell/help'
import { openListening, playFromStart, playSelection, toggleAsPlayed, toggleFeel, toggleLoop, togglePlaying, useListening } from '../playback/listening'
import { zoomBy } from '../sheet/zoom'
import { editMarks, giveMark, letPageGo, lookAtFrame, openWith, usePage } from '../session/chosen'
import { openPrint } from '../print/PrintView'
import { useComputerKeys } from './computerKeys'
import { toggleFarView } from '../shell/appearance'
import { closeShape, quantizeAgain, toggleShape, useShape } from '../shape/shape'
import { closePatterns, togglePatterns, usePatterns } from '../kit/pattern'
import { acceptDoubt, stepDoubt, swapDoubt, toggleRead } from '../reading/reading'
import { closeProof, toggleProof } from '../proof/proof'
import { onLearned } from './learned'

export interface Command {
  readonly id: string
  readonly group: 'Pen' | 'Value' | 'Step' | 'Listening' | 'Reading' | 'Reading aloud' | 'Selecting' | 'Editing' | 'Marks' | 'Keys as a piano' | 'View'
  readonly label: string
  readonly keys: readonly string[]
  readonly run: () => void
  readonly hold?: () => void
}

const server = (command: EntryCommand) => () => give(command)
const change = (what: Edit) => () => edit(what)
const pick = (what: Extract<Selecting, { what: unknown }>['what']) => () => select({ name: 'select', what })

const aloud = (what: 'column' | 'sounding' | 'voice' | 'bar' | 'where') => () => readAloud(what)

const VALUE_KEYS = [['whole', 'Digit5'], ['half', 'Digit6'], ['quarter', 'Digit7'], ['eighth', 'Digit8'], ['16th', 'Digit9'], ['32nd', 'Minus']] as const

/** With a mark chosen on the sheet the key is for it. */
const onMark = (what: MarkEdit, otherwise: () => void) => () => (usePage.getState().marks ? editMarks(what) : otherwise())

/** Marks that a key, pad or pedal may be learned for; each goes to what is selected, or to the pen. */
const MARKS = ['staccato', 'tenuto', 'accent', 'marcato', 'slur', 'fermata', 'trill', 'p', 'mp', 'mf', 'f', '<', '>', 'pedal', 'other staff', 'stem up', 'stem down'] as const
const MARK_WORDS: Readonly<Record<string, string>> = { '<': 'a crescendo hairpin', '>': 'a diminuendo hairpin', slur: 'a slur', 'other staff': 'notes on the other staff' }

/** The step value in ticks as people see them, 960 to the quarter. */
const shownStep = () => useDesk.getState().pen?.step_shown ?? 0

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
  else if (useDesk.getState().way === 'proof') closeProof()
  else give({ name: 'pen', down: false })
}

export const COMMANDS: readonly Command[] = [
  { id: 'pen', group: 'Pen', label: 'Pen down / up', keys: ['NumpadMultiply', 'Backquote'], run: server({ name: 'pen' }) },
  { id: 'pen-up', group: 'Pen', label: 'Let the selection go; pen up', keys: ['Escape'], run: letGo },
  { id: 'ready', group: 'Pen', label: 'Ready: pen down, keys live; again undoes it', keys: ['F2'], run: server({ name: 'ready' }) },
  { id: 'step-left', group: 'Pen', label: 'One step left; with a selection, the note before', keys: ['ArrowLeft', 'Numpad4'], run: () => walk('left') },
  { id: 'step-right', group: 'Pen', label: 'One step right; with a selection, the next note', keys: ['ArrowRight', 'Numpad6'], run: () => walk('right') },
  { id: 'beat-left', group: 'Pen', label: 'One beat left', keys: ['Shift+ArrowLeft'], run: server({ name: 'move', by: 'beat', to: 'left' }) },
  { id: 'beat-right', group: 'Pen', label: 'One beat right', keys: ['Shift+ArrowRight'], run: server({ name: 'move', by: 'beat', to: 'right' }) },
  { id: 'bar-left', group: 'Pen', label: 'One bar left', keys: ['Ctrl+ArrowLeft', 'PageUp'], run: server({ name: 'move', by: 'bar', to: 'left' }) },
  { id: 'bar-right', group: 'Pen', label: 'One bar right', keys: ['Ctrl+ArrowRight', 'PageDown'], run: server({ name: 'move', by: 'bar', to: 'right' }) },
  { id: 'staff-up', group: 'Pen', label: 'Staff above', keys: ['ArrowUp', 'Numpad8'], run: server({ name: 'staff', direction: 'previous' }) },
  { id: 'staff-down', group: 'Pen', label: 'Staff below', keys: ['ArrowDown', 'Numpad2'], run: server({ name: 'staff', direction: 'next' }) },
  { id: 'staff-start', group: 'Pen', label: 'Other staff, where this pass began', keys: ['Shift+ArrowDown'], run: server({ name: 'staff', direction: 'next', at_start: true }) },
  { id: 'voice', group: 'Pen', label: 'Next voice of the staff', keys: ['KeyI'], run: server({ name: 'voice' }) },
  { id: 'hands', group: 'Pen', label: 'Both hands: keys are divided between the staves, or all into one', keys: ['Shift+KeyI'], run: server({ name: 'hands' }) },
  { id: 'return', group: 'Pen', label: 'Back to where this pass began; with a mark chosen, it goes back to its own place', keys: ['Home'], run: onMark({ name: 'marks-in-place' }, server({ name: 'return' })) },
  { id: 'coarser', group: 'Value', label: 'Coarser step', keys: ['Numpad9', 'BracketLeft'], run: server({ name: 'shift-value', to: 'coarser' }) },
  { id: 'finer', group: 'Value', label: 'Finer step', keys: ['Numpad7', 'BracketRight'], run: server({ name: 'shift-value', to: 'finer' }) },
  {
    id: 'dot', group: 'Value', label: 'Dot for the next note (held: stays on)', keys: ['NumpadDecimal', 'Digit1'],
    run: server({ name: 'dot' }), hold: server({ name: 'dot', latch: true }),
  },
  {
    id: 'triplet', group: 'Value', label: 'Triplet (held: stays on)', keys: ['Numpad3', 'Digit3'],
    run: server({ name: 'tuplet', actual: 3, normal: 2 }), hold: server({ name: 'tuplet', actual: 3, normal: 2, latch: true }),
  },
  {
    id: 'quintuplet', group: 'Value', label: 'Quintuplet (held: stays on)', keys: ['NumpadSubtract', 'Digit4'],
    run: server({ name: 'tuplet', actual: 5, normal: 4 }), hold: server({ name: 'tuplet', actual: 5, normal: 4, latch: true }),
  },
  ...VALUE_KEYS.map(([value, key]): Command => ({
    id: `value-${value}`, group: 'Value', label: `${value[0]!.toUpperCase()}${value.slice(1)} (in rhythm first: write one)`, keys: [key], run: server({ name: 'rhythm-value', base: value }),
  })),
  { id: 'clicks', group: 'Pen', label: 'A click on a staff writes a note, or places the pen', keys: ['Slash'], run: server({ name: 'clicks' }) },
  { id: 'advance', group: 'Step', label: 'Advance: write what is held, beat, tap', keys: ['Numpad5', 'KeyZ'], run: server({ name: 'advance' }) },
  { id: 'pitches', group: 'Step', label: 'Rhythm is done: now the pitches', keys: ['KeyQ'], run: server({ name: 'pitches' }) },
  { id: 'rest', group: 'Step', label: 'Rest', keys: ['Numpad0', 'Digit0'], run: server({ name: 'rest' }) },
  { id: 'grace', group: 'Step', label: 'The next key is a grace note (held: all keys, until pressed again)', keys: ['Shift+Digit0'], run: server({ name: 'grace' }), hold: server({ name: 'grace', latch: true }) },
  { id: 'back', group: 'Step', label: 'Step back', keys: ['Numpad1', 'Backspace'], run: server({ name: 'back' }) },
  { id: 'policy', group: 'Step', label: 'Replace / add / keep', keys: ['NumpadAdd', 'Equal'], run: server({ name: 'policy' }) },
  { id: 'play', group: 'Listening', label: 'Play / stop', keys: ['NumpadEnter', 'Enter', 'Space'], run: togglePlaying },
  { id: 'play-start', group: 'Listening', label: 'Play from the start', keys: ['Shift+Enter', 'Shift+Space'], run: playFromStart },
  { id: 'play-selection', group: 'Listening', label: 'Play the bars of the selection', keys: ['Ctrl+Enter'], run: playSelection },
  { id: 'loop', group: 'Listening', label: 'The bars of the selection, or of the pen, go round and round / no longer', keys: ['F6'], run: toggleLoop },
  { id: 'listening', group: 'Listening', label: 'How it plays: tempo, parts, loop, feel', keys: ['F7'], run: () => openListening(!useListening.getState().open) },
  { id: 'as-played', group: 'Listening', label: 'Playback as it was played / as it is set', keys: ['Shift+KeyX'], run: toggleAsPlayed },
  { id: 'feel', group: 'Listening', label: 'Playback with feel / even', keys: ['Shift+KeyZ'], run: toggleFeel },
  { id: 'patterns', group: 'Step', label: 'On a kit: the lines of its patterns', keys: ['Shift+KeyB'], run: togglePatterns },
  { id: 'shape', group: 'Editing', label: 'The strip: times and velocities of the notes; quantize in place', keys: ['Shift+KeyR'], run: toggleShape },
  { id: 'quantize-again', group: 'Editing', label: 'Quantize in place, as last time', keys: ['Shift+KeyC'], run: quantizeAgain },
  { id: 'harmony', group: 'Step', label: 'Held to harmony / free, to compare', keys: ['Shift+KeyQ'], run: server({ name: 'switch-harmony' }) },
  { id: 'chords-by-keys', group: 'Step', label: 'Chords that are played become chord symbols / notes again', keys: ['Shift+Digit2'], run: server({ name: 'chords-by-keys' }) },
  { id: 'record', group: 'Listening', label: 'Record / stop', keys: ['Backslash', 'NumpadDivide'], run: toggleRecording },
  { id: 'again', group: 'Listening', label: 'Drop what is being recorded and begin again', keys: ['Shift+Backslash'], run: recordAgain },
  { id: 'read', group: 'Reading', label: 'Look at the take and how it was read', keys: ['KeyR'], run: toggleRead },
  { id: 'proof', group: 'Reading', label: 'Proof: play what is on the page / no longer', keys: ['Shift+F8'], run: toggleProof },
  { id: 'next-doubt', group: 'Reading', label: 'Next doubt, or next place that differs', keys: ['KeyV'], run: () => stepDoubt(1) },
  { id: 'previous-doubt', group: 'Reading', label: 'Doubt before', keys: ['Shift+KeyV'], run: () => stepDoubt(-1) },
  { id: 'swap-doubt', group: 'Reading', label: 'Swap to the next rival; in a proof: take over what was played', keys: ['KeyX'], run: swapDoubt },
  { id: 'accept-doubt', group: 'Reading', label: 'Accept, and go to the next doubt; in a proof: leave the page', keys: ['KeyC'], run: acceptDoubt },
  { id: 'aloud-column', group: 'Reading aloud', label: 'Say all that sounds at the pen', keys: ['F3'], run: aloud('column') },
  { id: 'aloud-sounding', group: 'Reading aloud', label: 'Say all that sounds at the pen, transposing instruments at sounding pitch', keys: ['Ctrl+Shift+F3'], run: aloud('sounding') },
  { id: 'aloud-voice', group: 'Reading aloud', label: 'Say the voice of the pen in this bar', keys: ['Shift+F3'], run: aloud('voice') },
  { id: 'aloud-bar', group: 'Reading aloud', label: 'Say the whole bar at the pen', keys: ['Alt+F3', 'Ctrl+F3'], run: aloud('bar') },
  { id: 'aloud-where', group: 'Reading aloud', label: 'Say where the pen is and what the next key will do', keys: ['F10'], run: aloud('where') },
  { id: 'undo', group: 'Editing', label: 'Undo', keys: ['Ctrl+KeyZ'], run: () => travel('undo') },
  { id: 'redo', group: 'Editing', label: 'Redo', keys: ['Ctrl+Shift+KeyZ', 'Ctrl+KeyY'], run: () => travel('redo') },
  { id: 'select-left', group: 'Selecting', label: 'Select one more to the left', keys: ['Ctrl+Shift+ArrowLeft'], run: pick('left') },
  { id: 'select-right', group: 'Selecting', label: 'Select one more to the right', keys: ['Ctrl+Shift+ArrowRight'], run: pick('right') },
  { id: 'select-bar', group: 'Selecting', label: 'Select the bar at the pen', keys: ['KeyB'], run: pick('bar') },
  { id: 'select-all', group: 'Selecting', label: 'Select everything', keys: ['Ctrl+KeyA'], run: pick('all') },
  { id: 'delete', group: 'Editing', label: 'Delete the selected notes, or the chosen mark', keys: ['Delete'], run: () => (usePage.getState().marks ? editMarks({ name: 'drop-marks' }) : edit({ name: 'delete' })) },
  { id: 'repeat', group: 'Editing', label: 'Repeat the bars of the selection once more', keys: ['Ctrl+KeyB'], run: () => edit({ name: 'repeat', times: 1 }) },
  { id: 'copy', group: 'Editing', label: 'Copy the selected notes', keys: ['Ctrl+KeyC'], run: () => clip('copy') },
  { id: 'cut', group: 'Editing', label: 'Cut the selected notes', keys: ['Ctrl+KeyX'], run: () => clip('cut') },
  { id: 'paste', group: 'Editing', label: 'Paste at the pen', keys: ['Ctrl+KeyV'], run: () => clip('paste') },
  { id: 'hold', group: 'Editing', label: 'Hold each to the next', keys: ['Period'], run: change({ name: 'hold' }) },
  { id: 'respell', group: 'Editing', label: 'Respell', keys: ['Comma'], run: change({ name: 'respell' }) },
  { id: 'note-up', group: 'Editing', label: 'Selected notes a staff step up (or drag them)', keys: ['Alt+ArrowUp'], run: onMark({ name: 'nudge-marks', up: 5 }, change({ name: 'steps', by: 1 })) },
  { id: 'note-down', group: 'Editing', label: 'Selected notes a staff step down', keys: ['Alt+ArrowDown'], run: onMark({ name: 'nudge-marks', up: -5 }, change({ name: 'steps', by: -1 })) },
  { id: 'note-earlier', group: 'Editing', label: 'Selected notes a step value earlier (or drag them)', keys: ['Alt+ArrowLeft'], run: onMark({ name: 'nudge-marks', right: -5 }, () => edit({ name: 'move-by', by: -shownStep() })) },
  { id: 'note-later', group: 'Editing', label: 'Selected notes a step value later', keys: ['Alt+ArrowRight'], run: onMark({ name: 'nudge-marks', right: 5 }, () => edit({ name: 'move-by', by: shownStep() })) },
  { id: 'note-longer', group: 'Editing', label: 'A step value longer (or drag with Alt)', keys: ['Shift+Period'], run: () => edit({ name: 'end-later', by: shownStep() }) },
  { id: 'note-shorter', group: 'Editing', label: 'A step value shorter', keys: ['Shift+Comma'], run: () => edit({ name: 'end-later', by: -shownStep() }) },
  { id: 'octave-up-notes', group: 'Editing', label: 'Selected notes an octave up; a chosen slur is bent upwards', keys: ['Ctrl+ArrowUp'], run: onMark({ name: 'bend-slurs', up: 5 }, change({ name: 'octave', by: 1 })) },
  { id: 'octave-down-notes', group: 'Editing', label: 'Selected notes an octave down; a chosen slur is bent downwards', keys: ['Ctrl+ArrowDown'], run: onMark({ name: 'bend-slurs', up: -5 }, change({ name: 'octave', by: -1 })) },
  { id: 'with', group: 'Editing', label: 'With a mark: dynamics, slurs, words, endings ... as musicians write them', keys: ['Digit2'], run: () => openWith(true) },
  { id: 'frame', group: 'Editing', label: 'The frame at the pen: bars, meter, key, tempo, clef, parts', keys: ['F4'], run: () => lookAtFrame('bar') },
  ...MARKS.map((mark): Command => ({ id: `with-${mark}`, group: 'Marks', label: `With ${MARK_WORDS[mark] ?? mark}`, keys: [], run: () => giveMark(mark) })),
  { id: 'octave-down', group: 'Keys as a piano', label: 'Octave lower', keys: ['KeyN'], run: () => useComputerKeys.getState().shiftOctave(-1) },
  { id: 'octave-up', group: 'Keys as a piano', label: 'Octave higher', keys: ['KeyM'], run: () => useComputerKeys.getState().shiftOctave(1) },
  { id: 'softer', group: 'Keys as a piano', label: 'Softer', keys: ['Shift+KeyN'], run: () => useComputerKeys.getState().shiftVelocity(-8) },
  { id: 'louder', group: 'Keys as a piano', label: 'Louder', keys: ['Shift+KeyM'], run: () => useComputerKeys.getState().shiftVelocity(8) },
  { id: 'help', group: 'View', label: 'Keys and controls', keys: ['F1'], run: toggleHelp },
  { id: 'print', group: 'View', label: 'Pages: print, PDF', keys: ['F9', 'Ctrl+KeyP'], run: openPrint },
  { id: 'sheet-pages', group: 'View', label: 'The sheet in pages, as they are printed, or as one scroll', keys: ['Shift+F9'], run: () => layOut(how().pages ? '' : 'a4') },
  { id: 'zoom-in', group: 'View', label: 'Sheet larger (or turn the wheel with Ctrl)', keys: ['Ctrl+Equal', 'Ctrl+NumpadAdd'], run: () => zoomBy('zoom', 1) },
  { id: 'zoom-out', group: 'View', label: 'Sheet smaller', keys: ['Ctrl+Minus', 'Ctrl+NumpadSubtract'], run: () => zoomBy('zoom', -1) },
  { id: 'zoom-usual', group: 'View', label: 'Sheet as large as it fits', keys: ['Ctrl+Digit0', 'Ctrl+Numpad0'], run: () => zoomBy('zoom', 0) },
  { id: 'strip-in', group: 'View', label: 'Strip wider', keys: ['Alt+Equal'], run: () => zoomBy('stripZoom', 1) },
  { id: 'strip-out', group: 'View', label: 'Strip narrower', keys: ['Alt+Minus'], run: () => zoomBy('stripZoom', -1) },
  { id: 'far', group: 'View', label: 'Far view', keys: ['F8'], run: toggleFarView },
]

const NAMES: Record<string, string> = {
  Backquote: '`', Minus: '-', BracketLeft: '[', BracketRight: ']', Equal: '=', Period: '.', Comma: ',', Slash: '/', Space: 'space', Escape: 'Esc', Backslash: '\\', ArrowLeft: '←', ArrowRight: '→', ArrowUp: '↑',
  ArrowDown: '↓', NumpadMultiply: 'pad *', NumpadDecimal: 'pad .', NumpadAdd: 'pad +', NumpadEnter: 'pad Enter', NumpadDivide: 'pad /', NumpadSubtract: 'pad -', Enter: 'Enter',
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

onLearned({ run: (id) => byId.get(id)?.run(), hold: (id) => byId.get(id)?.hold ?? null, label: (id) => byId.get(id)?.label ?? id })
