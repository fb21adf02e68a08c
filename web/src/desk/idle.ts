/** What the desk does by itself while stepping: it lifts an idle pen, and sounds a tone at bar lines, both by choice. */
import { nowUs, onHeard } from '../input/port'
import { soundClicks } from '../sound/engine'
import { usePreferences } from './preferences'
import { command, useDesk } from './store'

const LOOK_MS = 5000

export function listenForIdle(): () => void {
  let last = Date.now()
  const alive = () => { last = Date.now() }
  const deaf = onHeard(alive)
  window.addEventListener('keydown', alive)
  const timer = window.setInterval(() => {
    const { idleMinutes } = usePreferences.getState()
    if (idleMinutes && useDesk.getState().pen?.down && Date.now() - last > idleMinutes * 60_000) command('pen', 'up')
  }, LOOK_MS)
  const unwatch = useDesk.subscribe((now, before) => {
    if (!usePreferences.getState().barTone || !now.pen?.down || !before.pen || now.pen.bar === before.pen.bar) return
    soundClicks([{ time_us: 0, rank: 'bar' }], nowUs())
  })
  return () => {
    deaf()
    unwatch()
    window.removeEventListener('keydown', alive)
    window.clearInterval(timer)
  }
}
