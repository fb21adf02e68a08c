/** The margin: takes and doubts beside the system that they concern. Nothing floats over the sheet. */
import { memo, type ReactNode, useLayoutEffect, useRef, useState } from 'react'
import type { CutOff, Doubt, Reading, Take } from '../session/wire'
import { byId, hint, keyWords } from '../input/commands'
import { holderOf } from '../sheet/geometry'
import { playFrom, playTake } from '../playback/listening'
import {
  acceptAll,
  acceptDoubt,
  chooseOption,
  openRead,
  optionWords,
  readTogether,
  stepDoubt,
  writeTake,
} from '../reading/reading'
import { Journal } from './Journal'
import { recordAgain } from '../recording/recorder'
import { useSaving } from '../print/saving'
import { Progress } from '../shell/Progress'
import { Radios } from '../prompt/Radios'
import { send } from '../session/actions'
import { useDesk, useDeskParts } from '../session/store'
import { DifferenceCard } from './DifferenceCard'
import { holdAgainstPage } from '../proof/proof'
import { Openings } from '../prompt/lines/Lead'
import { endTapping, startTapping, useTapping } from '../reading/tapping'
import { counted } from '../prompt/words'
import { cx } from '../shell/classes'

const SOURCES: Record<string, string> = {
  click: 'played to the click',
  free: 'played freely',
  file: 'from a file',
  journal: 'from the journal',
}
const GAP = 12
const SMALL_GAP = 4

interface Card {
  readonly id: string
  /** Tick of the music that it stands beside; null for the top of the margin. */
  readonly tick: number | null
  readonly node: ReactNode
}

export const Margin = memo(function Margin() {
  const { readings, doubt, panel, openReading } = useDeskParts('readings', 'doubt', 'panel', 'openReading')
  const takes = useDesk((s) => s.takes)
  const form = useDesk((s) => s.state?.form) ?? NO_FORM
  const cutOff = useDesk((s) => s.cutOff)
  const recording = useDesk((s) => s.recording)
  const differing = useDesk((s) => s.differing)
  const proof = useDesk((s) => (s.panel === 'proof' ? s.proof : null))
  const onPage = new Set(readings.map((r) => r.take))
  const rest = [...takes].reverse().filter((t) => !onPage.has(t.id))
  const cards: Card[] = [
    ...cutOff.map((cut): Card => ({ id: `cut${cut.recording}`, tick: null, node: <CutOffCard cut={cut} /> })),
    ...rest.map((take): Card => ({ id: `take${take.id}`, tick: null, node: <TakeCard take={take} /> })),
    ...(proof?.differences ?? []).map((d): Card => ({
      id: `differs-${d.key}`,
      tick: d.tick,
      node: <DifferenceCard difference={d} inHand={d.key === differing} />,
    })),
    ...form.map((f): Card => ({
      id: `form-${f.tick}-${f.words}`,
      tick: f.tick,
      node: <FormCard words={f.words} tick={f.tick} />,
    })),
    ...readings.flatMap((reading): Card[] => [
      {
        id: reading.id,
        tick: reading.first_tick,
        node: <TakeCard take={takes.find((t) => t.id === reading.take)} reading={reading} />,
      },
      ...(panel === 'read' && reading.id === openReading && reading.questions[0]
        ? [
            {
              id: `${reading.id}-${reading.questions[0].name}`,
              tick: reading.first_tick,
              node: <Openings reading={reading} question={reading.questions[0]} />,
            },
          ]
        : []),
      ...(panel === 'read' && reading.id === openReading && !reading.questions.length ? reading.doubts : []).map(
        (d): Card => ({
          id: `${reading.id}-${d.key}`,
          tick: d.tick,
          node: <DoubtCard reading={reading} doubt={d} inHand={d.key === doubt} />,
        }),
      ),
    ]),
  ]
  const heard = useDesk((s) => s.heard.length)
  const [unfolded, setUnfolded] = useState(false)
  const busy = useDesk((s) => s.busy.words !== '')
  const saving = useSaving((s) => s.now !== null)
  const tapping = useTapping((s) => s.on)
  const speaks = cards.length > 0 || recording !== null || busy || saving || tapping || (unfolded && heard > 0)
  if (!speaks)
    return (
      <aside aria-label="Margin" className="on-desk relative w-6 shrink-0 py-3 text-sm [writing-mode:vertical-rl]">
        {heard ? (
          <button
            type="button"
            className="sticky top-3 h-fit border-l-2 border-rule pl-1 whitespace-nowrap text-faint underline"
            onClick={() => setUnfolded(true)}>
            heard, not written: {heard}
          </button>
        ) : (
          <p className="sticky top-3 h-fit border-l-2 border-rule pl-1 whitespace-nowrap text-faint max-lg:hidden">
            takes: none yet
          </p>
        )}
      </aside>
    )
  return (
    <aside
      aria-label="Margin"
      className="on-desk relative w-62 shrink-0 px-1 py-2 text-[0.95rem] max-lg:w-auto max-lg:max-w-40">
      <Now />
      <Beside cards={cards} />
      <Journal />
    </aside>
  )
})

