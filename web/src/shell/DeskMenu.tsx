/** The Desk menu: how the desk looks, sounds and hears. */
import { Fragment, useState } from 'react'
import { DropdownMenu } from 'radix-ui'
import { byId, keyWords } from '../input/commands'
import { useComputerKeys } from '../input/computerKeys'
import { lookForDevices, useDevices } from '../input/devices'
import { playProgramme, stopProgramme, useRehearsal } from '../input/rehearsal'
import { useSound } from '../playback/engine'
import { zoomBy } from '../sheet/zoom'
import { openDelayTest } from '../recording/DelayTest'
import { beginRecording } from '../recording/recorder'
import { changeHead, layOut } from '../session/actions'
import { useDesk } from '../session/store'
import { toggleHelp } from '../help/help'
import { usePreferences } from './preferences'
import { toggleEvening, toggleFarView } from './appearance'

/** What stays as it was chosen: how the desk looks and what it does by itself. */
export function Ways() {
  const { barTone, beatTone, company, penFollows, idleMinutes, set } = usePreferences()
  const cautions = useDesk((s) => s.state?.facts.cautions)
  const pages = useDesk((s) => s.leaves.size)
  return (
    <DropdownMenu.Root modal={false}>
      <DropdownMenu.Trigger className="quiet-button" data-tour="desk">
        Desk
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content className="menu" align="end" sideOffset={6}>
          <DropdownMenu.Item className="menu-item" onSelect={toggleHelp}>
            Keys and controls <kbd>F1</kbd>
          </DropdownMenu.Item>
          <DropdownMenu.Item className="menu-item" onSelect={toggleFarView}>
            Far view <kbd>F8</kbd>
          </DropdownMenu.Item>
          <DropdownMenu.Item
            className="menu-item"
            onSelect={(e) => {
              e.preventDefault()
              zoomBy('zoom', 1)
            }}>
            Sheet larger <kbd>Ctrl =</kbd>
          </DropdownMenu.Item>
          <DropdownMenu.Item
            className="menu-item"
            onSelect={(e) => {
              e.preventDefault()
              zoomBy('zoom', -1)
            }}>
            Sheet smaller <kbd>Ctrl -</kbd>
          </DropdownMenu.Item>
          <Choice on={pages === 'a4'} onChange={(on) => layOut(on ? 'a4' : '')} hint="Shift F9">
            Sheet in A4 pages
          </Choice>
          <Choice on={pages === 'letter'} onChange={(on) => layOut(on ? 'letter' : '')}>
            Sheet in US letter pages
          </Choice>
          <DropdownMenu.Item className="menu-item" onSelect={toggleEvening}>
            Evening theme
          </DropdownMenu.Item>
          <DropdownMenu.Separator className="my-1 h-px bg-rule" />
          <Choice on={barTone} onChange={(on) => set({ barTone: on })}>
            A tone at each bar line of the pen
          </Choice>
          <Choice on={beatTone} onChange={(on) => set({ beatTone: on })}>
            A tone for each beat the pen comes to, by its rank
          </Choice>
          <Choice on={company} onChange={(on) => set({ company: on })}>
            Each step sounds what the other parts hold there
          </Choice>
          <Choice on={penFollows} onChange={(on) => set({ penFollows: on })}>
            The pen goes where playback stops
          </Choice>
          <Choice on={cautions === 'plain'} onChange={(on) => changeHead({ cautions: on ? 'plain' : 'none' })}>
            Courtesy accidentals in this piece
          </Choice>
          <Choice
            on={cautions === 'parentheses'}
            onChange={(on) => changeHead({ cautions: on ? 'parentheses' : 'plain' })}>
            Courtesy accidentals in parentheses
          </Choice>
          <Choice on={idleMinutes > 0} onChange={(on) => set({ idleMinutes: on ? 10 : 0 })}>
            The pen lifts itself after ten idle minutes
          </Choice>
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  )
}

function Choice({
  on,
  onChange,
  hint,
  children,
}: {
  on: boolean
  onChange: (on: boolean) => void
  hint?: string
  children: string
}) {
  return (
    <DropdownMenu.CheckboxItem className="menu-item" checked={on} onCheckedChange={onChange}>
      <span>{children}</span>
      <kbd>
        {hint && `${hint}, `}
        {on ? 'yes' : 'no'}
      </kbd>
    </DropdownMenu.CheckboxItem>
  )
}

/** The note value of the tempo, drawn (no music font needed). */
export function Beat({ base, dots }: { base: string; dots: number }) {
  const open = base === 'half' || base === 'whole'
  return (
    <svg
      viewBox="0 0 12 18"
      className="inline-block h-[1.05em] align-[-0.12em]"
      role="img"
      aria-label={`${dots ? 'dotted ' : ''}${base}`}>
      <ellipse
        cx="4"
        cy="14.4"
        rx="3.2"
        ry="2.3"
        transform="rotate(-20 4 14.4)"
        fill={open ? 'none' : 'currentColor'}
        stroke="currentColor"
        strokeWidth={open ? 1 : 0}
      />
      {base !== 'whole' && <path d="M7 13.6V2" stroke="currentColor" strokeWidth="1" />}
      {base === 'eighth' && <path d="M7 2q.4 3 3 4.6" fill="none" stroke="currentColor" strokeWidth="1.2" />}
      {dots > 0 && <circle cx="9.8" cy="14.4" r="1" fill="currentColor" />}
    </svg>
  )
}

