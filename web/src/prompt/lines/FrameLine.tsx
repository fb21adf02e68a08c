/**
 * The line speaks of the frame: clef, key, meter, tempo, part or bars at a place. What would move is said before it does; Enter does it.
 */
import { useEffect, useState, type ReactNode } from 'react'
import { rest } from '../../session/rest'
import type { ChangePart, FrameAt, Instrument, State } from '../../session/wire'
import { Now, OpenPhrase, Phrase, Tail, type Option } from '../Phrase'
import { send, useDesk, useDeskParts } from '../../session/store'
import { doFrame, doWeighed, editMarks, leaveFrame, leaveWeighed, lookAtFrame, openWith, usePage, weigh, type What } from '../../session/chosen'

const METERS = ['4/4', '3/4', '2/4', '2/2', '6/8', '9/8', '12/8', '3/8', 'C', 'cut', '5/4', '5/8 (2+3)', '5/8 (3+2)', '7/8 (2+2+3)', '7/8 (3+2+2)', '8/8 (3+3+2)']
const CLEFS = ['treble', 'bass', 'alto', 'tenor', 'soprano', 'treble-8', 'treble+8', 'bass-8']
const MAJOR = ['C flat', 'G flat', 'D flat', 'A flat', 'E flat', 'B flat', 'F', 'C', 'G', 'D', 'A', 'E', 'B', 'F sharp', 'C sharp']
const MINOR = ['A flat', 'E flat', 'B flat', 'F', 'C', 'G', 'D', 'A', 'E', 'B', 'F sharp', 'C sharp', 'G sharp', 'D sharp', 'A sharp']
const KEYS = MAJOR.flatMap((name, i) => [
  { label: `${name} major`, fifths: i - 7, mode: 'major' as const }, { label: `${MINOR[i]} minor`, fifths: i - 7, mode: 'minor' as const },
])
const INTERVALS: [string, number, number][] = [
  ['minor second', 1, 1], ['major second', 1, 2], ['minor third', 2, 3], ['major third', 2, 4], ['perfect fourth', 3, 5], ['perfect fifth', 4, 7], ['octave', 7, 12],
]
const ASPECTS: [What, string][] = [['bar', 'bars'], ['meter', 'meter'], ['key', 'key'], ['tempo', 'tempo'], ['clef', 'clef'], ['part', 'part']]

export function FrameLine() {
  const at = usePage((s) => s.frame)
  const weighed = usePage((s) => s.weighed)
  if (!at) return null
  if (weighed)
    return (
      <>
        <span data-testid="weighed">{weighed.words}.</span>{' '}
        <button type="button" autoFocus className="phrase font-bold text-vermilion" data-phrase="do it" onClick={doWeighed}>Do it</button> (Enter) or{' '}
        <Tail end="."><Now act={leaveWeighed}>leave it</Now></Tail>
      </>
    )
  const other: Option[] = ASPECTS.map(([what, label]) => ({ label, chosen: what === at.what, act: () => lookAtFrame(what, at) }))
  return (
    <span role="presentation" onKeyDown={(e) => { if (e.key === 'Escape' && e.target instanceof HTMLInputElement) { e.target.blur(); leaveFrame() } }}>
      <Phrase name="about" options={other} strong>{ABOUT[at.what](at)}</Phrase> {PARTS[at.what](at)}{' '}
      <Tail end="."><Now act={leaveFrame}>done</Now></Tail>
    </span>
  )
}

const head = (at: FrameAt) => `${at.bars[0]!.toUpperCase()}${at.bars.slice(1)}`
const ABOUT: Record<What, (at: FrameAt) => string> = {
  bar: (at) => `${head(at)}:`, meter: (at) => `${head(at)} on:`, key: (at) => `${head(at)} on:`, tempo: (at) => `Tempo at ${at.place}:`,
  clef: (at) => `${at.part_name}${at.staves > 1 ? (at.staff === 1 ? ', right hand' : ', left hand') : ''}, ${at.place}:`, part: (at) => `${at.part_name}:`,
}
const PARTS: Record<What, (at: FrameAt) => ReactNode> = {
  bar: (at) => <BarsPart at={at} />, meter: (at) => <MeterPart at={at} />, key: (at) => <KeyPart at={at} />, tempo: (at) => <TempoPart key={`${at.tick}`} at={at} />, clef: (at) => <ClefPart at={at} />,
  part: (at) => <PartPart at={at} />,
}