const NO_FORM: readonly { tick: number; words: string }[] = []

/** Repeats, endings or jumps that do not hold together: what is written there and never heard. */
function FormCard({ words, tick }: { words: string; tick: number }) {
  return (
    <section className="border-l-2 border-ochre pl-3" data-testid="form">
      <p className="text-ochre">{words}</p>
      <button type="button" className="quiet-button mt-1" onClick={() => void playFrom(tick)}>
        Play from there
      </button>
    </section>
  )
}

/** What goes on at this moment: always in sight. */
function Now() {
  const { recording, busy } = useDeskParts('recording', 'busy')
  const saving = useSaving((s) => s.now)
  const tapping = useTapping()
  return (
    <div className="sticky top-2 z-10 flex flex-col gap-3 bg-desk not-empty:pb-3">
      {recording && (
        <section className="border-l-2 border-vermilion pl-3">
          <h2 className="font-serif text-lg text-vermilion">
            {recording.proof ? 'The page follows you' : 'Recording'}
          </h2>
          <p className="text-faint">Everything you play is kept. {hint('record')}.</p>
          {!recording.proof && (
            <button type="button" className="quiet-button mt-1" onClick={recordAgain}>
              Again from the count-in
            </button>
          )}
        </section>
      )}
      {busy.words && <Progress words={busy.words} share={busy.share} onStop={() => send({ type: 'stop-work' })} />}
      {saving && <Progress words={`${saving.words} is being made`} share={saving.share} onStop={saving.stop} />}
      {tapping.on && (
        <section className="border-l-2 border-vermilion pl-3" data-testid="tapping">
          <h2 className="font-serif text-lg text-vermilion">
            {tapping.taps.length} {tapping.taps.length === 1 ? 'beat' : 'beats'} tapped
          </h2>
          <p className="text-faint">Enter, the space bar, the pedal or any key; the first tap is a first beat.</p>
          <button type="button" className="quiet-button mt-1" onClick={endTapping}>
            That is enough
          </button>
        </section>
      )}
    </div>
  )
}

