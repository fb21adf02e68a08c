/** A place where page and playing differ, in the margin beside its music. */
import type { Difference } from '../session/wire'
import { byId, keyWords } from '../input/commands'
import { useDesk } from '../session/store'
import { decideDifference, stepDifference } from '../proof/proof'
import { cx } from '../shell/classes'

const key = (id: string) => keyWords(byId.get(id)?.keys[0] ?? '')

export function DifferenceCard({ difference, inHand }: { difference: Difference; inHand: boolean }) {
  const place = difference.place[0]!.toUpperCase() + difference.place.slice(1)
  if (!inHand)
    return (
      <button
        type="button"
        className={cx(
          'block w-full truncate border-l-2 border-ochre/50 pl-3 text-left',
          'text-[0.9rem] text-faint hover:text-ochre',
        )}
        data-testid="difference"
        onClick={() => useDesk.setState({ differing: difference.key })}>
        <b className="font-medium text-ochre">{place}</b> {difference.words}
      </button>
    )
  return (
    <section
      className="border-l-2 border-ochre pl-3"
      data-testid="difference-in-hand"
      aria-label={`Differs in ${difference.place}`}>
      <h2 className="font-serif text-lg leading-tight text-ochre">{place}</h2>
      <p>{difference.words}</p>
      <div className="mt-1 flex flex-wrap gap-1.5">
        <button type="button" className="quiet-button" onClick={() => decideDifference('take', difference.key)}>
          Take over as played <kbd>{key('swap-doubt')}</kbd>
        </button>
        <button type="button" className="quiet-button" onClick={() => decideDifference('leave', difference.key)}>
          Leave the page <kbd>{key('accept-doubt')}</kbd>
        </button>
        <button type="button" className="quiet-button" onClick={() => stepDifference(1)}>
          Next <kbd>{key('next-doubt')}</kbd>
        </button>
      </div>
    </section>
  )
}
