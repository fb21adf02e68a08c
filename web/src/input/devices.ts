/** MIDI inputs: found on plug-in, remembered when unplugged, each heard or not. */
import { WebMidi, type Input, type NoteMessageEvent, type ControlChangeMessageEvent } from 'webmidi'
import { create } from 'zustand'
import { hear } from './port'

export interface Device {
  readonly id: string
  readonly name: string
  readonly connected: boolean
  readonly heard: boolean
}

interface Devices {
  list: Device[]
  /** Words to show when no MIDI can be had, or none is plugged in. */
  advice: string
  setHeard(id: string, heard: boolean): void
}

const NONE = 'No MIDI instrument was found. Plug one in (it appears by itself), or play with the computer keys, the keys below or the rehearsal keyboard.'
const REFUSED = 'The browser did not allow MIDI. Allow it for this page, then look again; the computer keys and the keys below work meanwhile.'
const STORE = 'ductus.devices'

export const useDevices = create<Devices>((set) => ({
  list: JSON.parse(localStorage.getItem(STORE) ?? '[]').map((d: Device) => ({ ...d, connected: false })) as Device[],
  advice: NONE,
  setHeard: (id, heard) => set((s) => keep(s.list.map((d) => (d.id === id ? { ...d, heard } : d)))),
}))

function keep(list: Device[]): Partial<Devices> {
  localStorage.setItem(STORE, JSON.stringify(list))
  return { list, advice: list.some((d) => d.connected) ? '' : NONE }
}

const isHeard = (id: string) => useDevices.getState().list.find((d) => d.id === id)?.heard ?? true

function attach(input: Input) {
  input.removeListener()
  const us = (timestamp: number) => Math.round(timestamp * 1000)
  input.addListener('noteon', (e: NoteMessageEvent) => {
    if (isHeard(input.id)) hear(e.rawValue ? 'down' : 'up', e.note.number, e.rawValue ?? 0, input.name, us(e.timestamp))
  })
  input.addListener('noteoff', (e: NoteMessageEvent) => {
    if (isHeard(input.id)) hear('up', e.note.number, 0, input.name, us(e.timestamp))
  })
  input.addListener('controlchange', (e: ControlChangeMessageEvent) => {
    if (isHeard(input.id)) hear('control', e.controller.number, e.rawValue ?? 0, input.name, us(e.timestamp))
  })
}

function refresh() {
  useDevices.setState((s) => {
    const present = new Map(WebMidi.inputs.map((i) => [i.id, i.name]))
    const known = s.list.map((d) => ({ ...d, connected: present.has(d.id) }))
    for (const [id, name] of present) if (!known.some((d) => d.id === id)) known.push({ id, name, connected: true, heard: true })
    return keep(known)
  })
  WebMidi.inputs.forEach(attach)
}

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
