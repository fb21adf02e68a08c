/** Tapping the beats along with a take: each tap is a beat, the first one the first of a bar. */
import { create } from 'zustand'
import { nowUs, onHeard, SUSTAIN } from '../input/port'
import { playTake, stopPlaying, useListening } from '../playback/listening'
import { setReading } from './reading'
import { say } from '../session/actions'
import { onLeave } from '../session/events'

export const TAP_CODES: ReadonlySet<string> = new Set(['Enter', 'NumpadEnter', 'Numpad5', 'Space'])

interface Tapping {
  taps: readonly number[]
  on: boolean
}

export const useTapping = create<Tapping>(() => ({ taps: [], on: false }))
let unlisten: (() => void)[] = []

export async function startTapping(take: number): Promise<void> {
  await playTake(take)
  const origin = useListening.getState().originUs ?? nowUs()
  useTapping.setState({ on: true, taps: [] })
  say(
    'Tap each beat with Enter, the space bar, the pedal or any key of the instrument; ' +
      'the first tap is a first beat. Esc ends it',
  )
  const tap = (atUs: number) => useTapping.setState((s) => ({ taps: [...s.taps, Math.max(atUs - origin, 0)] }))
  const onKey = (event: KeyboardEvent) => {
    if (event.code === 'Escape') finish(false)
    else if (TAP_CODES.has(event.code) && !event.repeat) tap(Math.round(event.timeStamp * 1000))
    else return
    event.preventDefault()
    event.stopImmediatePropagation()
  }
  window.addEventListener('keydown', onKey, true)
  unlisten = [
    () => window.removeEventListener('keydown', onKey, true),
    onHeard((e) => {
      if (e.kind === 'down' || (e.kind === 'control' && e.key === SUSTAIN && e.value >= 64)) tap(e.atUs)
    }),
    useListening.subscribe((now, before) => {
      if (before.playing && !now.playing) finish(true)
    }),
  ]
}

function unheard(): void {
  for (const stop of unlisten) stop()
  unlisten = []
  useTapping.setState({ on: false })
}
onLeave(unheard)

function finish(played: boolean): void {
  unheard()
  const { taps } = useTapping.getState()
  if (!played) stopPlaying()
  if (taps.length < 2) return say('Fewer than two beats were tapped, so the bars stay as they are')
  setReading({ name: 'taps', times: taps.map(Math.round) })
}

export const endTapping = () => finish(false)
