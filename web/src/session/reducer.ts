/** The pure reducer: one message of the server, and the state that follows from it. */
import type { PageSize } from '../playback/settings'
import type { DeskState } from './state'
import type { Proof, Reading, ServerMessage, System, SystemRef } from './wire'

const MOST_OLD_SYSTEMS = 40

/** The state after a message; the same object where the message changes nothing of it. */
export function reduce(s: DeskState, message: ServerMessage): DeskState {
  const changed = changes(s, message)
  return changed ? { ...s, ...changed } : s
}

function changes(s: DeskState, message: ServerMessage): Partial<DeskState> | null {
  switch (message.type) {
    case 'state':
      return { state: message }
    case 'takes':
      return { takes: message.takes, cutOff: message.cut_off, heard: message.heard }
    case 'sheet':
      return {
        refs: keepOldDrawings(s.refs, message.systems),
        leaves: keepLeaves(s.leaves, message.size ?? '', message.leaves ?? []),
      }
    case 'system':
      return {
        ...place(s, message),
        ...(message.leaves?.length ? { leaves: keepLeaves(s.leaves, s.leaves.size, message.leaves) } : {}),
      }
    case 'pen':
      return { pen: message, panel: message.down && (s.panel === 'read' || s.panel === 'proof') ? 'step' : s.panel }
    case 'selection': {
      const { ids, first_bar, last_bar, pitch = '', value = '', key = '', hand = '' } = message
      const selectedBars = first_bar < 0 ? null : ([first_bar, last_bar] as const)
      return { selection: new Set(ids), selectedBars, shared: { pitch, value, key, hand } }
    }
    case 'say':
      return { said: message.text, urgent: message.urgent ?? false }
    case 'problem':
      return { problem: message.message }
    case 'ask':
      return { ask: message }
    case 'keeping':
      return { trouble: message.trouble }
    case 'gone':
      return { gone: message.message }
    case 'record-line':
      return { recordLine: message, panel: panelFor(s.panel, message.on) }
    case 'recording':
      return message.going ? null : { recording: null, awaitedTake: message.take ?? null }
    case 'readings':
      return withReadings(s, message.readings)
    case 'proof':
      return withProof(s, message)
    case 'busy':
      return { busy: { words: message.words, share: message.share ?? 0 } }
    default:
      return null
  }
}

function panelFor(now: DeskState['panel'], records: boolean): DeskState['panel'] {
  if (records) return now === 'step' ? 'record' : now
  return now === 'record' ? 'step' : now
}

/**
 * A take that was just recorded is opened as soon as it has been read; a doubt that was settled hands over to the next.
 */
function withReadings(s: DeskState, readings: readonly Reading[]): Partial<DeskState> {
  const come = readings.find((r) => r.take === s.awaitedTake)
  const stays = readings.some((r) => r.id === s.openReading)
  const openReading = come?.id ?? (stays ? s.openReading : (readings[0]?.id ?? ''))
  const doubts = readings.find((r) => r.id === openReading)?.doubts ?? []
  const tick = s.readings.flatMap((r) => r.doubts).find((d) => d.key === s.doubt)?.tick ?? -1
  const doubt = doubts.some((d) => d.key === s.doubt)
    ? s.doubt
    : (doubts.find((d) => d.tick >= tick)?.key ?? doubts[0]?.key ?? null)
  const panel = come && !s.pen?.down ? 'read' : s.panel === 'read' && !readings.length ? 'step' : s.panel
  return {
    readings,
    readingsTold: true,
    told: s.state?.read ?? [],
    awaitedTake: come ? null : s.awaitedTake,
    openReading,
    doubt,
    panel,
  }
}

/** The difference in hand stays, or is the one after it. */
function withProof(s: DeskState, told: Proof): Partial<DeskState> {
  if (!told.take) return { proof: null, differing: '' }
  const tick = s.proof?.differences.find((d) => d.key === s.differing)?.tick ?? -1
  const next =
    told.differences.find((d) => d.key === s.differing) ??
    told.differences.find((d) => d.tick >= tick) ??
    told.differences[0]
  return { proof: told, differing: next?.key ?? '', panel: s.pen?.down ? s.panel : 'proof' }
}

/** A system that waits to be engraved keeps its old drawing until the new one comes. */
function keepOldDrawings(old: SystemRef[], told: SystemRef[]): SystemRef[] {
  const known = new Map(old.map((r) => [`${r.first}-${r.last}`, r]))
  const kept = told.map((r) => {
    const before = known.get(`${r.first}-${r.last}`)
    return before && (r.key === null || r.key === before.key) ? before : r
  })
  return kept.length === old.length && kept.every((r, i) => r === old[i]) ? old : kept // nothing to draw again
}

const keepLeaves = (old: DeskState['leaves'], size: PageSize, first: readonly number[]) =>
  old.size === size && old.first.join() === first.join() ? old : { size, first }

function place(s: DeskState, system: System): Partial<DeskState> {
  const systems = new Map(s.systems).set(system.key, system)
  const refs = s.refs.map((r) => (r.first === system.first && r.last === system.last ? { ...r, key: system.key } : r))
  const used = new Set(refs.map((r) => r.key))
  if (systems.size > refs.length + MOST_OLD_SYSTEMS)
    for (const key of systems.keys()) if (!used.has(key)) systems.delete(key)
  return { refs, systems }
}
