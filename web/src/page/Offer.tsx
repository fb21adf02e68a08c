/** What would help at the pen, offered at the place where it happens: taken or left by one press each. */
import { useState } from 'react'
import type { PenPlace } from '../desk/geometry'
import { frame, useDesk } from '../desk/store'

export function Offer({ place }: { place: PenPlace }) {
  const offer = useDesk((s) => s.pen?.offer)
  const [left, setLeft] = useState('')
  const [held, setHeld] = useState<PenPlace | null>(null) // under the mouse it stays where it is, so that a press meets what it was meant for
  if (!offer || left === JSON.stringify(offer.do)) return null
  const at = held ?? place
  return (
    <p role="status" data-testid="offer" onPointerEnter={() => setHeld(place)} onPointerLeave={() => setHeld(null)} className="absolute z-10 flex items-center gap-2 rounded-[3px] bg-wash px-2 font-serif whitespace-nowrap shadow" style={{ left: Math.max(at.x - 60, 8), top: at.systemBottom + 36 }}>
      {offer.words}
      <button type="button" className="underline" onClick={() => { setHeld(null); frame(offer.do) }}>yes</button>
      <button type="button" className="underline" onClick={() => { setHeld(null); setLeft(JSON.stringify(offer.do)) }}>no</button>
    </p>
  )
}
