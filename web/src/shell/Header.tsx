/** The header: where we are, play, pen, what is heard, undo and export. */
import { Fragment, memo, useState } from 'react'
import { DropdownMenu } from 'radix-ui'
import { rest } from '../session/rest'
import { hint } from '../input/commands'
import { lookForDevices, useDevices } from '../input/devices'
import { playProgramme, stopProgramme, useRehearsal } from '../input/rehearsal'
import { useSound } from '../playback/engine'
import { loopWords, openListening, togglePlaying, useListening } from '../playback/listening'
import { useHow } from '../playback/settings'
import { zoomBy } from '../sheet/zoom'
import { openDelayTest } from '../recording/DelayTest'
import { beginRecording, toggleRecording } from '../recording/recorder'
import { changeHead, give, layOut, sayLeftOut, travel, useDesk, useDeskParts } from '../session/store'
import { toggleHelp } from './help'
import { openPrint } from '../print/PrintView'
import { saveFromDesk } from '../print/saving'
import { usePreferences } from './preferences'
import { counted } from '../prompt/words'
import { toggleEvening, toggleFarView } from './appearance'

const WELL = 'everything is kept'

/** Whether everything is on disk: never said while it is not. */
function keptWords(link: string, trouble: string, unkept: number, unwritten: number): string {
  const wait = unwritten ? `; ${counted(unwritten, 'note')} ${unwritten === 1 ? 'waits' : 'wait'}` : ''
  if (link !== 'open') return wait ? `connection lost${wait}` : 'connection lost, trying again'
  if (trouble) return 'not kept at the moment'
  if (unkept) return 'being kept'
  return unwritten ? `kept${wait}` : WELL
}