const formText = (form: HTMLFormElement, name: string) => String(new FormData(form).get(name) ?? '').trim()

/** A small form with one field. */
function One({ label, name, value, give, number, className }: { label: string; name: string; value?: string | number; give: (text: string) => void; number?: boolean; className?: string }) {
  return (
    <form className="flex items-center gap-2" onSubmit={(e) => { e.preventDefault(); give(formText(e.currentTarget, name)) }}>
      <label className="flex-1">{label} <input name={name} autoFocus defaultValue={value ?? ''} type={number ? 'number' : 'text'} step="any" maxLength={200} className={`field ${className ?? 'w-28'}`} /></label>
      <button type="submit" className="quiet-button">Set</button>
    </form>
  )
}

function BarsPart({ at }: { at: FrameAt }) {
  const bars = { first: at.bar, last: at.last }
  const again = at.sections.map((section): Option => ({ label: `${section} again here`, act: () => weigh({ name: 'section-again', section, to: at.bar }) }))
  return (
    <>
      <Tail><OpenPhrase closes name="insert bars" words="insert bars before it"><One label="How many bars" name="count" value={1} number className="w-16" give={(n) => doFrame({ name: 'insert-bars', bar: at.bar, count: Number(n) })} /></OpenPhrase></Tail>{' '}
      {at.bar === at.last && !(at.bar === 0 && at.pickup > 0) && <><Tail><OpenPhrase closes name="cut the bar" words="cut it in two"><One label="In front of beat" name="beat" value={at.beat_here > 1 ? at.beat_here : ''} number className="w-16" give={(beat) => weigh({ name: 'cut-bar', bar: at.bar, beat: Number(beat) })} /></OpenPhrase></Tail>{' '}</>}
      {at.cut && <><Tail><Now act={() => weigh({ name: 'join-bar', bar: at.bar })}>make it whole</Now></Tail>{' '}</>}
      <Tail><Now act={() => weigh({ name: 'remove-bars', ...bars })}>remove</Now></Tail>{' '}
      <Tail><Now act={() => weigh({ name: 'empty-bars', ...bars })}>empty</Now></Tail>{' '}
      <Tail><OpenPhrase closes name="copy bars" words="copy in front of a bar"><CopyForm at={at} /></OpenPhrase></Tail>{' '}
      {again.length > 0 && <><Tail><Phrase name="section again" options={again}>a section again</Phrase></Tail>{' '}</>}
      <Tail><Now act={() => doFrame({ name: 'trim-bars' })}>trim the empty end</Now></Tail>{' '}
      <ReadyFigures key={`${at.bar}-${at.last}`} at={at} />
      repeats, endings and names of sections: <Tail end=";"><Now act={() => { leaveFrame(); openWith(true) }}>with ...</Now></Tail>
    </>
  )
}

type PartView = State['parts'][number]
const LENGTHS = [1, 2, 4, 8, 16]

interface Home { readonly part: string; readonly staff: number; readonly words: string }

/** The staves that can accompany, a keyboard's lower one first. */
function homes(parts: readonly PartView[]): Home[] {
  const all = parts.filter((p) => p.clefs[0] !== 'percussion').flatMap((p) => (p.staves === 1 ? [{ part: p.id, staff: 1, words: p.name }] : [{ part: p.id, staff: 2, words: `${p.name}, left hand` }, { part: p.id, staff: 1, words: `${p.name}, right hand` }]))
  return [...all.filter((h) => h.staff === 2), ...all.filter((h) => h.staff === 1)]
}

