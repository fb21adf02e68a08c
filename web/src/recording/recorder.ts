/**
 * Recording from the browser's side: what is heard is asked for stretch by stretch (so that the click never ends before
 * the player), sounded on the audio clock, and the server is told when time begins.
 */
import type { Clicks, Programme, ServerMessage, TempoChoice } from '../session/wire'
import { stayAwake } from './awake'
import { epochUs } from '../session/connection'
import { beforeHeard, nowUs } from '../input/port'
import { playProgramme, stopProgramme, useRehearsal } from '../input/rehearsal'
import { soundClickStream, soundNoteStream, soundsHere } from '../playback/engine'
import type { Stream } from '../playback/schedule'
import { clicksFor } from './clicks'
import { say, settled, startRecording, stopRecording } from '../session/actions'
import { onLeave, onMessage } from '../session/events'
import { useDesk } from '../session/store'
import { stopPlaying, whilePlayKeyStops } from '../playback/listening'

const LEAD_US = 400_000 // time to get the clicks onto the audio clock
const BARS = 16 // of one stretch
const AHEAD_US = 6_000_000 // a stretch is asked for so long before it begins
const ROUND_AHEAD_US = 1_500_000 // a round holds what was played in the one before: it is asked for as late as may be
const AFTER_SPAN_US = 250_000 // a key that is held over the last bar line is still heard

stayAwake()

/** What a recording is begun with in place of what the line says. */
interface Own {
  readonly tempo?: TempoChoice
}

/** The recording that sounds here: its silence, how its click bends with the player, and where its beats fall. */
interface Current {
  silence: (() => void) | null
  bend: ((bent: Clicks) => void) | null
  /** Event time of the first click, and beats as (microseconds from there, tick of the piece). */
  beats: { originUs: number; at: (readonly [number, number])[] }
}
const current: Current = { silence: null, bend: null, beats: { originUs: 0, at: [] } }

/** The tick of the piece that an event time falls on, by the click. */
export function tickOf(atUs: number): number {
  const { beats } = current
  const us = atUs - beats.originUs
  const k = Math.max(
    beats.at.findLastIndex(([t]) => t <= us),
    0,
  )
  const [a, b] = [beats.at[k], beats.at[k + 1] ?? beats.at[k]]
  if (!a || !b) return 0
  return Math.round(a[1] + (b[0] > a[0] ? ((us - a[0]) / (b[0] - a[0])) * (b[1] - a[1]) : 0))
}

/** Sounds the click and the music around it from now on; answers how to silence it. */
function sounding(originUs: number, bar: number, own: Own, first: Awaited<ReturnType<typeof clicksFor>>): () => void {
  const clicks: Stream = soundClickStream(first.clicks, originUs)
  const notes: Stream = soundNoteStream(first.notes, originUs)
  const beats = { originUs, at: [...first.beats] as [number, number][] }
  current.beats = beats
  let timer = 0
  let over = 0
  const next = (since: number, endUs: number) => {
    timer = window.setTimeout(
      async () => {
        const more = await clicksFor({ bar, since, bars: BARS, tempo: own.tempo ?? null, count_in: null }).catch(
          () => null,
        )
        if (!more) return next(since, endUs)
        clicks.add(more.clicks)
        notes.add(more.notes)
        beats.at.push(...(more.beats as [number, number][]))
        next(since + more.bars, more.end_us)
      },
      Math.max((originUs + endUs - (first.round_bars ? ROUND_AHEAD_US : AHEAD_US) - nowUs()) / 1000, 20),
    )
  }
  next(first.since + first.bars, first.end_us)
  current.bend = (bent) => {
    const us = originUs + bent.from_us!
    clicks.replace(us, bent.clicks)
    notes.replace(us, bent.notes)
    beats.at = [
      ...beats.at.filter(([t]) => t < bent.from_us!),
      ...(bent.beats as [number, number][]).filter(([t]) => t >= bent.from_us!),
    ]
    window.clearTimeout(timer)
    next(bent.since + bent.bars, bent.end_us)
  }
  if (first.stop_us !== null)
    over = window.setTimeout(() => endRecording(), (originUs + first.stop_us + AFTER_SPAN_US - nowUs()) / 1000)
  return () => {
    window.clearTimeout(timer)
    window.clearTimeout(over)
    current.bend = null
    clicks.stop()
    notes.stop()
  }
}

/**
 * Start a recording at the pen's bar; with `programme` the rehearsal keyboard plays along, at the tempo that the line
 * names.
 */