export const Header = memo(function Header({ onShelf }: { onShelf: () => void }) {
  const { state, pen, link, pieceId, way, recording, trouble, unkept, unwritten, gone } = useDeskParts('state', 'pen', 'link', 'pieceId', 'way', 'recording', 'trouble', 'unkept', 'unwritten', 'gone')
  const records = way === 'record' || way === 'proof'
  const playing = useListening((s) => s.playing)
  const allowed = useSound((s) => s.allowed)
  const listening = useListening((s) => s.open)
  const kept = keptWords(link, trouble || gone, unkept, unwritten)
  if (!state || !pen) return <header className="h-13 border-b border-rule bg-bar" />
  return (
    <header className="flex min-h-13 shrink-0 items-center gap-4 border-b border-rule bg-bar px-5 max-xl:flex-wrap max-xl:gap-x-2.5 max-xl:gap-y-1.5 max-xl:px-4 max-xl:py-1.5">
      <a href="/" onClick={(e) => { e.preventDefault(); onShelf() }} className="font-serif text-2xl italic" title="Back to the shelf">
        <span className="text-vermilion">D</span>uctus
      </a>
      <span className="min-w-24 max-w-56 truncate font-serif text-xl">{state.facts.title || 'Untitled'}</span>
      <span className={`near-only max-w-64 min-w-0 truncate text-sm text-faint ${kept === WELL ? 'max-xl:hidden' : 'max-lg:hidden'}`} data-testid="kept" title={unwritten ? 'What you played is held here and written where it was meant as soon as Ductus answers' : undefined}>{kept}</span>
      <div className="mx-auto flex items-center gap-3 max-xl:gap-2">
        <button type="button" onClick={togglePlaying} title={hint('play')} aria-label={playing ? 'Stop' : 'Play'}
          className="flex h-8 w-8 shrink-0 items-center justify-center rounded-full border border-rule bg-paper">
          <svg viewBox="0 0 12 12" className="h-3 w-3" fill="currentColor" aria-hidden>{playing ? <path d="M2 2h8v8H2z" /> : <path d="M2 1l9 5-9 5z" />}</svg>
        </button>
        {!allowed && <span className="near-only rounded-[3px] bg-wash px-2 text-[0.9rem] whitespace-nowrap text-ink" data-testid="silent">no sound before the first key</span>}
        <button type="button" className="near-only text-[0.95rem] text-faint underline decoration-rule underline-offset-4" aria-pressed={listening} title={hint('listening')} onClick={() => openListening(!listening)}>how</button>
        {records && (
          <button type="button" onClick={toggleRecording} title={hint('record')} data-testid="record"
            className={`quiet-button ${recording ? 'going' : 'text-vermilion'}`}>
            {recording ? 'Stop recording' : 'Record'}
          </button>
        )}
        <span className="truncate text-[0.95rem] font-medium max-xl:max-w-40" data-testid="position">{pen.bar_number ? `bar ${pen.bar_number}` : 'pick-up'} · beat {pen.beat}</span>
        <span className="near-only text-[0.95rem] whitespace-nowrap" title={`${state.beat_dots ? 'dotted ' : ''}${state.beat_base} = ${state.beats_per_minute}`}><Beat base={state.beat_base} dots={state.beat_dots} /> = {Math.round(state.beats_per_minute * 10) / 10}</span>
      </div>
      <button type="button" aria-pressed={pen.down} title={hint('pen')} onClick={() => give({ name: 'pen' })} data-testid="pen-state"
        className={pen.down ? 'rounded-[3px] bg-vermilion px-2.5 py-1 font-bold whitespace-nowrap text-paper' : 'quiet-button'}>
        {pen.down ? 'Pen down' : 'Pen up'}
      </button>
      <Hearing />
      <button type="button" className="quiet-button near-only" disabled={!state.undo} title={state.undo ? `Undo: ${state.undo}` : 'Nothing to undo'} onClick={() => travel('undo')}>Undo</button>
      <button type="button" className="quiet-button near-only" disabled={!state.redo} title={state.redo ? `Redo: ${state.redo}` : 'Nothing to redo'} onClick={() => travel('redo')}>Redo</button>
      <Ways />
      <DropdownMenu.Root modal={false}>
        <DropdownMenu.Trigger className="quiet-button">Export</DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content className="menu" align="end" sideOffset={6}>
            <DropdownMenu.Item className="menu-item" onSelect={openPrint}>Pages: print, PDF <kbd>F9</kbd></DropdownMenu.Item>
            <DropdownMenu.Item className="menu-item" asChild onSelect={() => void sayLeftOut()}><a href={rest.exportAddress(pieceId, 'musicxml')} download>MusicXML</a></DropdownMenu.Item>
            <DropdownMenu.Item className="menu-item" asChild onSelect={() => void sayLeftOut()}><a href={rest.exportAddress(pieceId, 'mxl')} download>MusicXML, compressed</a></DropdownMenu.Item>
            <DropdownMenu.Item className="menu-item" asChild onSelect={() => void sayLeftOut()}><a href={rest.exportAddress(pieceId, 'mid')} download>MIDI file</a></DropdownMenu.Item>
            <DropdownMenu.Item className="menu-item" asChild><a href={rest.exportAddress(pieceId, 'ductus')} download>All of it: notes and takes (.ductus)</a></DropdownMenu.Item>
            <DropdownMenu.Item className="menu-item" asChild><a href={`${rest.exportAddress(pieceId, 'ductus')}?history=true`} download>All of it, with what can be undone</a></DropdownMenu.Item>
            <AudioItems pieceId={pieceId} />
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
    </header>
  )
})

/** Audio as playback is set: as played or as set, with its feel; the bars that go round, where some do. */
function AudioItems({ pieceId }: { pieceId: string }) {
  const title = useDesk((s) => s.state?.facts.title)
  const loop = useHow((h) => h.loop)
  const asPlayed = useHow((h) => h.asPlayed)
  const feel = useHow((h) => (h.feels ? h.feel : 0))
  const how = { as_played: asPlayed, feel, ...(loop ? { first_bar: loop.first, last_bar: loop.last } : {}) }
  const what = `${loop ? `${loopWords(loop).toLowerCase()} ` : ''}${asPlayed ? 'as played' : 'as set'}${feel ? ', with feel' : ''}`
  return (
    <>
      <DropdownMenu.Separator className="my-1 h-px bg-rule" />
      <DropdownMenu.Label className="px-2 py-1 text-sm text-faint">Audio, {what}</DropdownMenu.Label>
      {(['wav', 'flac', 'ogg', 'mp3'] as const).map((kind) => (
        <DropdownMenu.Item key={kind} className="menu-item" onSelect={() => void saveFromDesk(`${kind.toUpperCase()} file`, rest.audioAddress(pieceId, kind, how), `${title || 'piece'}.${kind}`)}>
          {kind.toUpperCase()}
        </DropdownMenu.Item>
      ))}
    </>
  )
}

