/** The header, in four groups: the piece; playback, place and tempo; recording, pen and input; history and files. */
import { memo, type ReactNode } from 'react'
import { DropdownMenu } from 'radix-ui'
import { rest } from '../session/rest'
import { hint } from '../input/commands'
import { useSound } from '../playback/engine'
import { loopWords, openListening, togglePlaying, useListening } from '../playback/listening'
import { usePlayback } from '../playback/settings'
import { toggleRecording } from '../recording/recorder'
import { give, sayLeftOut, travel } from '../session/actions'
import { useDesk, useDeskParts } from '../session/store'
import { openPrint } from '../print/opened'
import { saveFromDesk } from '../print/saving'
import { counted } from '../prompt/words'
import { cx } from './classes'
import { Ways, Beat, Hearing } from './DeskMenu'

const WELL = 'saved'

/** Whether everything is on disk: never said while it is not. */
function keptWords(link: string, trouble: string, unkept: number, unwritten: number): string {
  const wait = unwritten ? `; ${counted(unwritten, 'note')} ${unwritten === 1 ? 'waits' : 'wait'}` : ''
  if (link !== 'open') return wait ? `connection lost${wait}` : 'connection lost, trying again'
  if (trouble) return 'not saved at the moment'
  if (unkept) return 'saving'
  return unwritten ? `saved${wait}` : WELL
}

function Group({ label, className, children }: { label: string; className?: string; children: ReactNode }) {
  return (
    <div role="group" aria-label={label} className={cx('flex min-w-0 items-center', className ?? 'gap-4')}>
      {children}
    </div>
  )
}

/** Said only while something is on its way to the disk, or waits; that all is saved can still be asked for. */
function Kept() {
  const { link, trouble, unkept, unwritten, gone } = useDeskParts('link', 'trouble', 'unkept', 'unwritten', 'gone')
  const kept = keptWords(link, trouble || gone, unkept, unwritten)
  return (
    <span
      className={cx('near-only max-w-80 min-w-0 text-sm text-faint', kept === WELL ? 'sr-only' : 'line-clamp-2')}
      data-testid="kept"
      title={
        unwritten ? 'What you played is held here and written where it was meant as soon as Ductus answers' : undefined
      }>
      {kept}
    </span>
  )
}

