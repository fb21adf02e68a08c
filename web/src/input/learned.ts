/**
 * Learned controls: any key, pad, pedal or knob of an instrument can run a command. It belongs to its instrument and
 * channel: a pad that was learned leaves the same key of the piano alone. A learned control no longer writes or sounds;
 * held, it does what the command does when its key is held. Kept in the browser.
 */
import { create } from 'zustand'
import { keyName } from './names'

type HeardKind = 'down' | 'up' | 'control'

const STORE = 'ductus.learned'
const ON = 64 // a controller counts as pressed from here on (MIDI 1.0)

interface Learned {
  /** trigger ("key 38 10 Barge pads": number, channel, instrument; in earlier days "key 38", of any) -> command id */
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
  learn: (learning, label) =>
    set({
      learning,
      said: learning
        ? `Press the key, pad, pedal or knob for “${label ?? learning}” now. Closing this page ends it.`
        : '',
    }),
  forget: (command) => set((s) => keep(Object.fromEntries(Object.entries(s.bound).filter(([, c]) => c !== command)))),
  reset: () => set({ ...keep({}), said: 'No control is learned any more.' }),
}))

/**
 * What is known of commands here: how they are run and what they do when they are held (null: nothing else), and their
 * label.
 */
interface Commands {
  run(command: string): void
  hold(command: string): (() => void) | null
  label(command: string): string
}
let commands: Commands = { run: () => undefined, hold: () => null, label: (command) => command }
/** The table of commands registers itself here, since it knows the instruments and they must not know it. */
export const onLearned = (table: Commands) => {
  commands = table
}

const HOLD_MS = 500 // as for the keys of the computer

/** A pitch wheel moves all the time it is held, so that it can run no command. */
export function refuseWheel(): void {
  if (useLearned.getState().learning)
    useLearned.setState({ said: 'The pitch wheel cannot run a command: press a key, pad, pedal or knob.' })
}
const level = new Map<string, number>()
const holding = new Map<string, number>() // triggers that are held, with the timer of what they do then

/** "key 21 1 Barge piano" in words: "key A0"; on another channel than the first it is named. */
export function triggerWords(trigger: string): string {
  const [kind, number, channel] = trigger.split(' ')
  const on = channel && channel !== '1' ? ` on channel ${channel}` : ''
  return (
    (kind === 'key' ? `key ${keyName(Number(number))}` : Number(number) === 64 ? 'the pedal' : `control ${number}`) + on
  )
}

/** Does a command take this event of an instrument? Learning takes it too. */
export function takenByCommand(
  kind: HeardKind,
  number: number,
  value: number,
  source: string,
  channel: number,
): boolean {
  const { learning, bound } = useLearned.getState()
  const plain = `${kind === 'control' ? 'control' : 'key'} ${number}`
  const own = `${plain} ${channel} ${source}`
  const trigger = bound[own] || !bound[plain] ? own : plain
  const before = level.get(trigger) ?? 0
  if (kind === 'control') level.set(trigger, value)
  const pressed = kind === 'down' || (kind === 'control' && value >= ON && before < ON)
  if (learning && pressed) {
    const taken = bound[trigger]
    if (taken && taken !== learning) {
      useLearned.setState({
        learning: null,
        said:
          `${triggerWords(trigger)} already runs “${commands.label(taken)}”; forget that first. ` +
          'Nothing was changed.',
      })
      return true
    }
    useLearned.setState({
      ...keep({ ...bound, [trigger]: learning }),
      learning: null,
      said: `Learned: ${triggerWords(trigger)} runs “${commands.label(learning)}” and writes no note any more.`,
    })
    return true
  }
  const command = bound[trigger]
  if (!command) return false
  const released = kind === 'up' || (kind === 'control' && value < ON && before >= ON)
  if (pressed) press(trigger, command)
  else if (released) release(trigger, command)
  return true
}

/** A command that does something else when it is held waits for the release, or for the moment that makes it held. */
function press(trigger: string, command: string): void {
  const hold = commands.hold(command)
  if (!hold) return commands.run(command)
  window.clearTimeout(holding.get(trigger))
  holding.set(
    trigger,
    window.setTimeout(() => {
      holding.delete(trigger)
      hold()
    }, HOLD_MS),
  )
}

function release(trigger: string, command: string): void {
  const timer = holding.get(trigger)
  if (timer === undefined) return
  window.clearTimeout(timer)
  holding.delete(trigger)
  commands.run(command)
}
