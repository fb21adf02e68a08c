/** The computer's keys as a piano: the home row is white keys, the row above it black ones. */
import { create } from 'zustand'
import { hear } from './port'

const SEMITONES: Record<string, number> = {
  KeyA: 0,
  KeyW: 1,
  KeyS: 2,
  KeyE: 3,
  KeyD: 4,
  KeyF: 5,
  KeyT: 6,
  KeyG: 7,
  KeyY: 8,
  KeyH: 9,
  KeyU: 10,
  KeyJ: 11,
  KeyK: 12,
  KeyO: 13,
  KeyL: 14,
  KeyP: 15,
  Semicolon: 16,
  Quote: 17,
}
const SOURCE = 'computer keys'

/** The letters from the lowest key up, and the key that each plays. */
export const letters = (octave: number): [string, number][] =>
  Object.entries(SEMITONES).map(([code, semitone]) => [
    code.replace('Key', '').replace('Semicolon', ';').replace('Quote', '’'),
    12 * (octave + 1) + semitone,
  ])

interface ComputerKeys {
  octave: number
  velocity: number
  shiftOctave(by: number): void
  shiftVelocity(by: number): void
}

/** On a kit the letters begin at its bass drum (key 36); each of the two keeps its own octave. */
const OCTAVES = { pitches: 4, kit: 2 }
let now: keyof typeof OCTAVES = 'pitches'
export function computerKeysOn(kit: boolean): void {
  const to = kit ? 'kit' : 'pitches'
  if (to === now) return
  OCTAVES[now] = useComputerKeys.getState().octave
  now = to
  useComputerKeys.setState({ octave: OCTAVES[to] })
}

export const useComputerKeys = create<ComputerKeys>((set) => ({
  octave: 4,
  velocity: 80,
  shiftOctave: (by) => set((s) => ({ octave: Math.min(Math.max(s.octave + by, 0), 8) })),
  shiftVelocity: (by) => set((s) => ({ velocity: Math.min(Math.max(s.velocity + by, 1), 127) })),
}))

/** Codes that play pitches; no command may use them without a modifier. */
export const PIANO_CODES: ReadonlySet<string> = new Set(Object.keys(SEMITONES))

const down = new Map<string, number>()

/** Is the person typing words or choosing in a menu? Then letters are not music. */
export function isTyping(target: EventTarget | null): boolean {
  return (
    target instanceof HTMLElement &&
    target.closest('input, textarea, select, [role=menu], [role=dialog], [contenteditable]') !== null
  )
}

export function listenToComputerKeys(lost: (words: string) => void): () => void {
  const onDown = (event: KeyboardEvent) => {
    const semitone = SEMITONES[event.code]
    if (
      semitone === undefined ||
      event.repeat ||
      event.ctrlKey ||
      event.metaKey ||
      event.altKey ||
      isTyping(event.target)
    )
      return
    const { octave, velocity } = useComputerKeys.getState()
    const key = 12 * (octave + 1) + semitone
    if (key > 127 || down.has(event.code)) return
    event.preventDefault()
    down.set(event.code, key)
    hear('down', key, velocity, SOURCE)
  }
  const release = (code: string) => {
    const key = down.get(code)
    if (key === undefined) return
    down.delete(code)
    hear('up', key, 0, SOURCE)
  }
  const onUp = (event: KeyboardEvent) => release(event.code)
  const onBlur = () => {
    const left = down.size
    ;[...down.keys()].forEach(release)
    if (left) lost('The window lost its focus, so held computer keys count as let go')
  }
  window.addEventListener('keydown', onDown)
  window.addEventListener('keyup', onUp)
  window.addEventListener('blur', onBlur)
  return () => {
    window.removeEventListener('keydown', onDown)
    window.removeEventListener('keyup', onUp)
    window.removeEventListener('blur', onBlur)
  }
}
