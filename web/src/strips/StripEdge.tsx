/** The upper edge of a strip: dragged, or moved by the arrow keys, it makes the strip higher or lower. */
import { useState } from 'react'
import { FIRST, LEAST, MOST, setHeight, STEP, useStripHeight } from './height'

export function StripEdge() {
  const height = useStripHeight((s) => s.height)
  const [from, setFrom] = useState(0)
  return (
    <div
      role="slider"
      aria-orientation="vertical"
      aria-label="Height of the strip"
      aria-valuemin={LEAST}
      aria-valuemax={MOST}
      aria-valuenow={height}
      tabIndex={0}
      title="Drag to make the strip higher or lower; double click for its first height"
      data-testid="strip-edge"
      className="h-1.5 cursor-ns-resize touch-none hover:bg-rule focus-visible:bg-vermilion"
      onPointerDown={(e) => {
        e.currentTarget.setPointerCapture(e.pointerId)
        setFrom(e.clientY + height)
      }}
      onPointerMove={(e) => {
        if (e.buttons) setHeight(from - e.clientY)
      }}
      onDoubleClick={() => setHeight(FIRST)}
      onKeyDown={(e) => {
        const to = { ArrowUp: height + STEP, ArrowDown: height - STEP, Home: FIRST }[e.key]
        if (to === undefined) return
        setHeight(to)
        e.preventDefault()
        e.stopPropagation()
      }}
    />
  )
}
