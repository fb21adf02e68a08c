/** The screen stays awake while a recording goes on: nobody touches the computer while playing. */
import { useDesk } from '../session/store'

const going = () => useDesk.getState().recording !== null

/** Follow the recordings of this window. */
export function stayAwake(): void {
  if (!('wakeLock' in navigator)) return
  let held: WakeLockSentinel | null = null
  const hold = async () => {
    try {
      const lock = await navigator.wakeLock.request('screen')
      if (held || !going()) void lock.release()
      else held = lock
    } catch {
      // refused (a low battery, a page in the background): the recording goes on all the same
    }
  }
  useDesk.subscribe((now, before) => {
    if ((now.recording !== null) === (before.recording !== null)) return
    if (now.recording) return void hold()
    void held?.release()
    held = null
  })
  // the browser lets go by itself when the page is hidden
  document.addEventListener('visibilitychange', () => {
    if (document.visibilityState !== 'visible' || !going()) return
    held = null
    void hold()
  })
}
