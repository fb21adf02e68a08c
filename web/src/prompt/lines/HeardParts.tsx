/** Which parts are heard, how loud, from where. */
import { OpenPhrase } from '../Phrase'
import { frame } from '../../session/actions'
import { useDesk } from '../../session/store'
import { useBand } from '../../playback/band'
import { toggleAlone, toggleOff, usePlayback } from '../../playback/settings'

/** Which parts are heard, how loud, from where. */
export function PartsPhrase() {
  const parts = useDesk((s) => s.state?.parts) ?? []
  const off = usePlayback((h) => h.off)
  const alone = usePlayback((h) => h.alone)
  const waiting = useBand((s) => s.failed.size > 0)
  const heard = parts.filter((p) => (alone.length ? alone.includes(p.id) : !off.includes(p.id)))
  const words =
    heard.length === parts.length
      ? parts.length === 1
        ? parts[0]!.name
        : 'all parts'
      : heard.length
        ? heard.map((p) => p.name).join(' and ')
        : 'no part'
  return (
    <OpenPhrase name="parts heard" words={words} wide>
      <table className="w-full text-left text-[0.95rem]" data-testid="parts-heard">
        <thead>
          <tr className="text-sm text-faint">
            <th>Part</th>
            <th>heard</th>
            <th>alone</th>
            <th>level</th>
            <th>left, right</th>
          </tr>
        </thead>
        <tbody>
          {parts.map((p) => (
            <tr key={p.id} data-part={p.id}>
              <th scope="row" className="max-w-28 truncate font-normal">
                {p.name}
              </th>
              <td>
                <input
                  type="checkbox"
                  aria-label={`${p.name} is heard`}
                  checked={!off.includes(p.id)}
                  onChange={() => toggleOff(p.id)}
                />
              </td>
              <td>
                <input
                  type="checkbox"
                  aria-label={`${p.name} alone`}
                  checked={alone.includes(p.id)}
                  onChange={() => toggleAlone(p.id)}
                />
              </td>
              <td>
                <Slide
                  label={`level of ${p.name}`}
                  value={p.level}
                  give={(level) => frame({ name: 'change-part', part: p.id, level })}
                />
              </td>
              <td>
                <Slide
                  label={`place of ${p.name} from left to right`}
                  value={p.pan}
                  give={(pan) => frame({ name: 'change-part', part: p.id, pan })}
                />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {waiting && <p className="text-sm text-faint">A sound could not be loaded; the piano stands in for it.</p>}
    </OpenPhrase>
  )
}

/** Given once the hand lets go, so that undo takes back one move. */
function Slide({ label, value, give }: { label: string; value: number; give: (value: number) => void }) {
  return (
    <input
      key={value}
      type="range"
      min={0}
      max={127}
      defaultValue={value}
      aria-label={label}
      className="w-20"
      onPointerUp={(e) => {
        const to = Number(e.currentTarget.value)
        if (to !== value) give(to)
      }}
      onKeyUp={(e) => {
        const to = Number(e.currentTarget.value)
        if (to !== value) give(to)
      }}
    />
  )
}