export function Hearing() {
  const { list, outputs, advice, setHeard, setChannel } = useDevices()
  const { programmes, playing, load } = useRehearsal()
  const { voice, setVoice, ready } = useSound()
  const octave = useComputerKeys((s) => s.octave)
  const [channelOf, setChannelOf] = useState('')
  const records = useDesk((s) => s.panel === 'record' || s.panel === 'proof')
  const live = list.filter((d) => d.connected && d.heard)
  const name = playing ? 'Rehearsal keyboard' : live.length ? live.map((d) => d.name).join(', ') : 'computer keys'
  return (
    <DropdownMenu.Root
      modal={false}
      onOpenChange={(open) => {
        if (open) {
          void load()
          void lookForDevices()
        }
      }}>
      <DropdownMenu.Trigger className="flex max-w-56 items-center gap-2 text-[0.95rem]" data-testid="hearing">
        <span aria-hidden className="h-2.5 w-2.5 shrink-0 rounded-full bg-verdigris ring-3 ring-verdigris/20" />
        <span className="truncate">
          <span className="near-only max-xl:hidden">Input: </span>
          <b className="font-medium">{name}</b>
        </span>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content className="menu max-w-96" align="end" sideOffset={10}>
          <DropdownMenu.Label className="px-2 py-1 text-sm text-faint">Instruments</DropdownMenu.Label>
          {list.map((d) => (
            <Fragment key={d.id}>
              <DropdownMenu.CheckboxItem
                className="menu-item"
                checked={d.heard && d.connected}
                disabled={!d.connected}
                onCheckedChange={(on) => setHeard(d.id, on)}>
                <span>{d.name}</span>
                <kbd>{d.connected ? (d.heard ? 'heard' : 'not heard') : 'not plugged in'}</kbd>
              </DropdownMenu.CheckboxItem>
              <DropdownMenu.Item
                className="menu-item pl-6"
                onSelect={(e) => {
                  e.preventDefault()
                  setChannelOf(channelOf === d.id ? '' : d.id)
                }}>
                <span>its channel</span>
                <kbd>{d.channel || 'all'}</kbd>
              </DropdownMenu.Item>
              {channelOf === d.id && (
                <DropdownMenu.RadioGroup
                  value={String(d.channel)}
                  onValueChange={(v) => {
                    setChannel(d.id, Number(v))
                    setChannelOf('')
                  }}
                  className="grid grid-cols-6 gap-0.5 pl-6">
                  {Array.from({ length: 17 }, (_, c) => (
                    <DropdownMenu.RadioItem
                      key={c}
                      value={String(c)}
                      aria-label={c ? `channel ${c}` : 'all channels'}
                      onSelect={(e) => e.preventDefault()}
                      className="menu-item justify-center aria-checked:font-bold">
                      {c || 'all'}
                    </DropdownMenu.RadioItem>
                  ))}
                </DropdownMenu.RadioGroup>
              )}
            </Fragment>
          ))}
          <DropdownMenu.Item
            className="menu-item"
            onSelect={(e) => {
              e.preventDefault()
              void lookForDevices()
            }}>
            <span>Look for instruments again</span>
            <kbd>{list.some((d) => d.connected) ? '' : 'none found'}</kbd>
          </DropdownMenu.Item>
          <DropdownMenu.Item className="menu-item" onSelect={openDelayTest}>
            <span>Delay test: how late do my notes arrive?</span>
          </DropdownMenu.Item>
          {advice && <p className="px-2 py-1 text-sm text-faint">{advice}</p>}
          <DropdownMenu.Separator className="my-1 h-px bg-rule" />
          <DropdownMenu.Label className="px-2 py-1 text-sm text-faint">
            Computer keys: A is C{octave}
          </DropdownMenu.Label>
          {(['octave-down', 'octave-up'] as const).map((id) => (
            <DropdownMenu.Item
              key={id}
              className="menu-item"
              onSelect={(e) => {
                e.preventDefault()
                byId.get(id)!.run()
              }}>
              <span>{byId.get(id)!.label}</span>
              <kbd>{byId.get(id)!.keys.map(keyWords).join(' or ')}</kbd>
            </DropdownMenu.Item>
          ))}
          <DropdownMenu.Separator className="my-1 h-px bg-rule" />
          <DropdownMenu.Label className="px-2 py-1 text-sm text-faint">Sounded by</DropdownMenu.Label>
          <DropdownMenu.RadioGroup value={voice} onValueChange={setVoice}>
            {[
              { id: 'piano', name: 'Ductus’ piano' },
              ...outputs,
              { id: 'none', name: 'nobody (the instrument sounds by itself)' },
            ].map((o) => (
              <DropdownMenu.RadioItem key={o.id} value={o.id} className="menu-item aria-checked:font-medium">
                <span>{o.name}</span>
                <kbd>{o.id === 'piano' && !ready ? 'loading' : o.id === voice ? 'sounds' : ''}</kbd>
              </DropdownMenu.RadioItem>
            ))}
          </DropdownMenu.RadioGroup>
          <DropdownMenu.Separator className="my-1 h-px bg-rule" />
          <DropdownMenu.Label className="px-2 py-1 text-sm text-faint">
            Rehearsal keyboard (a simulated player with pedal)
          </DropdownMenu.Label>
          {playing && (
            <DropdownMenu.Item className="menu-item" onSelect={stopProgramme}>
              Stop playing
            </DropdownMenu.Item>
          )}
          {programmes.map((p) => (
            <DropdownMenu.Item
              key={p.name}
              className="menu-item"
              onSelect={() => void (records ? beginRecording(p) : playProgramme(p.name))}>
              <span>{p.title}</span>
              <kbd>{records ? 'record this' : p.about}</kbd>
            </DropdownMenu.Item>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  )
}
