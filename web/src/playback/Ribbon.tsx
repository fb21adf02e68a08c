/** The ribbon: the order in which bars sound, a piece of it for each stretch; each can be heard from there. */
import { useDesk } from '../session/store'
import { playStretch, useListening } from './listening'

export function Ribbon() {
  const order = useDesk((s) => s.state?.order)
  const inPages = useDesk((s) => s.leaves.size)
  const now = useListening((s) => s.stretch)
  if (!order?.length || inPages) return null
  return (
    <nav aria-label="Order of the bars" data-testid="ribbon" className="mb-1 text-[12px] text-faint">
      <ol className="flex flex-wrap gap-[2px]">
        {order.map((stretch, k) => (
          <li key={k} className="flex" style={{ flexGrow: stretch.end - stretch.start }}>
            <button
              type="button"
              aria-label={`Play ${stretch.words}`}
              aria-current={k === now ? 'true' : undefined}
              title={`${stretch.words}: play from here`}
              className="min-h-6 w-full bg-bar px-1.5 hover:bg-wash aria-[current]:bg-wash aria-[current]:text-ink"
              onClick={(e) => {
                e.stopPropagation()
                void playStretch(k)
              }}>
              {stretch.bars}
            </button>
          </li>
        ))}
      </ol>
    </nav>
  )
}