/** Cards beside their systems; where two would meet the later one moves down. */
function Beside({ cards }: { cards: readonly Card[] }) {
  const box = useRef<HTMLDivElement>(null)
  const [tops, setTops] = useState<readonly number[]>([])
  const { refs, systems, doubt, recording, busy } = useDeskParts('refs', 'systems', 'doubt', 'recording', 'busy')

  useLayoutEffect(() => {
    const measure = () => {
      const holder = box.current
      const sheet = holder?.closest('[data-testid=sheet-scroll]')?.querySelector('[data-testid=sheet]')
      if (!holder || !sheet || !cards.length) return // to look at a place costs a layout
      const origin = holder.getBoundingClientRect().top
      let free = 0
      const ends = refs.map((r) => {
        const last = systems.get(r.key ?? '')?.bars.at(-1)
        return last ? last.start + last.ticks : -1
      })
      const found = cards.map((card, i) => {
        const index = card.tick === null ? -1 : ends.findIndex((end) => card.tick! < end)
        const system = holderOf(sheet, index)
        const wanted = system ? system.getBoundingClientRect().top - origin + 10 : free
        const top = Math.max(wanted, free)
        const height = holder.children[i]?.getBoundingClientRect().height ?? 0
        free = top + height + (height < 30 ? SMALL_GAP : GAP)
        return Math.round(top)
      })
      setTops((old) => (old.length === found.length && old.every((t, i) => t === found[i]) ? old : found))
    }
    measure()
    const observer = new ResizeObserver(measure)
    for (const child of box.current?.children ?? []) observer.observe(child)
    return () => observer.disconnect()
  }, [cards.map((c) => c.id).join(), refs, systems, doubt, recording, busy])

  return (
    <div ref={box} className="relative" style={{ height: cards.length ? (tops.at(-1) ?? 0) + 160 : 0 }}>
      {cards.map((card, i) => (
        <div key={card.id} className="absolute right-0 left-0" style={{ top: tops[i] ?? 0 }}>
          {card.node}
        </div>
      ))}
    </div>
  )
}

/** A recording that the server could not bring to its end: what was heard of it is in the journal. */
function CutOffCard({ cut }: { cut: CutOff }) {
  const answer = (what: 'write' | 'drop') => send({ type: 'cut-off', recording: cut.recording, do: what })
  return (
    <section className="border-l-2 border-vermilion pl-3" data-testid="cut-off">
      <h2 className="font-serif text-lg leading-tight text-vermilion">A recording that was cut off</h2>
      <p className="text-faint">
        {cut.notes} {cut.notes === 1 ? 'note' : 'notes'}, {(cut.length_us / 1e6).toFixed(0)} s; kept in the journal
      </p>
      <div className="mt-1 flex flex-wrap gap-1.5">
        <button type="button" className="quiet-button" onClick={() => answer('write')}>
          Write it where it began
        </button>
        <button type="button" className="quiet-button" onClick={() => answer('drop')}>
          Drop it
        </button>
      </div>
    </section>
  )
}

function TakeCard({ take, reading }: { take: Take | undefined; reading?: Reading }) {
  const { panel, openReading, readings, state, told } = useDeskParts(
    'panel',
    'openReading',
    'readings',
    'state',
    'told',
  )
  if (!take) return null
  const awaited = !reading && !!state?.read?.includes(take.id) && !told.includes(take.id)
  const led = readings.find((r) => r.id === openReading) ?? readings.at(-1)
  const open = panel === 'read' && reading?.id === openReading
  const left = reading?.doubts.length ?? 0
  return (
    <section
      className={`border-l-2 pl-3 ${take.dropped ? 'border-rule text-faint' : 'border-verdigris'}`}
      data-testid="take">
      <h2 className={`font-serif text-lg leading-tight ${take.dropped ? '' : 'text-verdigris'}`}>
        {take.name}, {SOURCES[take.source] ?? take.source}
      </h2>
      <p className="text-faint">
        {counted(take.notes, 'note')}, {(take.length_us / 1e6).toFixed(0)} s
        {reading
          ? `; ${left ? `${counted(left, 'doubt')} left` : 'no doubt left'}`
          : awaited
            ? '; on the page, its doubts are being looked for'
            : '; not on the page'}
      </p>
      {reading?.remarks.map((r) => (
        <p key={r} className="text-faint italic">
          {r}
        </p>
      ))}
      <div className="mt-1 flex flex-wrap gap-1.5">
        <button type="button" className="quiet-button" onClick={() => void playTake(take.id)}>
          As played
        </button>
        {reading && (
          <button type="button" className="quiet-button" onClick={() => void playFrom(reading.first_tick)}>
            As written
          </button>
        )}
        {reading && !open && (
          <button type="button" className="quiet-button" title={hint('read')} onClick={() => openRead(reading.id)}>
            How it was read
          </button>
        )}
        {!reading && !awaited && (
          <button type="button" className="quiet-button" onClick={() => writeTake(take.id)}>
            Write it at the pen
          </button>
        )}
        {!reading && !awaited && !take.dropped && led && (
          <button type="button" className="quiet-button" onClick={() => readTogether(led.id, [take.id])}>
            Read with {led.name}
          </button>
        )}
        {!reading && !awaited && !take.dropped && (
          <button type="button" className="quiet-button" onClick={() => holdAgainstPage(take.id)}>
            Compare with the score
          </button>
        )}
        {open && reading.free && (
          <button type="button" className="quiet-button" onClick={() => void startTapping(take.id)}>
            Tap its beats
          </button>
        )}
        {open && left > 1 && (
          <button type="button" className="quiet-button" onClick={() => acceptAll(reading.id)}>
            Accept all {left}
          </button>
        )}
      </div>
    </section>
  )
}