/** A ready figure of accompaniment for a staff, over so many bars. */
function ReadyFigures({ at }: { at: FrameAt }) {
  const { pieceId, state } = useDeskParts('pieceId', 'state')
  const chosen = at.last - at.bar + 1
  const [bars, setBars] = useState(chosen)
  const staves = homes(state?.parts ?? [])
  const [wanted, setWanted] = useState<Home | null>(null)
  const home = wanted ?? staves.find((h) => h.part === at.part && h.staff === 2) ?? staves[0]
  const [ready, setReady] = useState<readonly string[]>([])
  useEffect(() => { rest.readyPatterns(pieceId, at.bar, true).then((list) => setReady(list.filter((r) => r.fits).map((r) => r.name)), () => undefined) }, [pieceId, at.bar])
  if (!ready.length || !home) return null
  const lengths = [...new Set([...LENGTHS, chosen])].sort((a, b) => a - b)
  return (
    <>
      accompany <Phrase name="bars of the figure" options={lengths.map((n) => ({ label: n === 1 ? '1 bar' : `${n} bars`, chosen: n === bars, act: () => setBars(n) }))}>{bars === 1 ? 'one bar' : `${bars} bars`}</Phrase> in <Phrase name="accompanying staff" options={staves.map((h) => ({ label: h.words, chosen: h.words === home.words, act: () => setWanted(h) }))}>{home.words}</Phrase> with{' '}
      <Tail end=";"><Phrase name="ready figure" options={ready.map((figure) => ({ label: figure, act: () => weigh({ name: 'accompany', part: home.part, staff: home.staff, first: at.bar, last: at.bar + bars - 1, figure }) }))}>a ready figure</Phrase></Tail>{' '}
    </>
  )
}

function CopyForm({ at }: { at: FrameAt }) {
  const [to, setTo] = useState('')
  const [times, setTimes] = useState('1')
  const indexOf = (number: number) => at.going_on.reduce((index, part) => index + (part <= index ? 1 : 0), Math.max(number - (at.pickup > 0 ? 0 : 1), 0))
  return (
    <form className="flex flex-wrap items-center gap-2" onSubmit={(e) => { e.preventDefault(); weigh({ name: 'copy-bars', first: at.bar, last: at.last, to: indexOf(Number(to)), times: Number(times) }) }}>
      <label>In front of bar <input autoFocus type="number" min={1} max={9999} required value={to} onChange={(e) => setTo(e.target.value)} className="field w-16" /></label>
      <label>times <input type="number" min={1} max={50} required value={times} onChange={(e) => setTimes(e.target.value)} className="field w-14" /></label>
      <button type="submit" className="quiet-button">Say what it does</button>
    </form>
  )
}

function MeterPart({ at }: { at: FrameAt }) {
  const [values, setValues] = useState<'kept' | 'scaled'>('kept')
  const to = (meter: string) => weigh({ name: 'meter-from', bar: at.bar, meter, values })
  const options = METERS.map((meter): Option => ({ label: meter, chosen: meter === at.meter, act: () => to(meter) }))
  return (
    <>
      meter <Tail><Phrase name="meter" options={options}>{at.meter}</Phrase></Tail>{' '}
      <Tail><OpenPhrase closes name="any meter" words="or any other"><One label="Meter, as 7/8 (2+2+3)" name="meter" give={to} /></OpenPhrase></Tail>{' '}
      values <Tail end=";"><Phrase name="values" options={(['kept', 'scaled'] as const).map((v) => ({ label: v === 'kept' ? 'kept: bar lines move' : 'scaled: each bar stays a bar', chosen: v === values, act: () => setValues(v) }))}>{values}</Phrase></Tail>{' '}
      {at.bar === 0 && <>pick-up <Tail end=";"><OpenPhrase closes name="pick-up" words={at.pickup ? `of ${at.pickup / 960} quarters` : 'none'}>
        <One label="Length in quarters (0: none)" name="quarters" value={at.pickup / 960} number className="w-20" give={(q) => weigh({ name: 'pick-up', ticks: Math.round(Number(q) * QUARTER_TICKS) })} />
      </OpenPhrase></Tail>{' '}</>}
    </>
  )
}
const QUARTER_TICKS = 23_063_040

const KEPT = { kept: 'keep their pitch', nearest: 'go with the key, the nearest way', up: 'go with the key, upwards', down: 'go with the key, downwards' }

