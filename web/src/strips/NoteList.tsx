/** The notes of the strip as a list: the same, live, and every number of it can be typed. */
import { useEffect, useRef } from 'react'
import { choose } from '../session/actions'
import { useDesk } from '../session/store'
import type { ShapedNote } from '../session/wire'
import { shapeNotes, useShape } from '../shape/shape'

export function NoteList() {
  const data = useShape((s) => s.data)
  const selection = useDesk((s) => s.selection)
  const live = useDesk((s) => s.recording !== null)
  const box = useRef<HTMLDivElement>(null)
  useEffect(() => {
    if (live && box.current) box.current.scrollTop = box.current.scrollHeight
  }, [live, data])
  if (!data) return null
  return (
    <div ref={box} className="max-h-44 overflow-y-auto" data-testid="note-list">
      <table className="w-full text-left text-[0.95rem]">
        <thead className="sticky top-0 bg-bar text-sm text-faint">
          <tr>
            <th className="px-3">Place</th>
            <th>Pitch</th>
            <th>Value</th>
            <th>Velocity</th>
            <th>Late, ms</th>
            <th>Sounding, %</th>
          </tr>
        </thead>
        <tbody>
          {data.notes.map((n) => (
            <tr
              key={n.id}
              data-row={n.id}
              className={selection.has(n.id) ? 'bg-wash' : ''}
              onFocus={() => {
                if (!useDesk.getState().recording && !useDesk.getState().selection.has(n.id)) choose([n.id])
              }}>
              <td className="px-3">{n.place}</td>
              <td>{n.pitch}</td>
              <td>{n.value}</td>
              <td>
                <Field
                  note={n}
                  label="velocity"
                  value={n.velocity}
                  min={1}
                  max={127}
                  give={(velocity) => shapeNotes({ name: 'velocity', velocity }, [n.id])}
                />
              </td>
              <td>
                <Field
                  note={n}
                  label="milliseconds late"
                  value={n.late_ms}
                  min={-2000}
                  max={2000}
                  give={(late_ms) => shapeNotes({ name: 'sound-at', late_ms }, [n.id])}
                />
              </td>
              <td>
                <Field
                  note={n}
                  label="sounding percent"
                  value={n.percent}
                  min={1}
                  max={400}
                  give={(percent) => shapeNotes({ name: 'sound-at', percent }, [n.id])}
                />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {data.more > 0 && <p className="px-3 text-faint">{data.more} more notes are not listed: choose fewer bars.</p>}
    </div>
  )
}

/** A number that is given with Enter, or when the field is left; up and down go to the rows beside. */
function Field({
  note,
  label,
  value,
  min,
  max,
  give,
}: {
  note: ShapedNote
  label: string
  value: number
  min: number
  max: number
  give: (value: number) => void
}) {
  const put = (input: HTMLInputElement) => {
    const to = Number(input.value)
    if (input.value === '' || !input.checkValidity()) input.value = String(value)
    else if (to !== value) give(to)
  }
  return (
    <input
      key={value}
      type="number"
      step="any"
      min={min}
      max={max}
      defaultValue={value}
      aria-label={`${label} of ${note.pitch}, ${note.place}`}
      className="field w-20 py-0 text-[0.95rem]"
      readOnly={useDesk((s) => s.recording !== null)}
      onBlur={(e) => put(e.currentTarget)}
      onKeyDown={(e) => {
        if (e.key === 'Enter') put(e.currentTarget)
        else if (e.key === 'ArrowDown' || e.key === 'ArrowUp') {
          const row = e.currentTarget.closest('tr')
          const column = [...(row?.querySelectorAll('input') ?? [])].indexOf(e.currentTarget)
          const to = (e.key === 'ArrowDown' ? row?.nextElementSibling : row?.previousElementSibling)?.querySelectorAll(
            'input',
          )[column]
          if (to) {
            to.focus()
            to.select()
          }
        } else return
        e.preventDefault()
      }}
    />
  )
}
