/**
 * MIDI inputs: found on plug-in, remembered when unplugged, each heard or not, on all channels or one. MIDI outputs:
 * one of them may sound instead of our piano.
 */
import { WebMidi, type Input, type NoteMessageEvent, type ControlChangeMessageEvent, type Output } from 'webmidi'
import { create } from 'zustand'
import { refuseWheel } from './learned'
import { hear, letGoOf } from './port'

export interface Device {
  readonly id: string
  readonly name: string
  readonly connected: boolean
  readonly heard: boolean
  /** The channel that is heard, 1 to 16; 0: all. */
  readonly channel: number
}

interface Devices {
  list: Device[]
  outputs: { id: string; name: string }[]
  /** Words to show when no MIDI can be had, or none is plugged in. */
  advice: string
  setHeard(id: string, heard: boolean): void
  setChannel(id: string, channel: number): void
}

const NONE =
  'No MIDI instrument was found. Plug one in (it appears by itself), or play with the computer keys, ' +
  'the keys below or the rehearsal keyboard.'
const REFUSED =
  'The browser did not allow MIDI. Allow it for this page, then look again; ' +
  'the computer keys and the keys below work meanwhile.'
const STORE = 'ductus.devices'

export const useDevices = create<Devices>((set) => ({
  list: JSON.parse(localStorage.getItem(STORE) ?? '[]').map((d: Device) => ({
    ...d,
    channel: d.channel ?? 0,
    connected: false,
  })) as Device[],
  outputs: [],
  advice: NONE,
  setHeard: (id, heard) => set((s) => keep(s.list.map((d) => (d.id === id ? { ...d, heard } : d)))),
  setChannel: (id, channel) => set((s) => keep(s.list.map((d) => (d.id === id ? { ...d, channel } : d)))),
}))

function keep(list: Device[]): Partial<Devices> {
  localStorage.setItem(STORE, JSON.stringify(list))
  return { list, advice: list.some((d) => d.connected) ? '' : NONE }
}

function isHeard(id: string, channel: number): boolean {
  const device = useDevices.getState().list.find((d) => d.id === id)
  return !device || (device.heard && (device.channel === 0 || device.channel === channel))
}

function attach(input: Input) {
  input.removeListener()
  const us = (timestamp: number) => Math.round(timestamp * 1000)
  input.addListener('noteon', (e: NoteMessageEvent) => {
    if (isHeard(input.id, e.message.channel))
      hear(e.rawValue ? 'down' : 'up', e.note.number, e.rawValue ?? 0, input.id, us(e.timestamp), e.message.channel)
  })
  input.addListener('pitchbend', refuseWheel)
  input.addListener('noteoff', (e: NoteMessageEvent) => {
    if (isHeard(input.id, e.message.channel)) hear('up', e.note.number, 0, input.id, us(e.timestamp), e.message.channel)
  })
  input.addListener('controlchange', (e: ControlChangeMessageEvent) => {
    if (isHeard(input.id, e.message.channel))
      hear('control', e.controller.number, e.rawValue ?? 0, input.id, us(e.timestamp), e.message.channel)
  })
}

let unplugged: (words: string) => void = () => undefined
/** Who says that an instrument went away with keys held. */
export const onUnplugged = (say: (words: string) => void) => {
  unplugged = say
}

function refresh() {
  for (const device of useDevices.getState().list) {
    if (!device.connected || WebMidi.inputs.some((i) => i.id === device.id)) continue
    const keys = letGoOf(device.id)
    unplugged(
      `${device.name} was unplugged` +
        (keys ? `: its ${keys === 1 ? 'held key counts' : `${keys} held keys count`} as let go` : ''),
    )
  }
  useDevices.setState((s) => {
    const present = new Map(WebMidi.inputs.map((i) => [i.id, i.name]))
    const known = s.list.map((d) => ({ ...d, connected: present.has(d.id) }))
    for (const [id, name] of present)
      if (!known.some((d) => d.id === id)) known.push({ id, name, connected: true, heard: true, channel: 0 })
    return { ...keep(known), outputs: WebMidi.outputs.map((o) => ({ id: o.id, name: o.name })) }
  })
  WebMidi.inputs.forEach(attach)
}

/** A MIDI output that is plugged in. */
export const outputOf = (id: string): Output | undefined =>
  WebMidi.enabled ? WebMidi.outputs.find((o) => o.id === id) : undefined

/** Look for instruments (again); call it on start and by hand. */
export async function lookForDevices(): Promise<void> {
  try {
    if (!WebMidi.enabled) {
      await WebMidi.enable()
      WebMidi.addListener('connected', refresh)
      WebMidi.addListener('disconnected', refresh)
    }
    refresh()
  } catch {
    useDevices.setState({ advice: REFUSED })
  }
}
