/** Turns key presses of the computer into commands of the table. */
import { isTyping, PIANO_CODES } from './computerKeys'
import { useHand } from '../hand/pointer'
import { useDesk } from '../session/store'
import { TAP_CODES, useTapping } from '../reading/tapping'
import { forgetLayers, justClosed, layerOpen, noteLayers } from './layers'
import type { Command } from './command'
import { COMMANDS } from './commands'
import { letGoOfPage } from './penCommands'

const HOLD_MS = 500 // well over the longest tap of a hurried hand, and what most systems take for "held"
const LATE_MS = 60 // a page that was busy for longer hears first what the hand did meanwhile
const SLIDER_KEYS = /^(Arrow|Page|Delete|Backspace)/ // a bar line in hand is moved by them
/** Keys that a drawing which is gone through by them keeps (`data-own-keys`). */
const OWN_KEYS = /^(Arrow|Enter|Space|Equal|Minus|NumpadAdd|NumpadSubtract|Delete|Backspace)/
const FUNCTION_KEY = /^F\d/
const byKey = new Map<string, Command>(COMMANDS.flatMap((c) => c.keys.map((k) => [k, c] as const)))

/** The key of an event as the table writes it. */
function keyOf(event: KeyboardEvent): string {
  const ctrl = event.ctrlKey || event.metaKey ? 'Ctrl+' : ''
  return `${ctrl}${event.altKey ? 'Alt+' : ''}${event.shiftKey ? 'Shift+' : ''}${event.code}`
}

/**
 * Buttons that were clicked since the last Tab. One of them does not keep Space and Enter, though it has the focus: the
 * play key always plays. A button that was reached by keyboard or by a reading aid keeps them.
 */
let clicked = new WeakSet<Element>()
const buttonOf = (target: EventTarget | null) =>
  target instanceof Element ? target.closest('button, a, [role=button]') : null

function presses(target: EventTarget | null): boolean {
  const button = buttonOf(target)
  return button !== null && !clicked.has(button)
}

/** Value keys work while the ladder of values is open, but for its fields. */
const inLadder = (target: EventTarget | null) =>
  target instanceof Element && target.closest('[data-ladder]') !== null && !target.closest('input')

export function listenToCommands(): () => void {
  const waiting = new Map<string, { timer: number; since: number; found: Command }>()

  const onPointer = (event: PointerEvent) => {
    noteLayers(event.timeStamp)
    const button = buttonOf(event.target)
    if (button) clicked.add(button)
  }
  /**
   * Fast typing rolls from key to key: one that is still down when the next one comes was tapped, and its command goes
   * first.
   */
  const tapWaiting = (next: string) => {
    for (const [code, { timer, found }] of waiting) {
      if (code === next) continue
      window.clearTimeout(timer)
      waiting.delete(code)
      found.run()
    }
  }
  const onDown = (event: KeyboardEvent) => {
    tapWaiting(event.code)
    if (event.code === 'Tab') clicked = new WeakSet()
    if (useTapping.getState().on && (TAP_CODES.has(event.code) || event.code === 'Escape')) return // they tap beats now
    const found = byKey.get(keyOf(event))
    // a recording is ended at any moment
    const apart = layerOpen() || (justClosed(event.timeStamp) && !useDesk.getState().recording)
    if (event.code === 'Escape' && found && apart) {
      // one thing at a time: a menu that has just closed keeps the pen where it is
      if (!layerOpen() && !isTyping(event.target)) letGoOfPage()
      return noteLayers(event.timeStamp)
    }
    if (!layerOpen() && found) forgetLayers()
    noteLayers(event.timeStamp)
    if (found?.group === 'Value' && inLadder(event.target)) return runWith(found, event)
    if (!found || (isTyping(event.target) && !FUNCTION_KEY.test(event.code))) return
    if (
      event.target instanceof Element &&
      event.target.closest('[data-own-keys]') &&
      OWN_KEYS.test(event.code) &&
      !event.ctrlKey &&
      !event.altKey
    )
      return
    if (
      event.target instanceof Element &&
      event.target.closest('[role=radiogroup]') &&
      event.code.startsWith('Arrow') &&
      presses(event.target)
    )
      return
    if (event.target instanceof Element && event.target.closest('[role=slider]') && SLIDER_KEYS.test(event.code)) return
    // its menu is about to have the focus
    if (event.target instanceof Element && event.target.closest('[aria-haspopup][data-state=open]')) return
    // lets go of what the mouse drags
    if (event.code === 'Escape' && (useHand.getState().label || useHand.getState().lasso)) return
    // they belong to the focused button
    if ((event.code === 'Space' || event.code === 'Enter') && presses(event.target)) return
    if (PIANO_CODES.has(event.code) && !event.ctrlKey && !event.metaKey) return
    runWith(found, event)
  }
  const runWith = (found: Command, event: KeyboardEvent) => {
    event.preventDefault()
    event.stopPropagation() // a button that was clicked before does not hear it, too
    if (found.hold) {
      if (event.repeat || waiting.has(event.code)) return
      const hold = found.hold
      const kept = () => {
        waiting.delete(event.code)
        hold()
      }
      const due = () => {
        const late = performance.now() - event.timeStamp > HOLD_MS + LATE_MS
        if (late)
          // the key may be up long since, unheard
          waiting.set(event.code, { timer: window.setTimeout(kept, LATE_MS), since: event.timeStamp, found })
        else kept()
      }
      waiting.set(event.code, { timer: window.setTimeout(due, HOLD_MS), since: event.timeStamp, found })
    } else found.run()
  }
  const onUp = (event: KeyboardEvent) => {
    const held = waiting.get(event.code)
    if (held === undefined) return
    window.clearTimeout(held.timer)
    waiting.delete(event.code)
    if (useTapping.getState().on && (TAP_CODES.has(event.code) || event.code === 'Escape')) return // they tap beats now
    if (event.timeStamp - held.since >= HOLD_MS)
      held.found.hold?.() // the timer came late, the hand did not
    else held.found.run()
  }
  window.addEventListener('pointerdown', onPointer, true)
  window.addEventListener('pointerup', onPointer, true)
  window.addEventListener('keydown', onDown, true)
  window.addEventListener('keyup', onUp)
  return () => {
    window.removeEventListener('pointerdown', onPointer, true)
    window.removeEventListener('pointerup', onPointer, true)
    window.removeEventListener('keydown', onDown, true)
    window.removeEventListener('keyup', onUp)
  }
}
