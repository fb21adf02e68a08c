/**
 * The journal: everything that was heard and not written, at the margin's foot. Hear it, write it at the pen, or drop
 * it from the list.
 */
import { useEffect, useState } from 'react'
import type { Heard } from '../session/wire'
import { give, send } from '../session/actions'
import { useDesk } from '../session/store'
import { playHeard } from '../playback/listening'
import { onHeard } from '../input/port'
import { counted } from '../prompt/words'

const QUIET_MS = 4000 // after the last key, before the list is told anew
const FEW = 4

const clock = (us: number) =>
  new Date(us / 1000).toLocaleTimeString([], { hour: '2-digit', minute: '2-digit', hour12: false })
function when(us: number): string {
  const day = new Date(us / 1000)
  return day.toDateString() === new Date().toDateString()
    ? clock(us)
    : `${day.toLocaleDateString([], { day: 'numeric', month: 'short' })}, ${clock(us)}`
}
const length = (us: number) => `${Math.floor(us / 6e7)}:${String(Math.round(us / 1e6) % 60).padStart(2, '0')}`
const heardWords = (h: Heard) =>
  `${when(h.from_us)}, ${length(h.to_us - h.from_us)}, ${h.notes} ${h.notes === 1 ? 'note' : 'notes'}`

/** The list is told anew when playing that was not written has come to rest. */
export function watchJournal(): () => void {
  let timer = 0
  const stop = onHeard(() => {
    window.clearTimeout(timer)
    const { recording, pen } = useDesk.getState()
    if (!recording && !pen?.down) timer = window.setTimeout(() => send({ type: 'takes-wanted' }), QUIET_MS)
  })
  return () => {
    stop()
    window.clearTimeout(timer)
  }
}

export function Journal() {
  const heard = useDesk((s) => s.heard)
  const recording = useDesk((s) => s.recording)
  if (!heard.length || recording) return null
  return (
    <section aria-label="The journal" data-testid="journal" className="mt-4 border-l-2 border-rule pl-3">
      <h2 className="font-serif text-lg leading-tight text-faint">Heard, not written</h2>
      <ul>
        {heard.slice(0, FEW).map((h) => (
          <Entry key={h.from_us} heard={h} />
        ))}
      </ul>
      {heard.length > FEW && (
        <details>
          <summary className="cursor-pointer text-faint">{heard.length - FEW} earlier</summary>
          <ul>
            {heard.slice(FEW).map((h) => (
              <Entry key={h.from_us} heard={h} />
            ))}
          </ul>
        </details>
      )}
    </section>
  )
}

/** Write a stretch of the journal at the pen: it is read as a take. */
function writeHeard({ from_us, to_us }: Heard): void {
  const { pen } = useDesk.getState()
  if (pen?.down) give({ name: 'pen', down: false }) // the take is opened, and no key is to write unseen
  if (pen) send({ type: 'heard-write', from_us, to_us, part: pen.part, bar: pen.bar, staff: 0 })
}

const FRESH_MS = 60_000

/** What was just played and not written, for a minute. */
export function useJustPlayed(): Heard | null {
  const latest = useDesk((s) => s.heard[0])
  const recording = useDesk((s) => s.recording !== null)
  const [over, setOver] = useState(0) // end of the stretch whose minute is over
  useEffect(() => {
    if (!latest) return
    const left = latest.to_us / 1000 + FRESH_MS - Date.now()
    const timer = window.setTimeout(() => setOver(latest.to_us), Math.max(left, 0))
    return () => window.clearTimeout(timer)
  }, [latest?.to_us])
  return latest && !recording && over !== latest.to_us && latest.notes ? latest : null
}

/** It stays an offer at the line; the sheet shows it faintly at the pen. */
export function PlayedOffer() {
  const latest = useJustPlayed()
  if (!latest) return null
  return (
    <button type="button" className="more-button" data-testid="played-offer" onClick={() => writeHeard(latest)}>
      {latest.notes === 1 ? 'Write this note here' : `Write these ${counted(latest.notes, 'note')} here`}
    </button>
  )
}

function Entry({ heard }: { heard: Heard }) {
  const words = heardWords(heard)
  const stretch = { from_us: heard.from_us, to_us: heard.to_us }
  return (
    <li className="mt-1" data-testid="heard">
      <span>{words}</span>
      <span className="flex gap-3 text-sm">
        <button
          type="button"
          className="underline"
          aria-label={`Hear ${words}`}
          onClick={() => void playHeard(heard.from_us, heard.to_us)}>
          hear
        </button>
        <button
          type="button"
          className="underline"
          aria-label={`Write ${words} at the pen`}
          onClick={() => writeHeard(heard)}>
          write at the pen
        </button>
        <button
          type="button"
          className="underline"
          aria-label={`Drop ${words}`}
          onClick={() => send({ type: 'heard-drop', ...stretch })}>
          drop
        </button>
      </span>
    </li>
  )
}