export async function beginRecording(programme?: Programme): Promise<void> {
  const { pen, recording, recordLine } = useDesk.getState()
  if (!pen || !recordLine || recording) return
  stopPlaying()
  const proof = useDesk.getState().panel === 'proof'
  if (proof || (programme ? programme.qpm === null : !recordLine.click)) return beginFreely(programme, proof)
  // nothing begins twice while the clicks are fetched
  useDesk.setState({ recording: { originUs: 0, waiting: true, free: false } })
  const clicks = (tempo: TempoChoice | null) =>
    clicksFor({ bar: pen.bar, since: 0, bars: BARS, tempo, count_in: null }).catch(() => null)
  const told = (await Promise.all([clicks(null), soundsHere()]))[0]
  // the keyboard keeps the tempo that it begins with
  const own: Own = programme && told ? { tempo: { name: 'one-tempo', qpm: told.quarters_per_minute } } : {}
  const first = own.tempo ? await clicks(own.tempo) : told
  if (!useDesk.getState().recording?.waiting) return // stopped meanwhile
  if (!first) {
    useDesk.setState({ recording: null })
    return say('The clicks did not come in time, so no recording has begun. Try it again')
  }
  if (!programme && recordLine.first_key) return waitForKey(pen.bar, first)
  const originUs = nowUs() + LEAD_US
  startRecording(originUs, pen.bar, own)
  current.silence = sounding(originUs, pen.bar, own, first)
  const bars = recordLine.count_in
  say(`Recording: ${bars === 1 ? 'one bar' : `${bars} bars`} of count-in`)
  if (programme)
    await playProgramme(programme.name, originUs, { qpm: first.quarters_per_minute, leadUs: first.lead_us })
}

async function beginFreely(programme?: Programme, proof = false): Promise<void> {
  const { pen } = useDesk.getState()
  startRecording(nowUs(), pen!.bar, { freely: true, proof })
  say(
    proof
      ? 'Play what is on the page, from any bar, at any speed'
      : 'Recording: play freely, the beats are found afterwards',
  )
  if (programme) await playProgramme(programme.name)
}

/** A proof that was asked for begins with the first key that is struck. */
export function beginProofWithKey(): () => void {
  return beforeHeard((event) => {
    const { panel, proof, pen, recording } = useDesk.getState()
    if (event.kind !== 'down' || panel !== 'proof' || proof || !pen || pen.down || recording) return
    stopPlaying()
    startRecording(event.atUs, pen.bar, { freely: true, proof: true })
    say('Comparing with the score')
  })
}

/** The first key is the first beat: the click joins it. */
function waitForKey(bar: number, first: Awaited<ReturnType<typeof clicksFor>>): void {
  say('Ready: the recording begins with your first key')
  const unhear = beforeHeard((event) => {
    if (event.kind !== 'down') return
    unhear()
    startRecording(event.atUs, bar, {})
    current.silence = sounding(event.atUs, bar, {}, first)
    say('Recording')
  })
  current.silence = unhear
}

export function endRecording(drop = false): void {
  silenceIt()
  const { recording } = useDesk.getState()
  if (!recording) return
  if (recording.waiting) {
    useDesk.setState({ recording: null })
    return say('Nothing was recorded')
  }
  stopRecording(drop)
}

function silenceIt(): void {
  current.silence?.()
  current.silence = null
}

onMessage('clicks', (clicks) => {
  if (clicks.from_us != null) current.bend?.(clicks)
})
onMessage('recording', (message, { recording }) => {
  if (message.going && !recording) void resume(message)
  else if (!message.going && recording && !recording.waiting && message.take == null) cutOff()
})

/** The server knows of no recording any more: it was stopped in the middle of one. */
function cutOff(): void {
  silenceIt()
  stopProgramme()
  say('The recording was cut off. What was played up to then is in the journal: the margin offers to write it')
}

/** After a reload the click goes on where it is now. */
async function resume(going: Extract<ServerMessage, { type: 'recording' }>): Promise<void> {
  const originUs = going.from_us! - epochUs()
  const [free, proof] = [going.free ?? false, going.proof ?? false]
  useDesk.setState({ recording: { originUs, waiting: false, free, proof } })
  say('The recording goes on')
  if (free || proof) return
  const bar = going.bar!
  const ask = (since: number) => clicksFor({ bar, since, bars: BARS, tempo: null, count_in: null }).catch(() => null)
  let now = await ask(0)
  const passed: (readonly [number, number])[] = []
  while (now && originUs + now.end_us < nowUs()) {
    passed.push(...(now.beats as [number, number][]))
    now = await ask(now.since + now.bars)
  }
  if (!now || !useDesk.getState().recording) return
  const left = nowUs() - originUs
  const coming = {
    ...now,
    clicks: now.clicks.filter((c) => c.time_us > left),
    notes: now.notes.filter((n) => n.onset_us > left),
  }
  current.silence = sounding(originUs, bar, {}, coming)
  current.beats.at.unshift(...(passed as [number, number][]))
}

whilePlayKeyStops(() => endRecording())
onLeave(() => endRecording())

export const toggleRecording = () => (useDesk.getState().recording ? endRecording() : void beginRecording())

/**
 * "Again": drop the failed take from the page and restart with the count-in, as soon as the server has answered,
 * however long that takes.
 */
export function recordAgain(): void {
  endRecording(true)
  settled(() => void beginRecording())
}

/** When the rehearsal keyboard has finished a programme that was being recorded, the recording stops too. */
export function stopWithProgramme(): () => void {
  return useRehearsal.subscribe((now, before) => {
    if (before.playing && !now.playing && useDesk.getState().recording) setTimeout(() => endRecording(), 250)
  })
}
