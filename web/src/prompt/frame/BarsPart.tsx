/** The bars of the frame: put in, taken out, copied, cut, and filled with an accompaniment. */
import { useEffect, useState } from 'react'
import { rest } from '../../session/rest'
import type { FrameAt } from '../../session/wire'
import { Now, OpenPhrase, Phrase, Tail, type Option } from '../Phrase'
import { useDeskParts } from '../../session/store'
import { doFrame, leaveFrame, openWith, weigh } from '../../session/chosen'
import { One } from './FrameForms'
import { type PartView } from '../lines/FrameLine'

export function BarsPart({ at }: { at: FrameAt }) {
  const bars = { first: at.bar, last: at.last }
  const again = at.sections.map((section): Option => ({
    label: `${section} again here`,
    act: () => weigh({ name: 'section-again', section, to: at.bar }),
  }))
  return (
    <>
      <Tail>
        <OpenPhrase closes name="insert bars" words="insert bars before it">
          <One
            label="How many bars"
            name="count"
            value={1}
            number
            className="w-16"
            give={(n) => doFrame({ name: 'insert-bars', bar: at.bar, count: Number(n) })}
          />
        </OpenPhrase>
      </Tail>{' '}
      {at.bar === at.last && !(at.bar === 0 && at.pickup > 0) && (
        <>
          <Tail>
            <OpenPhrase closes name="cut the bar" words="cut it in two">
              <One
                label="In front of beat"
                name="beat"
                value={at.beat_here > 1 ? at.beat_here : ''}
                number
                className="w-16"
                give={(beat) => weigh({ name: 'cut-bar', bar: at.bar, beat: Number(beat) })}
              />
            </OpenPhrase>
          </Tail>{' '}
        </>
      )}
      {at.cut && (
        <>
          <Tail>
            <Now act={() => weigh({ name: 'join-bar', bar: at.bar })}>make it whole</Now>
          </Tail>{' '}
        </>
      )}
      <Tail>
        <Now act={() => weigh({ name: 'remove-bars', ...bars })}>remove</Now>
      </Tail>{' '}
      <Tail>
        <Now act={() => weigh({ name: 'empty-bars', ...bars })}>empty</Now>
      </Tail>{' '}
      <Tail>
        <OpenPhrase closes name="copy bars" words="copy in front of a bar">
          <CopyForm at={at} />
        </OpenPhrase>
      </Tail>{' '}
      {again.length > 0 && (
        <>
          <Tail>
            <Phrase name="section again" options={again}>
              a section again
            </Phrase>
          </Tail>{' '}
        </>
      )}
      <Tail>
        <Now act={() => doFrame({ name: 'trim-bars' })}>trim the empty end</Now>
      </Tail>{' '}
      <ReadyFigures key={`${at.bar}-${at.last}`} at={at} />
      repeats, endings and names of sections:{' '}
      <Tail end=";">
        <Now
          act={() => {
            leaveFrame()
            openWith(true)
          }}>
          with ...
        </Now>
      </Tail>
    </>
  )
}

const LENGTHS = [1, 2, 4, 8, 16]

interface Home {
  readonly part: string
  readonly staff: number
  readonly words: string
}

/** The staves that can accompany, a keyboard's lower one first. */
function homes(parts: readonly PartView[]): Home[] {
  const all = parts
    .filter((p) => p.clefs[0] !== 'percussion')
    .flatMap((p) =>
      p.staves === 1
        ? [{ part: p.id, staff: 1, words: p.name }]
        : [
            { part: p.id, staff: 2, words: `${p.name}, left hand` },
            { part: p.id, staff: 1, words: `${p.name}, right hand` },
          ],
    )
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
  useEffect(() => {
    rest.readyPatterns(pieceId, at.bar, true).then(
      (list) => setReady(list.filter((r) => r.fits).map((r) => r.name)),
      () => undefined,
    )
  }, [pieceId, at.bar])
  if (!ready.length || !home) return null
  const lengths = [...new Set([...LENGTHS, chosen])].sort((a, b) => a - b)
  return (
    <>
      accompany{' '}
      <Phrase
        name="bars of the figure"
        options={lengths.map((n) => ({
          label: n === 1 ? '1 bar' : `${n} bars`,
          chosen: n === bars,
          act: () => setBars(n),
        }))}>
        {bars === 1 ? 'one bar' : `${bars} bars`}
      </Phrase>{' '}
      in{' '}
      <Phrase
        name="accompanying staff"
        options={staves.map((h) => ({ label: h.words, chosen: h.words === home.words, act: () => setWanted(h) }))}>
        {home.words}
      </Phrase>{' '}
      with{' '}
      <Tail end=";">
        <Phrase
          name="ready figure"
          options={ready.map((figure) => ({
            label: figure,
            act: () =>
              weigh({
                name: 'accompany',
                part: home.part,
                staff: home.staff,
                first: at.bar,
                last: at.bar + bars - 1,
                figure,
              }),
          }))}>
          a ready figure
        </Phrase>
      </Tail>{' '}
    </>
  )
}

function CopyForm({ at }: { at: FrameAt }) {
  const [to, setTo] = useState('')
  const [times, setTimes] = useState('1')
  const indexOf = (number: number) =>
    at.going_on.reduce((index, part) => index + (part <= index ? 1 : 0), Math.max(number - (at.pickup > 0 ? 0 : 1), 0))
  return (
    <form
      className="flex flex-wrap items-center gap-2"
      onSubmit={(e) => {
        e.preventDefault()
        weigh({ name: 'copy-bars', first: at.bar, last: at.last, to: indexOf(Number(to)), times: Number(times) })
      }}>
      <label>
        In front of bar{' '}
        <input
          autoFocus
          type="number"
          min={1}
          max={9999}
          required
          value={to}
          onChange={(e) => setTo(e.target.value)}
          className="field w-16"
        />
      </label>
      <label>
        times{' '}
        <input
          type="number"
          min={1}
          max={50}
          required
          value={times}
          onChange={(e) => setTimes(e.target.value)}
          className="field w-14"
        />
      </label>
      <button type="submit" className="quiet-button">
        Say what it does
      </button>
    </form>
  )
}
