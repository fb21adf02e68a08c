/** What was played on the shelf is a page: what becomes of it is asked in three phrases above the line. */
import { useEffect } from 'react'
import { startTour, useTour } from '../help/tour'
import { playFromStart } from '../playback/listening'
import { openRead } from '../reading/reading'
import { say } from '../session/actions'
import { rest } from '../session/rest'
import { useDesk } from '../session/store'
import { forgetFirstPlay, useFirstPlay } from '../shelf/firstPlay'

export function FirstPage({ pieceId, onShelf }: { pieceId: string; onShelf: () => void }) {
  const mine = useFirstPlay((s) => s.stage === 'written' && s.pieceId === pieceId)
  const written = useDesk((s) => s.readings.length > 0)
  useEffect(() => () => (mine ? forgetFirstPlay() : undefined), [mine])
  if (!mine) return null
  const keep = () => {
    forgetFirstPlay()
    say('It is on the shelf. Click the head of the page to give it a title')
    if (!useTour.getState().known) startTour()
  }
  const again = () => {
    forgetFirstPlay()
    void rest.remove(pieceId).finally(onShelf)
  }
  return (
    <section
      aria-label="What you played"
      data-testid="first-page"
      className="flex shrink-0 flex-wrap items-center gap-5 bg-wash px-5 py-1.5 font-serif text-lg">
      <span role="status">{written ? 'This is what you played:' : 'What you played is being written down ...'}</span>
      {written && (
        <>
          <button type="button" className="phrase lead" onClick={keep}>
            keep it
          </button>
          <button type="button" className="phrase lead" onClick={again}>
            again
          </button>
          <button type="button" className="phrase lead" onClick={playFromStart}>
            hear it
          </button>
          <button type="button" className="phrase lead" onClick={() => openRead()}>
            how does it go?
          </button>
        </>
      )}
    </section>
  )
}
