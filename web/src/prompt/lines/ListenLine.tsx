/**
 * The line of playback: from where to where, how fast, how, and which parts; each phrase changes it, also while it
 * plays.
 */
import { Now, OpenPhrase, Phrase, Tail, type Option } from '../Phrase'
import { give, say } from '../../session/actions'
import { useDesk } from '../../session/store'
import { useSound } from '../../playback/engine'
import { hint } from '../../input/commands'
import { setPlayback, usePlayback, type PlaybackSettings } from '../../playback/settings'
import {
  loopWords,
  numberShift,
  openListening,
  playFromStart,
  playOn,
  playSelection,
  setLoop,
  toggleAsPlayed,
  toggleFeel,
  togglePlaying,
  useListening,
} from '../../playback/listening'
import { PartsPhrase } from './HeardParts'

const PERCENTS = [50, 60, 70, 80, 90, 100, 110, 120]

const [SLOWEST, FASTEST, LEAST, MOST] = [10, 400, 10, 400]

/** Change how it goes; what plays begins anew from where it is. */
function change(more: Partial<PlaybackSettings>): void {
  setPlayback(more)
  playOn()
}

export function ListenLine() {
  const playing = useListening((s) => s.playing)
  const loop = usePlayback((h) => h.loop)
  const repeats = usePlayback((h) => h.repeats)
  const asPlayed = usePlayback((h) => h.asPlayed)
  const feel = usePlayback((h) => (h.feels ? h.feel : 0))
  const follows = usePlayback((h) => h.follows)
  const click = useSound((s) => s.playbackClick)
  const selected = useDesk((s) => s.selection.size > 0)
  const from: Option[] = [
    { label: 'from the pen', act: togglePlaying, hint: 'Enter' },
    { label: 'from the start', act: playFromStart, hint: 'Shift Enter' },
    ...(selected ? [{ label: 'the selection alone', act: playSelection, hint: 'Ctrl Enter' }] : []),
  ]
  const round: Option[] = [
    { label: 'on to the end', chosen: !loop, act: () => change({ loop: null }) },
    ...(loop ? [{ label: `${loopWords(loop)}, round and round`, chosen: true, act: () => {} }] : []),
    {
      label: 'the bars of the pen or the selection, round and round (F6)',
      act: () => {
        const { selectedBars, pen } = useDesk.getState()
        if (pen) setLoop(...(selectedBars ?? [pen.bar, pen.bar]))
        playOn()
      },
    },
  ]
  return (
    <>
      <span className="font-bold text-vermilion">{playing ? 'Playing' : 'Play'}</span>{' '}
      {playing ? (
        <Tail end=":">
          <Now act={togglePlaying} command="play">
            stop
          </Now>
        </Tail>
      ) : (
        <Tail end=":">
          <Phrase name="play from" options={from}>
            from a place
          </Phrase>
        </Tail>
      )}{' '}
      <Tail>
        <Phrase name="to where" options={round} hint={hint('loop')}>
          {loop ? `${loopWords(loop).toLowerCase()} round and round` : 'on to the end'}
        </Phrase>
      </Tail>{' '}
      <Tail>
        <OpenPhrase closes name="bars that go round" words="or other bars">
          <BarsForm />
        </OpenPhrase>
      </Tail>{' '}
      {loop && (
        <>
          <Tail>
            <Now act={() => penToo(loop)}>the pen, too</Now>
          </Tail>{' '}
        </>
      )}
      <Tail>
        <TempoPhrase />
      </Tail>{' '}
      <Tail>
        <Now
          act={() => {
            useSound.getState().set({ playbackClick: !click })
            playOn()
          }}>
          {click ? 'with the click' : 'without the click'}
        </Now>
      </Tail>{' '}
      <Tail>
        <Now act={() => change({ repeats: !repeats })}>{repeats ? 'repeats played' : 'each bar once'}</Now>
      </Tail>{' '}
      <Tail>
        <Now act={toggleAsPlayed} command="as-played">
          {asPlayed ? 'as it was played' : 'as it is set'}
        </Now>
      </Tail>{' '}
      <Now act={toggleFeel} command="feel">
        {feel ? 'with feel' : 'even'}
      </Now>
      {feel ? (
        <>
          {' '}
          (
          <OpenPhrase closes name="how much feel" words={`${feel} %`}>
            <FeelForm />
          </OpenPhrase>
          )
        </>
      ) : null}
      ; <PartsPhrase />; the sheet follows{' '}
      <Tail end=";">
        <Phrase
          name="follows"
          options={(['system', 'page', 'not at all'] as const).map((f) => ({
            label: f === 'not at all' ? f : `by ${f}`,
            chosen: f === follows,
            act: () => setPlayback({ follows: f }),
          }))}>
          {follows === 'not at all' ? follows : `by ${follows}`}
        </Phrase>
      </Tail>{' '}
      <Tail end=".">
        <Now act={() => openListening(false)} command="listening">
          done
        </Now>
      </Tail>
    </>
  )
}

