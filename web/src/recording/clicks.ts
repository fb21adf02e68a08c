/** The clicks and the music around a recording, asked from the server stretch by stretch. */
import { useSound } from '../playback/engine'
import { send } from '../session/actions'
import { onMessage } from '../session/events'
import type { Clicks, ClicksWanted } from '../session/wire'

const CLICKS_MS = 5000
const awaited = new Map<number, (clicks: Clicks) => void>()

onMessage('clicks', (message) => {
  if (message.from_us != null) return // the click goes with the player: see `recorder.ts`
  awaited.get(message.since)?.(message)
  awaited.delete(message.since)
})

/** What is heard in a stretch of a recording. Fails where it does not come in time (the page then says why). */
export function clicksFor(wanted: ClicksWanted): Promise<Clicks> {
  return new Promise((resolve, reject) => {
    const since = wanted.since ?? 0
    const late = window.setTimeout(() => {
      awaited.delete(since)
      reject(new Error('no clicks'))
    }, CLICKS_MS)
    awaited.set(since, (clicks) => {
      window.clearTimeout(late)
      resolve(clicks)
    })
    send({ ...wanted, type: 'clicks-wanted', halves: useSound.getState().halves })
  })
}