/** What stays as it was chosen: how the desk looks and what it does by itself. */
function Ways() {
  const { barTone, beatTone, company, penFollows, idleMinutes, set } = usePreferences()
  const cautions = useDesk((s) => s.state?.facts.cautions)
  const pages = useDesk((s) => s.leaves.size)
  return (
    <DropdownMenu.Root modal={false}>
      <DropdownMenu.Trigger className="quiet-button">Desk</DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content className="menu" align="end" sideOffset={6}>
          <DropdownMenu.Item className="menu-item" onSelect={toggleHelp}>Keys and controls <kbd>F1</kbd></DropdownMenu.Item>
          <DropdownMenu.Item className="menu-item" onSelect={toggleFarView}>Far view <kbd>F8</kbd></DropdownMenu.Item>
          <DropdownMenu.Item className="menu-item" onSelect={(e) => { e.preventDefault(); zoomBy('zoom', 1) }}>Sheet larger <kbd>Ctrl =</kbd></DropdownMenu.Item>
          <DropdownMenu.Item className="menu-item" onSelect={(e) => { e.preventDefault(); zoomBy('zoom', -1) }}>Sheet smaller <kbd>Ctrl -</kbd></DropdownMenu.Item>
          <Choice on={pages === 'a4'} onChange={(on) => layOut(on ? 'a4' : '')} hint="Shift F9">Sheet in A4 pages</Choice>
          <Choice on={pages === 'letter'} onChange={(on) => layOut(on ? 'letter' : '')}>Sheet in US letter pages</Choice>
          <DropdownMenu.Item className="menu-item" onSelect={toggleEvening}>Evening theme</DropdownMenu.Item>
          <DropdownMenu.Separator className="my-1 h-px bg-rule" />
          <Choice on={barTone} onChange={(on) => set({ barTone: on })}>A tone at each bar line of the pen</Choice>
          <Choice on={beatTone} onChange={(on) => set({ beatTone: on })}>A tone for each beat the pen comes to, by its rank</Choice>
          <Choice on={company} onChange={(on) => set({ company: on })}>Each step sounds what the other parts hold there</Choice>
          <Choice on={penFollows} onChange={(on) => set({ penFollows: on })}>The pen goes where playback stops</Choice>
          <Choice on={cautions === 'plain'} onChange={(on) => changeHead({ cautions: on ? 'plain' : 'none' })}>Accidentals of caution in this piece</Choice>
          <Choice on={cautions === 'parentheses'} onChange={(on) => changeHead({ cautions: on ? 'parentheses' : 'plain' })}>Accidentals of caution in parentheses</Choice>
          <Choice on={idleMinutes > 0} onChange={(on) => set({ idleMinutes: on ? 10 : 0 })}>The pen lifts itself after ten idle minutes</Choice>
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  )
}

function Choice({ on, onChange, hint, children }: { on: boolean; onChange: (on: boolean) => void; hint?: string; children: string }) {
  return (
    <DropdownMenu.CheckboxItem className="menu-item" checked={on} onCheckedChange={onChange}>
      <span>{children}</span><kbd>{hint && `${hint}, `}{on ? 'yes' : 'no'}</kbd>
    </DropdownMenu.CheckboxItem>
  )
}

/** The note value of the tempo, drawn (no music font needed). */
function Beat({ base, dots }: { base: string; dots: number }) {
  const open = base === 'half' || base === 'whole'
  return (
    <svg viewBox="0 0 12 18" className="inline-block h-[1.05em] align-[-0.12em]" role="img" aria-label={`${dots ? 'dotted ' : ''}${base}`}>
      <ellipse cx="4" cy="14.4" rx="3.2" ry="2.3" transform="rotate(-20 4 14.4)" fill={open ? 'none' : 'currentColor'} stroke="currentColor" strokeWidth={open ? 1 : 0} />
      {base !== 'whole' && <path d="M7 13.6V2" stroke="currentColor" strokeWidth="1" />}
      {base === 'eighth' && <path d="M7 2q.4 3 3 4.6" fill="none" stroke="currentColor" strokeWidth="1.2" />}
      {dots > 0 && <circle cx="9.8" cy="14.4" r="1" fill="currentColor" />}
    </svg>
  )
}