/** The pen steps inside the bars that go round, and turns back at their end. */
function penToo({ first, last }: { first: number; last: number }): void {
  const by = numberShift()
  give({ name: 'span', first: first + by, last: last + by })
  give({ name: 'span-end', then: 'wrap' })
}

function BarsForm() {
  const loop = usePlayback((h) => h.loop)
  const by = numberShift()
  return (
    <form
      className="flex flex-wrap items-center gap-2"
      onSubmit={(e) => {
        e.preventDefault()
        const given = new FormData(e.currentTarget)
        const [first, last] = [Number(given.get('first')), Number(given.get('last'))]
        if (last < first) return say(`Bar ${last} comes before bar ${first}: nothing goes round`)
        setLoop(first - by, last - by)
        playOn()
      }}>
      <label>
        Bars{' '}
        <input
          name="first"
          autoFocus
          required
          type="number"
          min={by}
          max={9999}
          defaultValue={loop ? loop.first + by : 1}
          className="field w-16"
        />
      </label>
      <label>
        to{' '}
        <input
          name="last"
          required
          type="number"
          min={by}
          max={9999}
          defaultValue={loop ? loop.last + by : 4}
          className="field w-16"
        />
      </label>
      <button type="submit" className="quiet-button">
        Round and round
      </button>
    </form>
  )
}

/** The practice tempo, apart from the written: in percent, or one number for all. */
function TempoPhrase() {
  const percent = usePlayback((h) => h.percent)
  const qpm = usePlayback((h) => h.qpm)
  const state = useDesk((s) => s.state)!
  const perBeat = state.quarters_per_minute / state.beats_per_minute
  const words =
    qpm !== null
      ? `all at ${Math.round((qpm / perBeat) * 10) / 10}`
      : percent === 100
        ? 'at the written tempo'
        : `at ${percent} % of the tempo`
  const give = (form: HTMLFormElement, name: string) => Number(new FormData(form).get(name))
  return (
    <OpenPhrase name="practice tempo" words={words}>
      <div className="flex flex-col gap-2">
        <p className="flex flex-wrap gap-x-3">
          {PERCENTS.map((p) => (
            <button
              key={p}
              type="button"
              className="underline"
              aria-pressed={qpm === null && p === percent}
              onClick={() => change({ percent: p, qpm: null })}>
              {p} %
            </button>
          ))}
        </p>
        <form
          key={`p${percent}`}
          className="flex items-center gap-2"
          onSubmit={(e) => {
            e.preventDefault()
            change({ percent: give(e.currentTarget, 'percent'), qpm: null })
          }}>
          <label className="flex-1">
            Percent of the written{' '}
            <input
              name="percent"
              type="number"
              step="any"
              min={LEAST}
              max={MOST}
              required
              defaultValue={percent}
              className="field w-20"
            />
          </label>
          <button type="submit" className="quiet-button">
            Set
          </button>
        </form>
        <form
          className="flex items-center gap-2"
          onSubmit={(e) => {
            e.preventDefault()
            change({ qpm: give(e.currentTarget, 'bpm') * perBeat })
          }}>
          <label className="flex-1">
            All at beats a minute{' '}
            <input
              name="bpm"
              type="number"
              step="any"
              min={SLOWEST / perBeat}
              max={FASTEST / perBeat}
              required
              defaultValue={Math.round(((qpm ?? state.quarters_per_minute) / perBeat) * 10) / 10}
              className="field w-20"
            />
          </label>
          <button type="submit" className="quiet-button">
            Set
          </button>
        </form>
        <p className="text-[0.9rem] text-faint">The written tempo stays as it is.</p>
      </div>
    </OpenPhrase>
  )
}

function FeelForm() {
  const feel = usePlayback((h) => h.feel)
  return (
    <form
      className="flex items-center gap-2"
      onSubmit={(e) => {
        e.preventDefault()
        const n = Number(new FormData(e.currentTarget).get('feel'))
        change({ feel: n, feels: n > 0 })
      }}>
      <label className="flex-1">
        Feel, in percent of the most{' '}
        <input
          name="feel"
          autoFocus
          type="number"
          min={0}
          max={100}
          required
          defaultValue={feel}
          className="field w-16"
        />
      </label>
      <button type="submit" className="quiet-button">
        Set
      </button>
    </form>
  )
}