const key = (id: string) => keyWords(byId.get(id)?.keys[0] ?? '')

function DoubtCard({ reading, doubt, inHand }: { reading: Reading; doubt: Doubt; inHand: boolean }) {
  const place = doubt.place[0]!.toUpperCase() + doubt.place.slice(1)
  if (!inHand)
    return (
      <button
        type="button"
        className={cx(
          'block w-full truncate border-l-2 border-ochre/50 pl-3 text-left',
          'text-[0.9rem] text-faint hover:text-ochre',
        )}
        data-testid="doubt"
        onClick={() => useDesk.setState({ doubt: doubt.key })}>
        <b className="font-medium text-ochre">{place}</b> {optionWords(doubt)}?
      </button>
    )
  return (
    <section
      className="border-l-2 border-ochre pl-3"
      data-testid="doubt-in-hand"
      aria-label={`${doubt.key < 0 ? 'Ornament' : 'Doubt'} in ${doubt.place}`}>
      <h2 className="font-serif text-lg leading-tight text-ochre">
        {doubt.key < 0 ? 'An ornament' : 'A doubt'} in {doubt.place.startsWith('last') ? 'the ' : ''}
        {doubt.place}
      </h2>
      {doubt.chosen === null && <p className="text-faint">As you wrote it; it was read otherwise:</p>}
      <Radios
        label="Readings of this place"
        className="my-1 flex flex-col gap-1"
        item={(chosen) =>
          cx(
            'flex items-baseline justify-between gap-2 rounded-[4px] border px-2 py-0.5 text-left',
            chosen ? 'border-ochre bg-wash font-medium' : 'border-rule bg-paper',
          )
        }
        answers={doubt.options.map(([words, probability], i) => ({
          label: words,
          chosen: i === doubt.chosen,
          act: () => {
            if (i !== doubt.chosen) chooseOption(reading.id, doubt.key, i)
          },
          shown: (
            <>
              <span>{words}</span>
              {probability !== null && <span className="text-sm text-faint">{Math.round(probability * 100)} %</span>}
            </>
          ),
        }))}
      />
      <p className="text-sm text-faint">
        <kbd>{key('swap-doubt')}</kbd> other ·{' '}
        <button type="button" className="underline" onClick={acceptDoubt}>
          accept
        </button>{' '}
        <kbd>{key('accept-doubt')}</kbd> ·{' '}
        <button type="button" className="underline" onClick={() => stepDoubt(1)}>
          next
        </button>{' '}
        <kbd>{key('next-doubt')}</kbd>
      </p>
    </section>
  )
}
