/** The pen lifts itself after a while without a key, by choice (minutes; 0: never). */
import { onHeard } from '../input/port'
import { command, useDesk } from './store'

const STORE = 'ductus.idle'
export const idleMinutes = () => Number(localStorage.getItem(STORE) ?? 10)
export const setIdleMinutes = (minutes: number) => localStorage.setItem(STORE, String(minutes))

export function listenForIdle(): () => void {
  let last = Date.now()
  const alive = () => { last = Date.now() }
  const stop = onHeard(alive)
  window.addEventListener('keydown', alive)
  const timer = window.setInterval(() => {
    const minutes = idleMinutes()
    if (minutes && useDesk.getState().pen?.down && Date.now() - last > minutes * 60_000) command('pen', 'up')
  }, 5000)
  return () => {
    stop()
    window.removeEventListener('keydown', alive)
    window.clearInterval(timer)
  }
}
