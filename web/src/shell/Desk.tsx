/** The desk: one sheet, one line, the keys; the margin beside the sheet. */
import { useEffect } from 'react'
import { rest } from '../session/rest'
import { listenToCommands } from '../input/keyboard'
import { listenToComputerKeys } from '../input/computerKeys'
import { lookForDevices, onUnplugged } from '../input/devices'
import { stopProgramme } from '../input/rehearsal'
import { prepareSound } from '../playback/engine'
import { PrintView } from '../print/PrintView'
import { KeyPage } from '../help/KeyPage'
import { keepHabits } from '../session/habits'
import { Header } from './Header'
import { Keys } from '../strips/Keys'
import { TourLine } from '../help/TourLine'
import { FirstPage } from './FirstPage'
import { PlayedOffer, watchJournal } from '../margin/Journal'
import { Line, More } from '../prompt/Line'
import { DelayTest, useDelay } from '../recording/DelayTest'
import { beginProofWithKey, stopWithProgramme } from '../recording/recorder'
import { Sheet } from '../sheet/Sheet'
import { Strip } from '../strips/Strip'
import { ShapeStrip } from '../strips/ShapeStrip'
import { followRecording, useShape } from '../shape/shape'
import { PatternStrip } from '../strips/PatternStrip'
import { usePatterns } from '../kit/pattern'
import type { Edit, FrameEdit } from '../session/wire'
import { edit, frame, openDesk, say, settled } from '../session/actions'
import { useDesk, useDeskParts } from '../session/store'
import { cx } from './classes'

/** Say something once what was sent before has been answered, so that it is not overwritten. */
const sayAfter = (words: string) => settled(() => say(words))

export function Desk({ pieceId, onShelf }: { pieceId: string; onShelf: () => void }) {
  const link = useDesk((s) => s.link)
  const problem = useDesk((s) => s.problem)
  const { said, urgent } = useDeskParts('said', 'urgent')
  const pen = useDesk((s) => s.pen)
  const panel = useDesk((s) => s.panel)
  const reads = useDesk((s) => s.readings.length > 0)
  const { ask, gone, trouble } = useDeskParts('ask', 'gone', 'trouble')
  const ofShape = useShape((s) => s.open)
  const delay = useDelay((s) => s.open)
  const ofPattern = usePatterns((s) => s.open) && pen?.drums != null

  useEffect(() => {
    const stops = [
      openDesk(pieceId),
      prepareSound(),
      listenToComputerKeys(sayAfter),
      listenToCommands(),
      stopWithProgramme(),
      beginProofWithKey(),
      keepHabits(),
      followRecording(),
      watchJournal(),
    ]
    onUnplugged(sayAfter)
    void lookForDevices()
    return () => {
      for (const stop of stops) stop()
      stopProgramme()
    }
  }, [pieceId])

  if (link === 'gone')
    return (
      <main className="flex h-full flex-col items-center justify-center gap-4 font-serif text-xl">
        <p>{problem || 'There is no piece at this address.'}</p>
        <button type="button" className="quiet-button" onClick={onShelf}>
          Back to the shelf
        </button>
      </main>
    )
  // what is held takes the place of what was said last: there is room for one
  const held = pen?.down && pen.pending.length > 0 ? `${pen.pending.join(', ')}: ${pen.step_words}` : ''
  return (
    <div className="flex h-full min-h-[34rem] flex-col">
      <Header onShelf={onShelf} />
      <main className="flex min-h-0 flex-1 gap-4 pt-1 pl-5">
        <Sheet />
      </main>
      <TourLine />
      <FirstPage pieceId={pieceId} onShelf={onShelf} />
      <footer
        className={cx(
          'relative mt-2 shrink-0 border-t-2 bg-bar px-5 pt-1.5 pb-1',
          pen?.down ? 'border-vermilion' : 'border-rule',
        )}>
        <div className="flex gap-5 max-md:flex-col max-md:gap-1">
          <Line />
          <div
            className={cx(
              'flex h-16 w-68 shrink-0 flex-col items-end gap-1 overflow-hidden',
              'max-md:h-auto max-md:w-auto max-md:flex-row max-lg:w-44',
            )}>
            <span className="flex flex-wrap justify-end gap-2">
              <PlayedOffer />
              <More />
            </span>
            {held && (
              <p data-testid="pending" className="line-clamp-2 text-right text-[0.92rem] leading-4 text-vermilion">
                {held}
              </p>
            )}
            <p
              role="status"
              aria-live={urgent ? 'assertive' : 'polite'}
              data-testid="said"
              title={said}
              className={cx('line-clamp-2 text-right text-[0.92rem] leading-4 text-faint', held && 'sr-only')}>
              {said}
            </p>
          </div>
        </div>
        <p className="mb-1 flex items-center gap-3 truncate text-[0.95rem] text-faint empty:hidden">
          {ask && (
            <span
              role="alertdialog"
              aria-label="A question"
              className="flex items-center gap-2 rounded-[3px] bg-wash px-2 text-ink"
              data-testid="ask">
              {ask.message}
              <button
                type="button"
                className="underline"
                onClick={() => {
                  useDesk.setState({ ask: null })
                  if (ask.frame) frame(ask.do as FrameEdit)
                  else edit(ask.do as Edit, ask.ids)
                }}>
                {ask.yes}
              </button>
              <button type="button" className="underline" onClick={() => useDesk.setState({ ask: null })}>
                leave it
              </button>
            </span>
          )}
          {(gone || trouble) && (
            <span
              role="alert"
              className="flex items-center gap-2 rounded-[3px] bg-vermilion px-2 text-paper"
              data-testid="trouble">
              {gone || trouble}
              {gone && (
                <button type="button" className="underline" onClick={() => void rest.restore(pieceId)}>
                  Bring it back
                </button>
              )}
            </span>
          )}
          {problem && (
            <span
              role="alert"
              className="flex items-center gap-2 rounded-[3px] bg-wash px-2 text-ink"
              data-testid="problem">
              {problem}
              <button type="button" className="underline" onClick={() => useDesk.setState({ problem: '' })}>
                understood
              </button>
            </span>
          )}
        </p>
        {delay ? (
          <DelayTest />
        ) : ofShape ? (
          <ShapeStrip />
        ) : ofPattern ? (
          <PatternStrip />
        ) : panel === 'read' && reads ? (
          <Strip />
        ) : (
          <Keys />
        )}
      </footer>
      <KeyPage />
      <PrintView />
    </div>
  )
}