function KeyPart({ at }: { at: FrameAt }) {
  const [notes, setNotes] = useState<keyof typeof KEPT>('kept')
  const now = (k: (typeof KEYS)[number]) => k.fifths === at.fifths && k.mode === at.mode
  const options = KEYS.map((k): Option => ({ label: k.label, chosen: now(k), act: () => weigh({ name: 'key-from', bar: at.bar, fifths: k.fifths, mode: k.mode, notes }) }))
  const piece = KEYS.filter((k) => k.mode === at.mode).map((k): Option => ({ label: k.label, chosen: now(k), act: () => weigh({ name: 'transpose-to', fifths: k.fifths }) }))
  const by = ([1, -1] as const).flatMap((sign) => INTERVALS.map(([name, steps, semitones]): Option => ({ label: `${name} ${sign > 0 ? 'up' : 'down'}`, act: () => weigh({ name: 'transpose-by', steps: sign * steps, semitones: sign * semitones }) })))
  return (
    <>
      key <Tail end=";"><Phrase name="key" options={options}>{at.key}</Phrase></Tail>{' '}
      notes <Tail end=";"><Phrase name="notes" options={(Object.keys(KEPT) as (keyof typeof KEPT)[]).map((k) => ({ label: KEPT[k], chosen: k === notes, act: () => setNotes(k) }))}>{KEPT[notes]}</Phrase></Tail>{' '}
      the whole piece <Phrase name="transpose to" options={piece}>to another key</Phrase> or <Tail end=";"><Phrase name="transpose by" options={by}>by an interval</Phrase></Tail>{' '}
      {at.here.length > 0 && <><Tail><Now act={() => dropHere(at)}>take this change of key away</Now></Tail>{' '}</>}
    </>
  )
}

function dropHere(at: FrameAt) {
  usePage.setState({ marks: { type: 'marks-chosen', ids: at.here, words: '', movable: false, moved: false, bends: false, spans: false, text: '', start: 0, end: 0, part: at.part, staff: at.staff } })
  editMarks({ name: 'drop-marks' })
  leaveFrame()
}

function TempoPart({ at }: { at: FrameAt }) {
  return (
    <>
      <form className="inline-flex flex-wrap items-baseline gap-2" onSubmit={(e) => {
        e.preventDefault()
        ;(document.activeElement as HTMLElement | null)?.blur() // the keys are commands again
        doFrame({ name: 'tempo-from', tick: at.tick, bpm: Number(formText(e.currentTarget, 'bpm')), upto: Number(formText(e.currentTarget, 'upto')) || null, text: formText(e.currentTarget, 'word') })
      }}>
        <label>word <input name="word" defaultValue={at.tempo_text} maxLength={60} className="field w-36 text-base" /></label>
        <label>{at.beat} = <input name="bpm" autoFocus type="number" step="any" required defaultValue={at.bpm} className="field w-20 text-base" /></label>
        <label>to <input name="upto" type="number" step="any" placeholder="(...)" className="field w-20 text-base" /></label>
        <button type="submit" className="quiet-button">Set it from here on</button>
      </form>{' '}
      rit., accel., a tempo: <Tail end=";"><Now act={() => { leaveFrame(); openWith(true) }}>with ...</Now></Tail>{' '}
      {at.here.length > 0 && <><Tail end=";"><Now act={() => dropHere(at)}>take this mark away</Now></Tail></>}
    </>
  )
}

function ClefPart({ at }: { at: FrameAt }) {
  const options = CLEFS.map((clef): Option => ({ label: `${clef} clef`, chosen: clef === at.clef, act: () => doFrame({ name: 'clef-from', part: at.part, staff: at.staff, tick: at.tick, clef }) }))
  return (
    <>
      <Tail><Phrase name="clef" options={options}>{`${at.clef} clef`}</Phrase></Tail> from here on;{' '}
      {at.here.length > 0 && <><Tail end=";"><Now act={() => dropHere(at)}>take this change of clef away</Now></Tail></>}
    </>
  )
}

function useInstruments(): readonly Instrument[] {
  const [list, setList] = useState<readonly Instrument[]>([])
  useEffect(() => { rest.instruments().then(setList).catch(() => undefined) }, [])
  return list
}