function Hearing() {
  const { list, outputs, advice, setHeard, setChannel } = useDevices()
  const { programmes, playing, load } = useRehearsal()
  const { voice, setVoice, ready } = useSound()
  const [channelOf, setChannelOf] = useState('')
  const records = useDesk((s) => s.way === 'record' || s.way === 'proof')
  const live = list.filter((d) => d.connected && d.heard)
  const name = playing ? 'Rehearsal keyboard' : live.length ? live.map((d) => d.name).join(', ') : 'computer keys'
  return (
    <DropdownMenu.Root modal={false} onOpenChange={(open) => { if (open) { void load(); void lookForDevices() } }}>
      <DropdownMenu.Trigger className="flex max-w-56 items-center gap-2 text-[0.95rem]" data-testid="hearing">
        <span aria-hidden className="h-2.5 w-2.5 shrink-0 rounded-full bg-verdigris ring-3 ring-verdigris/20" />
        <span className="truncate"><span className="near-only max-xl:hidden">Hearing </span><b className="font-medium">{name}</b></span>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content className="menu max-w-96" align="end" sideOffset={10}>
          <DropdownMenu.Label className="px-2 py-1 text-sm text-faint">Instruments</DropdownMenu.Label>
          {list.map((d) => (
            <Fragment key={d.id}>
              <DropdownMenu.CheckboxItem className="menu-item" checked={d.heard && d.connected} disabled={!d.connected} onCheckedChange={(on) => setHeard(d.id, on)}>
                <span>{d.name}</span><kbd>{d.connected ? (d.heard ? 'heard' : 'not heard') : 'not plugged in'}</kbd>
              </DropdownMenu.CheckboxItem>
              <DropdownMenu.Item className="menu-item pl-6" onSelect={(e) => { e.preventDefault(); setChannelOf(channelOf === d.id ? '' : d.id) }}>
                <span>its channel</span><kbd>{d.channel || 'all'}</kbd>
              </DropdownMenu.Item>
              {channelOf === d.id && (
                <DropdownMenu.RadioGroup value={String(d.channel)} onValueChange={(v) => { setChannel(d.id, Number(v)); setChannelOf('') }} className="grid grid-cols-6 gap-0.5 pl-6">
                  {Array.from({ length: 17 }, (_, c) => (
                    <DropdownMenu.RadioItem key={c} value={String(c)} aria-label={c ? `channel ${c}` : 'all channels'} onSelect={(e) => e.preventDefault()} className="menu-item justify-center aria-checked:font-bold">{c || 'all'}</DropdownMenu.RadioItem>
                  ))}
                </DropdownMenu.RadioGroup>
              )}
            </Fragment>
          ))}
          <DropdownMenu.Item className="menu-item" onSelect={(e) => { e.preventDefault(); void lookForDevices() }}>
            <span>Look for instruments again</span><kbd>{list.some((d) => d.connected) ? '' : 'none found'}</kbd>
          </DropdownMenu.Item>
          <DropdownMenu.Item className="menu-item" onSelect={openDelayTest}>
            <span>Delay test: how late do my notes arrive?</span>
          </DropdownMenu.Item>
          {advice && <p className="px-2 py-1 text-sm text-faint">{advice}</p>}
          <DropdownMenu.Separator className="my-1 h-px bg-rule" />
          <DropdownMenu.Label className="px-2 py-1 text-sm text-faint">Sounded by</DropdownMenu.Label>
          <DropdownMenu.RadioGroup value={voice} onValueChange={setVoice}>
            {[{ id: 'piano', name: 'Ductus’ piano' }, ...outputs, { id: 'none', name: 'nobody (the instrument sounds by itself)' }].map((o) => (
              <DropdownMenu.RadioItem key={o.id} value={o.id} className="menu-item aria-checked:font-medium">
                <span>{o.name}</span><kbd>{o.id === 'piano' && !ready ? 'loading' : o.id === voice ? 'sounds' : ''}</kbd>
              </DropdownMenu.RadioItem>
            ))}
          </DropdownMenu.RadioGroup>
          <DropdownMenu.Separator className="my-1 h-px bg-rule" />
          <DropdownMenu.Label className="px-2 py-1 text-sm text-faint">Rehearsal keyboard (a simulated player with pedal)</DropdownMenu.Label>
          {playing && <DropdownMenu.Item className="menu-item" onSelect={stopProgramme}>Stop playing</DropdownMenu.Item>}
          {programmes.map((p) => (
            <DropdownMenu.Item key={p.name} className="menu-item" onSelect={() => void (records ? beginRecording(p) : playProgramme(p.name))}>
              <span>{p.title}</span><kbd>{records ? 'record this' : p.about}</kbd>
            </DropdownMenu.Item>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  )
}
