/** How a step sounds apart from how it is written. */
import type { Command } from '../session/wire'
import { give } from '../session/actions'

const LENGTHS: readonly (readonly [string, Command])[] = [
  ['its full length', { name: 'sounding' }],
  ...[90, 75, 50, 25, 150].map((percent) => [`${percent} %`, { name: 'sounding', percent }] as const),
  ...(['eighth', '16th', '32nd'] as const).map((base) => [base, { name: 'sounding', base }] as const),
]

export function TouchForm() {
  return (
    <div className="flex flex-col gap-2">
      <p className="text-[0.9rem] text-faint">
        From 75 % on the full value is written and only the sound is shorter; below, rests are written.
      </p>
      <div className="flex flex-wrap gap-1">
        {LENGTHS.map(([label, command]) => (
          <button key={label} type="button" className="quiet-button" onClick={() => give(command)}>
            {label}
          </button>
        ))}
      </div>
      <NumberEntry label="Another percentage" min={1} max={400} give={(percent) => ({ name: 'sounding', percent })} />
      <NumberEntry
        label="Late (+) or early (−), in ticks of 960"
        min={-480}
        max={480}
        give={(ticks) => ({ name: 'late', ticks })}
      />
      <NumberEntry label="Lengths vary by up to (%)" min={0} max={50} give={(percent) => ({ name: 'vary', percent })} />
      <NumberEntry
        label="One velocity for all (1 to 127)"
        min={1}
        max={127}
        give={(velocity) => ({ name: 'fix-velocity', velocity })}
      />
      <button type="button" className="quiet-button self-start" onClick={() => give({ name: 'fix-velocity' })}>
        velocity as touched
      </button>
    </div>
  )
}

interface NumberEntryProps {
  readonly label: string
  readonly min: number
  readonly max: number
  readonly give: (number: number) => Command
}

function NumberEntry({ label, min, max, give: command }: NumberEntryProps) {
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault()
        give(command(Number(new FormData(e.currentTarget).get('number'))))
      }}>
      <label className="flex items-center justify-between gap-2">
        {label} <input name="number" type="number" required min={min} max={max} className="field w-20" />
      </label>
    </form>
  )
}
