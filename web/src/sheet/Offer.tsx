/**
 * What would help at the pen, offered at the place where it happens: taken or left by one press each; what is left
 * makes room for the next.
 */
import { useState } from 'react'
import type { PenPlace } from './geometry'
import { edit, frame, give, settled } from '../session/actions'
import { useDesk } from '../session/store'
import type { Offered } from '../session/wire'

/** What an offer is about, so that one that was left does not come again with every note. */
const about = (offer: Offered) => JSON.stringify(offer.do ?? [offer.edit, offer.staff])

export function Offer({ place }: { place: PenPlace }) {
  const { offers, part, tick } = useDesk((s) => s.pen) ?? { offers: [], part: '', tick: 0 }
  const [left, setLeft] = useState<readonly string[]>([])
  // under the mouse it stays where it is, so that a press meets what it was meant for
  const [held, setHeld] = useState<PenPlace | null>(null)
  const offer = offers?.find((o) => !left.includes(about(o)))
  if (!offer) return null
  const at = held ?? place
  const take = () => {
    setHeld(null)
    if (offer.do) return frame(offer.do)
    edit(offer.edit!, offer.ids, false)
    settled(() => give({ name: 'place', part, staff: offer.staff!, tick }))
  }
  return (
    <p
      role="status"
      data-testid="offer"
      onPointerEnter={() => setHeld(place)}
      onPointerLeave={() => setHeld(null)}
      className="absolute z-10 flex items-center gap-2 rounded-[3px] bg-wash px-2 font-serif whitespace-nowrap shadow"
      style={{ left: `max(8px, min(${at.x - 60}px, calc(100% - 29rem)))`, top: at.systemBottom + 36 }}>
      {offer.words}
      <button type="button" className="underline" onClick={take}>
        yes
      </button>
      <button
        type="button"
        className="underline"
        onClick={() => {
          setHeld(null)
          setLeft([...left, about(offer)])
        }}>
        no
      </button>
    </p>
  )
}
