/** What was just played with the pen up stands faintly at the pen for a minute, as it could be written there. */
import { memo, type RefObject, useEffect, useLayoutEffect, useState } from 'react'
import { onHeard } from '../input/port'
import { useJustPlayed } from '../margin/Journal'
import { useDesk, useDeskParts } from '../session/store'
import { BOTTOM_LINE, holderOf, stavesAt, strokeColumns } from './geometry'
import { Heads, type Mark, MIDDLE_C } from './HeardHeads'

const MOST = 24
const NONE: readonly never[] = []
const APART_PX = 17

export const OfferedHeads = memo(function OfferedHeads({ sheet }: { sheet: RefObject<HTMLDivElement | null> }) {
  const offered = useJustPlayed()
  const { refs, systems, pen, state } = useDeskParts('refs', 'systems', 'pen', 'state')
  const [strokes, setStrokes] = useState<readonly { key: number; atUs: number }[]>([])
  const [marks, setMarks] = useState<readonly Mark[]>([])
  useEffect(
    () =>
      onHeard(({ kind, key, atUs }) => {
        const { pen, recording } = useDesk.getState()
        if (kind !== 'down' || pen?.down || recording) return
        setStrokes((old) => [...old.slice(1 - MOST), { key, atUs }])
      }),
    [],
  )
  useLayoutEffect(() => {
    const root = sheet.current
    const index = refs.findIndex((r) => pen !== null && pen.bar >= r.first && pen.bar <= r.last)
    const view = systems.get(refs[index]?.key ?? '')
    const element = holderOf(root, index)
    if (!root || !pen || !offered || !view || !element) return setMarks(NONE)
    const parts = state?.parts ?? []
    const first = parts.findIndex((p) => p.id === pen.part)
    const above = parts.slice(0, Math.max(first, 0)).reduce((n, p) => n + p.staves, 0)
    const right = root.clientWidth - 24
    setMarks(
      strokeColumns(strokes.slice(-offered.notes)).flatMap(({ key, column }, number): Mark[] => {
        const lower = Number(pen.staves > 1 && key < MIDDLE_C)
        const found = stavesAt(root, element, view, pen.tick, above + lower)
        const x = (found?.x ?? 0) + APART_PX * column
        const bottomLine = BOTTOM_LINE[parts[first]?.clefs[lower] ?? 'treble'] ?? 30
        return found && x < right ? [{ number, key, x, staff: found.staff, bottomLine }] : []
      }),
    )
  }, [strokes, offered, pen?.tick, pen?.part, systems, refs])
  if (!marks.length) return null
  return (
    <svg
      aria-hidden
      data-testid="offered-heads"
      className="pointer-events-none absolute inset-0 h-full w-full overflow-visible text-verdigris opacity-45">
      <Heads marks={marks} />
    </svg>
  )
})
