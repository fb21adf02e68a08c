/** What would help at the pen, offered at the place where it happens: taken or left by one press each. */
import { useState } from 'react'
import type { PenPlace } from '../desk/geometry'
import { frame, useDesk } from '../desk/store'

export function Offer({ place }: { place: PenPlace }) {
  const offer = useDesk((s) => s.pen?.offer)
  const [left, setLeft] = useState('')
  if (!offer || left === JSON.stringify(offer.do)) return null
  return (
    <p role="status" data-testid="offer" className="absolute z-10 flex items-center gap-2 rounded-[3px] bg-wash px-2 font-serif whitespace-nowrap shadow" style={{ left: Math.max(place.x - 60, 8), top: place.systemBottom + 30 }}>
      {offer.words}
      <button type="button" className="underline" onClick={() => frame(offer.do)}>yes</button>
      <button type="button" className="underline" onClick={() => setLeft(JSON.stringify(offer.do))}>no</button>
    </p>
  )
}
