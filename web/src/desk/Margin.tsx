/** The margin: takes and what is to be said beside the music. Nothing floats over the sheet. */
import type { Take } from '../api/wire'
import { hint } from '../commands/table'
import { playTake } from './listening'
import { recordAgain } from './recorder'
import { useDesk } from './store'

const SOURCES: Record<string, string> = { click: 'played to the click', free: 'played freely', file: 'from a file', journal: 'from the journal' }

const NONE: Take[] = []

export function Margin() {
  const takes = useDesk((s) => s.state?.takes) ?? NONE
  const recording = useDesk((s) => s.recording)
  const pen = useDesk((s) => s.pen)
  return (
    <aside aria-label="Margin" className="flex w-64 shrink-0 flex-col gap-4 overflow-y-auto px-1 py-2 text-[0.95rem]">
      {recording && (
        <section className="border-l-2 border-vermilion pl-3">
          <h2 className="font-serif text-lg text-vermilion">Recording</h2>
          <p className="text-faint">Everything you play is kept. {hint('record')}.</p>
          <button type="button" className="quiet-button mt-1" onClick={() => void recordAgain()}>Again from the count-in</button>
        </section>
      )}
      {pen?.down && pen.pending.length > 0 && (
        <section className="border-l-2 border-vermilion pl-3" data-testid="pending">
          <h2 className="font-serif text-lg text-vermilion">About to be written</h2>
          <p>{pen.pending.join(', ')}: {pen.step_words}</p>
        </section>
      )}
      {[...takes].reverse().map((take) => (
        <section key={take.id} className={`border-l-2 pl-3 ${take.dropped ? 'border-rule text-faint' : 'border-verdigris'}`} data-testid="take">
          <h2 className={`font-serif text-lg ${take.dropped ? '' : 'text-verdigris'}`}>{take.name}, {SOURCES[take.source] ?? take.source}</h2>
          <p className="text-faint">{take.notes} notes, {(take.length_us / 1e6).toFixed(0)} s{take.dropped ? '; not on the page' : ''}</p>
          <button type="button" className="quiet-button mt-1" onClick={() => void playTake(take.id)}>As played</button>
        </section>
      ))}
      {!takes.length && !recording && (
        <p className="border-l-2 border-rule pl-3 text-faint">Takes will stand here beside the music they belong to.</p>
      )}
    </aside>
  )
}