function PartPart({ at }: { at: FrameAt }) {
  const list = useInstruments()
  const parts = useDesk((s) => s.state?.parts) ?? []
  const change = (what: Omit<ChangePart, 'name' | 'part'>) => doFrame({ name: 'change-part', part: at.part, ...what })
  const of = (make: (name: string) => void): Option[] => list.map((i) => ({ label: `${i.name} (${i.family})`, chosen: i.programme === at.programme && i.name === at.part_name, act: () => make(i.name) }))
  const by = ([1, -1] as const).flatMap((sign) => INTERVALS.map(([name, steps, semitones]): Option => ({ label: `${name} ${sign > 0 ? 'up' : 'down'}`, act: () => weigh({ name: 'transpose-by', steps: sign * steps, semitones: sign * semitones, part: at.part }) })))
  const others: Option[] = parts.map((p) => ({ label: p.name, chosen: p.id === at.part, act: () => lookAtFrame('part', { ...at, part: p.id, staff: 1 }) }))
  const shown = parts.filter((p) => p.shown)
  const show = (ids: readonly string[], staff = 0) => send({ type: 'parts-shown', parts: [...ids], staff })
  const hand = shown.length === 1 && shown[0]?.only ? (shown[0].only === 1 ? ', upper staff' : ', lower staff') : ''
  const seen: Option[] = [
    { label: parts.length > 1 ? 'all parts' : 'both staves', chosen: shown.length === parts.length && !hand, act: () => show([]) },
    ...(parts.length > 1 ? [{ label: `${at.part_name} alone`, chosen: shown.length === 1 && shown[0]?.id === at.part && !hand, act: () => show([at.part]) }] : []),
    ...(at.staves > 1 ? [1, 2].map((staff): Option => ({ label: `only its ${staff === 1 ? 'upper' : 'lower'} staff`, chosen: hand !== '' && shown[0]?.only === staff, act: () => show([at.part], staff) })) : []),
    ...parts.filter((p) => p.id !== at.part).map((p): Option => ({ label: p.shown ? `without ${p.name}` : `with ${p.name}`, act: () => show(p.shown ? shown.filter((q) => q.id !== p.id).map((q) => q.id) : [...shown.map((q) => q.id), p.id]) })),
  ]
  const written = at.transpose[1] ? 'transposed' : 'where it sounds'
  return (
    <>
      <Tail><OpenPhrase closes name="part name" words="call it"><One label="Its name" name="called" value={at.part_name} give={(called) => change({ called })} className="w-40" /><div className="mt-2" /><One label="For short" name="short" value={at.short} give={(short) => change({ short })} /></OpenPhrase></Tail>{' '}
      for <Tail><Phrase name="instrument" options={of((instrument) => change({ instrument }))}>another instrument</Phrase></Tail>{' '}
      written <Tail><Phrase name="written" options={[{ label: 'where it sounds', chosen: !at.transpose[1], act: () => change({ steps: 0, semitones: 0 }) }, { label: 'for an instrument in B flat', chosen: at.transpose[1] === -2, act: () => change({ steps: -1, semitones: -2 }) }, { label: 'for an instrument in F', chosen: at.transpose[1] === -7, act: () => change({ steps: -4, semitones: -7 }) }, { label: 'for an instrument in E flat', chosen: at.transpose[1] === -9, act: () => change({ steps: -5, semitones: -9 }) }]}>{written}</Phrase></Tail>{' '}
      <Tail><Now act={() => (at.staves === 1 ? doFrame({ name: 'staves-of', part: at.part, staves: 2 }) : weigh({ name: 'staves-of', part: at.part, staves: 1 }))}>{at.staves === 1 ? 'on two staves' : 'on one staff'}</Now></Tail>{' '}
      {at.parts > 1 && <>move it <Now act={() => doFrame({ name: 'move-part', part: at.part, to: 'up' })}>up</Now> or <Tail><Now act={() => doFrame({ name: 'move-part', part: at.part, to: 'down' })}>down</Now></Tail>{' '}</>}
      transpose it <Tail><Phrase name="transpose part" options={by}>by an interval</Phrase></Tail>{' '}
      {at.parts > 1 && <><Tail end=";"><Now act={() => { weigh({ name: 'remove-part', part: at.part, sure: true }); }}>remove it</Now></Tail>{' '}</>}
      <Tail><Phrase name="add a part" options={of((instrument) => doFrame({ name: 'add-part', instrument, under: at.part }))}>add a part under it</Phrase></Tail>{' '}
      {(at.parts > 1 || at.staves > 1) && <>the sheet shows <Tail end=","><Phrase name="shown" options={seen}>{shown.length === parts.length && !hand ? (parts.length > 1 ? 'all parts' : 'both staves') : shown.map((p) => p.name).join(' and ') + hand}</Phrase></Tail>{' '}</>}
      {at.parts > 1 && <Tail end=";"><Phrase name="other part" options={others}>another part</Phrase></Tail>}
    </>
  )
}
