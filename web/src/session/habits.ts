/**
 * What the desk does by itself: it seats the players of the parts; by choice it lifts an idle pen, sounds tones for the
 * place, and the other parts.
 */
import { rest } from './rest'
import type { Pen, Sounding } from './wire'
import { heldKeys, nowUs, onHeard } from '../input/port'
import { seatPlayers, soundClicks, soundNotes } from '../playback/engine'
import { byId, keyWords } from '../input/commands'
import { computerKeysOn } from '../input/computerKeys'
import { playbackSettings, openPlayback } from '../playback/settings'
import { useListening } from '../playback/listening'
import { usePreferences } from '../shell/preferences'
import { give, layOut, say, send } from './actions'
import { useDesk } from './store'

const LOOK_MS = 5000
const BEAT_LEVEL = 2 // metrical rank of a beat; deeper places are parts of one

export function keepHabits(): () => void {
  let last = Date.now()
  const alive = () => {
    last = Date.now()
  }
  const deaf = onHeard(alive)
  window.addEventListener('keydown', alive)
  const timer = window.setInterval(() => {
    const { idleMinutes } = usePreferences.getState()
    if (idleMinutes && useDesk.getState().pen?.down && Date.now() - last > idleMinutes * 60_000)
      give({ name: 'pen', down: false })
  }, LOOK_MS)
  openPlayback(useDesk.getState().pieceId)
  const seat = () => {
    const { state, pen } = useDesk.getState()
    if (state) seatPlayers(state.parts, pen?.part ?? '', pen?.drums)
    computerKeysOn(pen?.drums != null)
  }
  seat()
  const unlay = useDesk.subscribe((now, before) => {
    const { pages } = playbackSettings()
    if (now.link !== 'open' || before.link === 'open') return
    if (pages) layOut(pages)
    if (now.line !== 100) send({ type: 'fit-line', share: now.line })
  })
  const unseat = useDesk.subscribe((now, before) => {
    if (
      now.state?.parts !== before.state?.parts ||
      now.pen?.part !== before.pen?.part ||
      now.pen?.drums?.join() !== before.pen?.drums?.join()
    )
      seat()
  })
  const unwatch = useDesk.subscribe((now, before) => {
    if (!now.pen?.down || !before.pen || now.pen === before.pen) return
    const rank = toneFor(now.pen, before.pen)
    if (rank) soundClicks([{ time_us: 0, rank }], nowUs())
    if (now.pen.tick !== before.pen.tick || now.pen.part !== before.pen.part || now.pen.staff !== before.pen.staff)
      askCompany(now.pieceId, now.pen)
  })
  let told = false // how a key is written, once while the pen stays up
  const stopTelling = onHeard((event) => {
    const { pen, recording, panel } = useDesk.getState()
    if (pen?.down || recording) told = false
    else if (event.kind === 'down' && pen && !told && panel === 'step' && !useListening.getState().playing) {
      told = true
      say(`Keys only sound while the pen is up: press ${keyWords(byId.get('pen')!.keys.at(-1)!)} to write`)
    }
  })
  const stopCompany = onHeard((event) => {
    const { pen, recording } = useDesk.getState()
    if (event.kind !== 'down' || heldKeys().size > 1 || !pen?.down || recording || useListening.getState().playing)
      return
    if (usePreferences.getState().company) soundCompany()
  })
  const unprefer = usePreferences.subscribe((now, before) => {
    const { pieceId, pen } = useDesk.getState()
    if (now.company && !before.company && pen) askCompany(pieceId, pen)
  })
  return () => {
    deaf()
    stopCompany()
    stopTelling()
    unseat()
    unprefer()
    unwatch()
    unlay()
    window.removeEventListener('keydown', alive)
    window.clearInterval(timer)
  }
}

/** The tone of the place that the pen has come to, if one is wanted. */
function toneFor(now: Pen, before: Pen): 'bar' | 'beat' | 'half' | null {
  const { barTone, beatTone } = usePreferences.getState()
  if (now.bar !== before.bar) return barTone || beatTone ? 'bar' : null
  if (!beatTone || now.tick === before.tick) return null
  return now.level === 0 ? 'bar' : now.level > BEAT_LEVEL ? 'half' : 'beat'
}

const COMPANY_US = 700_000
let company: Sounding[] = []

/** What the other parts and staves hold where the pen stands: asked for ahead, so that it sounds with the key. */
function askCompany(pieceId: string, pen: Pen): void {
  company = []
  if (!usePreferences.getState().company) return
  void rest.company(pieceId, pen.tick, pen.part, pen.staff).then(
    (found) => {
      const here = useDesk.getState().pen
      if (here?.tick === pen.tick && here.staff === pen.staff && here.part === pen.part) company = found
    },
    () => undefined,
  )
}

function soundCompany(): void {
  if (company.length)
    soundNotes(
      company.map((n) => ({ ...n, onset_us: 0, length_us: Math.min(n.length_us, COMPANY_US) })),
      nowUs(),
      () => undefined,
    )
}
