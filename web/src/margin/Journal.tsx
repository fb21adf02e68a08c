/**
 * The journal: everything that was heard and not written, at the margin's foot. Hear it, write it at the pen, or drop
 * it from the list.
 */
import { useEffect } from 'react'
import type { Heard } from '../session/wire'
import { give, send } from '../session/actions'
import { useDesk } from '../session/store'
import { playHeard } from '../playback/listening'
import { onHeard } from '../input/port'

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
function watchJournal(): () => void {
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
  useEffect(watchJournal, [])
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

function Entry({ heard }: { heard: Heard }) {
  const words = heardWords(heard)
  const stretch = { from_us: heard.from_us, to_us: heard.to_us }
  const write = () => {
    const { pen } = useDesk.getState()
    if (pen?.down) give({ name: 'pen', down: false }) // the take is opened, and no key is to write unseen
    if (pen) send({ type: 'heard-write', ...stretch, part: pen.part, bar: pen.bar, staff: 0 })
  }
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
        <button type="button" className="underline" aria-label={`Write ${words} at the pen`} onClick={write}>
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
