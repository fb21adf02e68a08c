/**
 * Learned controls: any key, pad, pedal or knob of an instrument can run a command. A learned control no longer
 * writes or sounds. Kept in the browser.
 */
import { create } from 'zustand'
import { keyName } from './names'

type HeardKind = 'down' | 'up' | 'control'

const STORE = 'ductus.learned'
const ON = 64 // a controller counts as pressed from here on (MIDI 1.0)

interface Learned {
  /** trigger ("key 21", "control 66") -> command id */
  bound: Record<string, string>
  /** command that waits for its control, or null */
  learning: string | null
  /** what became of the last try */
  said: string
  learn(command: string | null, label?: string): void
  forget(command: string): void
  reset(): void
}

const keep = (bound: Record<string, string>) => {
  localStorage.setItem(STORE, JSON.stringify(bound))
  return { bound }
}

export const useLearned = create<Learned>((set) => ({
  bound: JSON.parse(localStorage.getItem(STORE) ?? '{}') as Record<string, string>,
  learning: null,
  said: '',
  learn: (learning, label) => set({ learning, said: learning ? `Press the key, pad, pedal or knob for “${label ?? learning}” now. Closing this page ends it.` : '' }),
  forget: (command) => set((s) => keep(Object.fromEntries(Object.entries(s.bound).filter(([, c]) => c !== command)))),
  reset: () => set({ ...keep({}), said: 'No control is learned any more.' }),
}))

let run: (command: string) => void = () => undefined
let labelOf: (command: string) => string = (command) => command
/** The table of commands registers itself here, since it knows the instruments and they must not know it. */
export const onLearned = (runner: (command: string) => void, label: (command: string) => string) => {
  run = runner
  labelOf = label
}

/** A pitch wheel moves all the time it is held, so that it can run no command. */
export function refuseWheel(): void {
  if (useLearned.getState().learning) useLearned.setState({ said: 'The pitch wheel cannot run a command: press a key, pad, pedal or knob.' })
}
const level = new Map<string, number>()

/** "key 21" in words: "key A0". */
export function triggerWords(trigger: string): string {
  const [kind, number] = trigger.split(' ')
  return kind === 'key' ? `key ${keyName(Number(number))}` : Number(number) === 64 ? 'the pedal' : `control ${number}`
}

/** Does a command take this event? Learning takes it too. */
export function takenByCommand(kind: HeardKind, number: number, value: number): boolean {
  const { learning, bound } = useLearned.getState()
  const trigger = `${kind === 'control' ? 'control' : 'key'} ${number}`
  const before = level.get(trigger) ?? 0
  if (kind === 'control') level.set(trigger, value)
  const pressed = kind === 'down' || (kind === 'control' && value >= ON && before < ON)
  if (learning && pressed) {
    const taken = bound[trigger]
    if (taken && taken !== learning) {
      useLearned.setState({ learning: null, said: `${triggerWords(trigger)} already runs “${labelOf(taken)}”; forget that first. Nothing was changed.` })
      return true
    }
    useLearned.setState({ ...keep({ ...bound, [trigger]: learning }), learning: null, said: `Learned: ${triggerWords(trigger)} runs “${labelOf(learning)}” and writes no note any more.` })
    return true
  }
  const command = bound[trigger]
  if (!command) return false
  if (pressed) run(command)
  return true
}
