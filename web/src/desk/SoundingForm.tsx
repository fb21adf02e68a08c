/** How a step sounds apart from how it is written, and what else the touch decides (JOB 3.5, 3.10). */
import { command } from './store'

const LENGTHS = ['full', '90 %', '75 %', '50 %', '25 %', '150 %', 'eighth', '16th', '32nd']

export function SoundingForm() {
  return (
    <div className="flex flex-col gap-2">
      <p className="text-[0.9rem] text-faint">From 75 % on the full value is written and only the sound is shorter; below, rests are written.</p>
      <div className="flex flex-wrap gap-1">
        {LENGTHS.map((v) => <button key={v} type="button" className="quiet-button" onClick={() => command('sounding', v)}>{v === 'full' ? 'in full' : v}</button>)}
      </div>
      <Entry label="Another percentage" command="sounding" size="w-16" />
      <Entry label="Late (+) or early (−), in ticks of 960" command="late" size="w-16" />
      <Entry label="Lengths vary by up to (%), the same each time" command="vary" size="w-16" />
      <Entry label="Velocity, or touch" command="velocity" size="w-16" />
      <Entry label="One pitch for all keys (B4), or played" command="pitch" size="w-16" />
      <Entry label="Write a note by its letter (F#)" command="letter" size="w-16" />
      <Entry label="Chord symbol at the pen (Bbm7)" command="chord-symbol" size="w-20" />
      <div className="flex flex-wrap items-center gap-1 border-t border-rule pt-2">
        Hold keys to
        {[['off', 'nothing'], ['chord', 'chord tones'], ['key', 'chord and key']].map(([v, label]) => (
          <button key={v} type="button" className="quiet-button" onClick={() => command('harmony', v)}>{label}</button>
        ))}
      </div>
      <button type="button" className="quiet-button self-start" onClick={() => command('advances')}>stay after a step, or move on</button>
    </div>
  )
}

function Entry({ label, command: name, size }: { label: string; command: string; size: string }) {
  return (
    <form className="flex items-center justify-between gap-2" onSubmit={(e) => { e.preventDefault(); command(name, String(new FormData(e.currentTarget).get('text') ?? '')) }}>
      <label className="flex w-full items-center justify-between gap-2">{label} <input name="text" className={`field ${size}`} /></label>
    </form>
  )
}
