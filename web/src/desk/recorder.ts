/** Recording from the browser's side: ask for the clicks, sound them, tell the server when time begins. */
import { rest } from '../api/rest'
import type { Programme } from '../api/wire'
import { nowUs } from '../input/port'
import { playProgramme, stopProgramme, useRehearsal } from '../input/rehearsal'
import { soundClicks } from '../sound/engine'
import { usePreferences } from './preferences'
import { clickTempo, say, settled, startRecording, stopRecording, useDesk, whenCutOff } from './store'

const LEAD_US = 400_000 // time to get the clicks onto the audio clock
let silence: (() => void) | null = null

/** Start a recording at the pen's bar; with `programme` the rehearsal keyboard plays along, at its own tempo. */
export async function beginRecording(programme?: Programme): Promise<void> {
  const { pieceId, pen, recording } = useDesk.getState()
  const { record } = usePreferences.getState()
  if (!pen || recording) return
  const free = programme ? programme.qpm === null : !record.click
  if (free) {
    startRecording(nowUs(), null, 0)
    say('Recording: play freely, the beats are found afterwards')
    if (programme) await playProgramme(programme.name)
    return
  }
  const qpm = programme?.qpm ?? clickTempo()
  const countIn = programme?.count_in ?? record.countIn
  const clicks = await rest.clicks(pieceId, pen.bar, qpm, countIn)
  const first = clicks[0]?.time_us ?? 0
  const originUs = nowUs() + LEAD_US
  silence = soundClicks(clicks, originUs - first)
  startRecording(originUs, qpm, countIn)
  say(`Recording: ${countIn === 1 ? 'one bar' : `${countIn} bars`} of count-in`)
  if (programme) await playProgramme(programme.name, originUs)
}

export function endRecording(drop = false): void {
  silence?.()
  silence = null
  stopRecording(drop)
}

/** The server knows of no recording any more: it was stopped in the middle of one. */
whenCutOff(() => {
  silence?.()
  silence = null
  stopProgramme()
  say('The recording was cut off. What was played up to then is in the journal: the margin offers to write it')
})

export const toggleRecording = () => (useDesk.getState().recording ? endRecording() : void beginRecording())

/** "Again": drop the failed take from the page and restart with the count-in. */
export async function recordAgain(): Promise<void> {
  endRecording(true)
  settled(() => void beginRecording()) // as soon as the server has answered, however long that takes
}

/** When the rehearsal keyboard has finished a programme that was being recorded, the recording stops too. */
export function stopWithProgramme(): () => void {
  return useRehearsal.subscribe((now, before) => {
    if (before.playing && !now.playing && useDesk.getState().recording) setTimeout(() => endRecording(), 250)
  })
}
