/**
 * The line speaks of how notes sound: quantize in place as one sentence, or velocities; what it would do is counted
 * before it is done.
 */
import { useEffect } from 'react'
import { counted } from '../words'
import { hint } from '../../input/commands'
import { Now, OpenPhrase, Phrase, Tail, type Option } from '../Phrase'
import { useDesk } from '../../session/store'
import { numberShift, toggleAsPlayed } from '../../playback/listening'
import { usePlayback } from '../../playback/settings'
import { closeShape, meant, shapeNotes, showBars, useShape, weighAgain } from '../../shape/shape'
import { Number_, Times } from './ShapeTimes'

export function ShapeLine() {
  const view = useShape((s) => s.view)
  const data = useShape((s) => s.data)
  const selection = useDesk((s) => s.selection)
  useEffect(weighAgain, [selection, data, view])
  const count = meant().length
  const some = selection.size > 0 && count < (data?.notes.length ?? 0)
  const these = `${some ? 'these' : 'all'} ${counted(count, 'note')}`
  return (
    <>
      {view === 'times' ? <Times these={these} /> : <Velocities these={these} />} <BarsPhrase />{' '}
      <Tail>
        <Now act={() => useShape.setState({ view: view === 'times' ? 'velocities' : 'times' })}>
          {view === 'times' ? 'velocities' : 'times'}
        </Now>
      </Tail>{' '}
      <ListPhrase />{' '}
      <Tail end=".">
        <Now act={closeShape} command="shape">
          done
        </Now>
      </Tail>
      <Counts />
    </>
  )
}

function ListPhrase() {
  const list = useShape((s) => s.list)
  return (
    <Tail>
      <Now act={() => useShape.setState({ list: !list })}>{list ? 'as strokes' : 'as a list'}</Now>
    </Tail>
  )
}

/** What quantize in place would do. */
function Counts() {
  const weighed = useShape((s) => s.weighed)
  const view = useShape((s) => s.view)
  const asPlayed = usePlayback((h) => h.asPlayed)
  if (view !== 'times' || !weighed) return null
  return (
    <span className="block text-[0.95rem] leading-5 text-faint" data-testid="in-place-counts">
      {weighed.words}{' '}
      <button type="button" className="underline" title={hint('as-played')} onClick={toggleAsPlayed}>
        {asPlayed ? 'hear it as set' : 'hear it as played'}
      </button>
    </span>
  )
}

function BarsPhrase() {
  const first = useShape((s) => s.first)
  const last = useShape((s) => s.last)
  const by = numberShift()
  return (
    <Tail>
      <OpenPhrase
        closes
        name="bars of the strip"
        words={first === last ? `bar ${first + by}` : `bars ${first + by} to ${last + by}`}>
        <form
          className="flex items-center gap-2"
          onSubmit={(e) => {
            e.preventDefault()
            const g = new FormData(e.currentTarget)
            showBars(Number(g.get('first')) - by, Number(g.get('last')) - by)
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
              defaultValue={first + by}
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
              defaultValue={last + by}
              className="field w-16"
            />
          </label>
          <button type="submit" className="quiet-button">
            Show
          </button>
        </form>
      </OpenPhrase>
    </Tail>
  )
}

function Velocities({ these }: { these: string }) {
  const sets: Option[] = [32, 48, 64, 80, 96, 112].map((velocity) => ({
    label: `all at ${velocity}`,
    act: () => shapeNotes({ name: 'velocity', velocity }),
  }))
  const adds: Option[] = [-20, -10, -5, 5, 10, 20].map((by) => ({
    label: `${by > 0 ? '+' : ''}${by} on each`,
    act: () => shapeNotes({ name: 'velocity', by }),
  }))
  return (
    <>
      <span className="font-bold text-vermilion">Velocities</span> of {these}:{' '}
      <Tail>
        <Phrase name="set all" options={sets}>
          set
        </Phrase>
      </Tail>{' '}
      <Tail>
        <Phrase name="add to each" options={adds}>
          add
        </Phrase>
      </Tail>{' '}
      <Tail>
        <OpenPhrase closes name="scale" words="scale">
          <Number_
            label="Percent of what they are"
            name="percent"
            value={100}
            min={1}
            max={400}
            give={(percent) => shapeNotes({ name: 'scale-velocity', percent })}
          />
        </OpenPhrase>
      </Tail>{' '}
      <Tail>
        <OpenPhrase closes name="limit" words="limit">
          <Two
            labels={['Not under', 'nor over']}
            values={[30, 110]}
            give={(low, high) => shapeNotes({ name: 'limit-velocity', low, high })}
          />
        </OpenPhrase>
      </Tail>{' '}
      <Tail>
        <OpenPhrase closes name="gradually" words="gradually">
          <Two
            labels={['From', 'to']}
            values={[50, 100]}
            give={(first, last) => shapeNotes({ name: 'gradual-velocity', first, last })}
          />
        </OpenPhrase>
      </Tail>{' '}
      <Tail>
        <OpenPhrase closes name="accents by meter" words="accents by meter">
          <Number_
            label="The bar line louder by"
            name="by"
            value={12}
            min={-60}
            max={60}
            give={(by) => shapeNotes({ name: 'accent-velocity', by })}
          />
        </OpenPhrase>
      </Tail>{' '}
      <Tail end=";">
        <OpenPhrase closes name="at random" words="at random">
          <Two
            labels={['Up to', 'seed']}
            values={[8, 1]}
            give={(by, seed) => shapeNotes({ name: 'random-velocity', by, seed })}
          />
        </OpenPhrase>
      </Tail>
    </>
  )
}

function Two({
  labels,
  values,
  give,
}: {
  labels: readonly [string, string]
  values: readonly [number, number]
  give: (a: number, b: number) => void
}) {
  return (
    <form
      className="flex items-center gap-2"
      onSubmit={(e) => {
        e.preventDefault()
        const g = new FormData(e.currentTarget)
        give(Number(g.get('a')), Number(g.get('b')))
      }}>
      <label>
        {labels[0]}{' '}
        <input
          name="a"
          autoFocus
          type="number"
          min={1}
          max={127}
          required
          defaultValue={values[0]}
          className="field w-16"
        />
      </label>
      <label>
        {labels[1]}{' '}
        <input name="b" type="number" min={1} max={9999} required defaultValue={values[1]} className="field w-16" />
      </label>
      <button type="submit" className="quiet-button">
        Do it
      </button>
    </form>
  )
}