export const Header = memo(function Header({ onShelf }: { onShelf: () => void }) {
  const { state, pen, pieceId, panel, recording } = useDeskParts('state', 'pen', 'pieceId', 'panel', 'recording')
  const records = panel === 'record' || panel === 'proof'
  const playing = useListening((s) => s.playing)
  const allowed = useSound((s) => s.allowed)
  const listening = useListening((s) => s.open)
  if (!state || !pen) return <header className="h-12 border-b border-rule bg-bar" />
  return (
    <header
      className={cx(
        'flex min-h-12 shrink-0 items-center gap-4 border-b border-rule bg-bar px-5',
        'max-xl:flex-wrap max-xl:gap-x-2.5 max-xl:gap-y-1.5 max-xl:px-4 max-xl:py-1.5',
      )}>
      <Group label="piece">
        <a
          href="/"
          onClick={(e) => {
            e.preventDefault()
            onShelf()
          }}
          className="font-serif text-2xl italic"
          title="Back to the shelf">
          <span className="text-vermilion">D</span>uctus
        </a>
        <span className="max-w-56 min-w-24 truncate font-serif text-xl" title={state.facts.title}>
          {state.facts.title || 'Untitled'}
        </span>
        <Kept />
      </Group>
      <Group label="playback" className="mx-auto gap-3 max-xl:gap-2">
        <button
          type="button"
          onClick={togglePlaying}
          title={hint('play')}
          aria-label={playing ? 'Stop' : 'Play'}
          className="flex h-8 w-8 shrink-0 items-center justify-center rounded-full border border-rule bg-paper">
          <svg viewBox="0 0 12 12" className="h-3 w-3" fill="currentColor" aria-hidden>
            {playing ? <path d="M2 2h8v8H2z" /> : <path d="M2 1l9 5-9 5z" />}
          </svg>
        </button>
        {!allowed && (
          <span
            className="near-only rounded-[3px] bg-wash px-2 text-[0.9rem] whitespace-nowrap text-ink"
            data-testid="silent">
            no sound before the first key
          </span>
        )}
        <button
          type="button"
          className="near-only text-[0.95rem] text-faint underline decoration-rule underline-offset-4"
          aria-pressed={listening}
          title={hint('listening')}
          onClick={() => openListening(!listening)}>
          how
        </button>
        <span className="truncate text-[0.95rem] font-medium max-xl:max-w-40" data-testid="position">
          {pen.bar_number ? `bar ${pen.bar_number}` : 'pick-up'} · beat {pen.beat}
        </span>
        <span
          className="near-only text-[0.95rem] whitespace-nowrap"
          title={`${state.beat_dots ? 'dotted ' : ''}${state.beat_base} = ${state.beats_per_minute}`}>
          <Beat base={state.beat_base} dots={state.beat_dots} /> = {Math.round(state.beats_per_minute * 10) / 10}
        </span>
      </Group>
      <Group label="recording and pen" className="gap-2.5 border-l border-rule pl-3 max-xl:border-none max-xl:pl-0">
        <button
          type="button"
          onClick={toggleRecording}
          title={hint('record')}
          data-testid="record"
          className={cx(
            'quiet-button',
            recording ? 'going' : records && 'text-vermilion',
            !recording && !records && 'max-lg:hidden',
          )}>
          {recording ? 'Stop recording' : 'Record'}
        </button>
        <button
          type="button"
          aria-pressed={pen.down}
          title={hint('pen')}
          onClick={() => give({ name: 'pen' })}
          data-testid="pen-state"
          className={
            pen.down ? 'rounded-[3px] bg-vermilion px-2.5 py-1 font-bold whitespace-nowrap text-paper' : 'quiet-button'
          }>
          {pen.down ? 'Pen down' : 'Pen up'}
        </button>
        <Hearing />
      </Group>
      <Group label="history and files" className="gap-2 border-l border-rule pl-3 max-xl:border-none max-xl:pl-0">
        <button
          type="button"
          className="quiet-button near-only"
          disabled={!state.undo}
          data-tour="undo"
          title={state.undo ? `Undo: ${state.undo}` : 'Nothing to undo'}
          onClick={() => travel('undo')}>
          Undo
        </button>
        <button
          type="button"
          className="quiet-button near-only"
          disabled={!state.redo}
          title={state.redo ? `Redo: ${state.redo}` : 'Nothing to redo'}
          onClick={() => travel('redo')}>
          Redo
        </button>
        <Ways />
        <DropdownMenu.Root modal={false}>
          <DropdownMenu.Trigger className="quiet-button" data-tour="export">
            Export
          </DropdownMenu.Trigger>
          <DropdownMenu.Portal>
            <DropdownMenu.Content className="menu" align="end" sideOffset={6}>
              <DropdownMenu.Item className="menu-item" onSelect={openPrint}>
                Pages: print, PDF <kbd>F9</kbd>
              </DropdownMenu.Item>
              <DropdownMenu.Item className="menu-item" asChild onSelect={() => void sayLeftOut()}>
                <a href={rest.exportAddress(pieceId, 'musicxml')} download>
                  MusicXML
                </a>
              </DropdownMenu.Item>
              <DropdownMenu.Item className="menu-item" asChild onSelect={() => void sayLeftOut()}>
                <a href={rest.exportAddress(pieceId, 'mxl')} download>
                  MusicXML, compressed
                </a>
              </DropdownMenu.Item>
              <DropdownMenu.Item className="menu-item" asChild onSelect={() => void sayLeftOut()}>
                <a href={rest.exportAddress(pieceId, 'mid')} download>
                  MIDI file
                </a>
              </DropdownMenu.Item>
              <DropdownMenu.Item className="menu-item" asChild>
                <a href={rest.exportAddress(pieceId, 'ductus')} download>
                  Project file: notes and takes (.ductus)
                </a>
              </DropdownMenu.Item>
              <DropdownMenu.Item className="menu-item" asChild>
                <a href={`${rest.exportAddress(pieceId, 'ductus')}?history=true`} download>
                  Project file, with its undo history
                </a>
              </DropdownMenu.Item>
              <AudioItems pieceId={pieceId} />
            </DropdownMenu.Content>
          </DropdownMenu.Portal>
        </DropdownMenu.Root>
      </Group>
    </header>
  )
})

/** Audio as playback is set: as played or as set, with its feel; the bars that go round, where some do. */
function AudioItems({ pieceId }: { pieceId: string }) {
  const title = useDesk((s) => s.state?.facts.title)
  const loop = usePlayback((h) => h.loop)
  const asPlayed = usePlayback((h) => h.asPlayed)
  const feel = usePlayback((h) => (h.feels ? h.feel : 0))
  const how = { as_played: asPlayed, feel, ...(loop ? { first_bar: loop.first, last_bar: loop.last } : {}) }
  const bars = loop ? `${loopWords(loop).toLowerCase()} ` : ''
  const what = `${bars}${asPlayed ? 'as played' : 'as set'}${feel ? ', with feel' : ''}`
  return (
    <>
      <DropdownMenu.Separator className="my-1 h-px bg-rule" />
      <DropdownMenu.Label className="px-2 py-1 text-sm text-faint">Audio, {what}</DropdownMenu.Label>
      {(['wav', 'flac', 'ogg', 'mp3'] as const).map((kind) => (
        <DropdownMenu.Item
          key={kind}
          className="menu-item"
          onSelect={() =>
            void saveFromDesk(
              `${kind.toUpperCase()} file`,
              rest.audioAddress(pieceId, kind, how),
              `${title || 'piece'}.${kind}`,
            )
          }>
          {kind.toUpperCase()}
        </DropdownMenu.Item>
      ))}
    </>
  )
}
