/** The tour's line over the line of the desk: what to do next, one gesture at a time. */
import { memo } from 'react'
import { useDesk } from '../session/store'
import { useComputerKeys } from '../input/computerKeys'
import { endTour, skipStop, startTour, STOPS, useTour, wordsOf } from './tour'

export const TourLine = memo(function TourLine() {
  const at = useTour((s) => s.at)
  const octave = useComputerKeys((s) => s.octave)
  const value = useDesk((s) => s.pen?.step_words ?? '')
  if (at === null) return null
  const over = at >= STOPS.length
  return (
    <section
      aria-label="The tour"
      className="flex flex-wrap items-center gap-x-3 gap-y-1 border-b border-rule bg-wash px-5 py-1.5"
      data-testid="tour">
      {!over && <style>{`${STOPS[at]!.at} { outline: 2px dashed var(--color-ochre); outline-offset: 3px }`}</style>}
      <span role="status" className="min-w-0 flex-1">
        {over ? (
          'That was the tour: your notes stay, and F1 finds everything else. ' +
          'The demo’s pieces and the rehearsal keyboard are there to try the rest.'
        ) : (
          <>
            <b className="font-medium text-vermilion">
              {at + 1} of {STOPS.length}
            </b>{' '}
            {wordsOf(STOPS[at]!, octave, value)}
          </>
        )}
      </span>
      {!over && (
        <button type="button" className="quiet-button" onClick={skipStop}>
          Skip this
        </button>
      )}
      <button type="button" className="quiet-button" onClick={endTour}>
        {over ? 'Close' : 'End the tour'}
      </button>
    </section>
  )
})

/** The offer on the shelf, until it was taken or declined. */
export function TourOffer({ begin }: { begin: () => void }) {
  const known = useTour((s) => s.known)
  if (known) return null
  return (
    <section
      aria-label="New here?"
      className="flex flex-wrap items-center gap-3 rounded-[3px] bg-wash px-4 py-2.5"
      data-testid="tour-offer">
      <span className="flex-1 font-serif text-lg">
        New here? Sixteen gestures on a piece of your own, one line at a time: six minutes.
      </span>
      <button
        type="button"
        className="quiet-button"
        onClick={() => {
          begin()
          startTour()
        }}>
        Show me
      </button>
      <button type="button" className="quiet-button" onClick={endTour}>
        Not now
      </button>
    </section>
  )
}
