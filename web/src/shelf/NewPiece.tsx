/**
 * A new piece by one fill-in sentence with good answers filled in; what is left open leaves no text on the page, and
 * all of it can be changed later.
 */
import { useEffect, useState } from 'react'
import { cx } from '../shell/classes'
import { rest } from '../session/rest'
import type { Instrument, NewPiece as Answers } from '../session/wire'

const LAYOUTS: NonNullable<Answers['layout']>[] = ['keys', 'singer and keys', 'keys and kit', 'melody', 'four voices']
const SUNG: readonly string[] = ['singer and keys', 'four voices']
const CHOSEN = 'parts of my choice'
const METERS = ['4/4', '3/4', '2/4', '2/2', '6/8', '9/8', '12/8', '5/8', '7/8', '5/4', '3/8']
const MAJOR = ['C♭', 'G♭', 'D♭', 'A♭', 'E♭', 'B♭', 'F', 'C', 'G', 'D', 'A', 'E', 'B', 'F♯', 'C♯']
const MINOR = ['A♭', 'E♭', 'B♭', 'F', 'C', 'G', 'D', 'A', 'E', 'B', 'F♯', 'C♯', 'G♯', 'D♯', 'A♯']
const KEYS = [
  ...MAJOR.map((n, i) => ({ id: `${i - 7} major`, label: `${n} major` })),
  ...MINOR.map((n, i) => ({ id: `${i - 7} minor`, label: `${n} minor` })),
]
const PACES: [string, number][] = [
  ['very slow', 48],
  ['slow', 60],
  ['walking', 92],
  ['lively', 116],
  ['quick', 144],
]
/** Length of a pick-up in ticks as people see them (960 to the quarter). */
const PICK_UPS: [string, number][] = [
  ['no pick-up', 0],
  ['a pick-up of a sixteenth', 240],
  ['a pick-up of an eighth', 480],
  ['a pick-up of a quarter', 960],
  ['a pick-up of a dotted quarter', 1440],
  ['a pick-up of a half', 1920],
  ['a pick-up of two quarters and an eighth', 2400],
  ['a pick-up of three quarters', 2880],
]
const WHOLE = 3840
const OTHER = -1
const FINEST = WHOLE / 128
/** "5/16" in ticks; 0 for what is no length, or no count of 128ths. */
const lengthOf = (text: string) => {
  const [over, under] = /^\s*(\d+)\s*\/\s*(\d+)\s*$/.exec(text)?.slice(1).map(Number) ?? [0, 1]
  const ticks = under ? ((over ?? 0) * WHOLE) / under : 0
  return ticks % FINEST ? 0 : ticks
}

const field = 'h-8 leading-7 border-b-2 border-vermilion/45 bg-transparent font-medium focus:border-vermilion'

function Text({
  name,
  placeholder,
  value,
  onChange,
  width,
}: {
  name: string
  placeholder: string
  value: string
  onChange: (text: string) => void
  width: string
}) {
  return (
    <input
      aria-label={name}
      maxLength={200}
      className={`${field} ${width}`}
      placeholder={placeholder}
      value={value}
      onChange={(e) => onChange(e.target.value)}
    />
  )
}

export function NewPiece({ onMake }: { onMake: (answers: Partial<Answers>) => void }) {
  const [layout, setLayout] = useState<string>('keys')
  const [parts, setParts] = useState<readonly string[]>(['Piano'])
  const [words, setWords] = useState({
    title: '',
    subtitle: '',
    composer: '',
    arranger: '',
    lyricist: '',
    number: '',
    tempo_text: '',
  })
  const [meter, setMeter] = useState('4/4')
  const [key, setKey] = useState('0 major')
  const [pickup, setPickup] = useState(0)
  const [length, setLength] = useState('')
  const [bpm, setBpm] = useState('92')
  const [bpmTo, setBpmTo] = useState('')
  const [more, setMore] = useState(false)
  const [, upper = '4', unit = '4'] = /^\(?([\d+\s]+)\)?\s*\/\s*(\d+)/.exec(meter) ?? []
  const count = upper.split('+').reduce((sum, n) => sum + Number(n), 0)
  const barTicks = (WHOLE / (Number(unit) || 4)) * (count || 4)
  const [fifths, mode] = key.split(' ') as [string, 'major' | 'minor']
  const asked = pickup === OTHER ? lengthOf(length) : pickup
  const set = (name: keyof typeof words) => (text: string) => setWords({ ...words, [name]: text })

  const make = () =>
    onMake({
      ...words,
      lyricist: SUNG.includes(layout) ? words.lyricist : '',
      meter,
      fifths: Number(fifths),
      mode,
      pickup: asked < barTicks ? asked : 0,
      bpm: Number(bpm) || 92,
      bpm_to: Number(bpmTo) || null,
      ...(layout === CHOSEN ? { parts: [...parts] } : { layout: layout as NonNullable<Answers['layout']> }),
    })
  return (
    <form
      aria-label="New piece"
      className={cx(
        'rounded-[3px] bg-paper px-6 py-3 font-serif text-[1.34rem] leading-10',
        'shadow-[0_2px_12px_rgb(31_42_58/0.12)]',
      )}
      onSubmit={(e) => {
        e.preventDefault()
        make()
      }}>
      Or begin a page for{' '}
      <select aria-label="layout" className={field} value={layout} onChange={(e) => setLayout(e.target.value)}>
        {[...LAYOUTS, CHOSEN].map((l) => (
          <option key={l}>{l}</option>
        ))}
      </select>
      {layout === CHOSEN && (
        <>
          : <Parts parts={parts} onChange={setParts} />
        </>
      )}
      , called{' '}
      <Text
        name="title"
        placeholder="(a title, or none yet)"
        value={words.title}
        onChange={set('title')}
        width="w-60"
      />
      , in{' '}
      <input
        aria-label="meter"
        className={`${field} w-24`}
        list="meters"
        required
        maxLength={40}
        value={meter}
        onChange={(e) => setMeter(e.target.value)}
        title="3/4, or with its grouping: 7/8 (2+2+3)"
      />
      <datalist id="meters">
        {METERS.map((m) => (
          <option key={m} value={m} />
        ))}
      </datalist>
      ,{' '}
      <select aria-label="key" className={field} value={key} onChange={(e) => setKey(e.target.value)}>
        {KEYS.map((k) => (
          <option key={k.id} value={k.id}>
            {k.label}
          </option>
        ))}
      </select>
      , with{' '}
      <select aria-label="pick-up" className={field} value={pickup} onChange={(e) => setPickup(Number(e.target.value))}>
        {PICK_UPS.filter(([, ticks]) => ticks < barTicks).map(([label, ticks]) => (
          <option key={ticks} value={ticks}>
            {label}
          </option>
        ))}
        <option value={OTHER}>a pick-up of</option>
      </select>
      {pickup === OTHER && (
        <>
          {' '}
          <input
            aria-label="length of the pick-up"
            className={`${field} w-16`}
            required
            autoFocus
            placeholder="5/16"
            value={length}
            onChange={(e) => {
              setLength(e.target.value)
              const ticks = lengthOf(e.target.value)
              e.target.setCustomValidity(
                ticks > 0 && ticks < barTicks ? '' : 'A part of a bar, as a fraction of a whole note: 5/16',
              )
            }}
          />
        </>
      )}
      , and{' '}
      <button type="button" className="phrase lead" aria-expanded={more} onClick={() => setMore(!more)}>
        more
      </button>
      .{' '}
      <button
        type="submit"
        className="rounded-[3px] bg-vermilion px-3 py-0.5 font-sans text-base font-medium text-white">
        Begin
      </button>
      {more && (
        <p>
          With{' '}
          <Text
            name="subtitle"
            placeholder="(a subtitle)"
            value={words.subtitle}
            onChange={set('subtitle')}
            width="w-40"
          />
          , number{' '}
          <Text name="number" placeholder="(none)" value={words.number} onChange={set('number')} width="w-16" />
          {', by '}
          <Text
            name="composer"
            placeholder="(composer)"
            value={words.composer}
            onChange={set('composer')}
            width="w-44"
          />
          ,{' '}
          {SUNG.includes(layout) && (
            <>
              words by{' '}
              <Text
                name="lyricist"
                placeholder="(nobody)"
                value={words.lyricist}
                onChange={set('lyricist')}
                width="w-40"
              />
              ,{' '}
            </>
          )}
          arranged by{' '}
          <Text name="arranger" placeholder="(nobody)" value={words.arranger} onChange={set('arranger')} width="w-40" />{' '}
          ,{' '}
          <Text
            name="tempo word"
            placeholder="(tempo word)"
            value={words.tempo_text}
            onChange={set('tempo_text')}
            width="w-36"
          />{' '}
          at a pace of{' '}
          <input
            aria-label="beats a minute"
            type="number"
            min={20}
            max={300}
            className={`${field} w-16`}
            value={bpm}
            onChange={(e) => setBpm(e.target.value)}
            list="paces"
          />
          <datalist id="paces">
            {PACES.map(([name, n]) => (
              <option key={n} value={n} label={name} />
            ))}
          </datalist>{' '}
          to{' '}
          <input
            aria-label="up to beats a minute"
            type="number"
            min={20}
            max={300}
            placeholder="(...)"
            className={`${field} w-16`}
            value={bpmTo}
            onChange={(e) => setBpmTo(e.target.value)}
          />
          .
        </p>
      )}
    </form>
  )
}

/** Parts from the top of the score, each with what takes it away. */
function Parts({ parts, onChange }: { parts: readonly string[]; onChange: (parts: readonly string[]) => void }) {
  const [list, setList] = useState<readonly Instrument[]>([])
  useEffect(() => {
    rest
      .instruments()
      .then(setList)
      .catch(() => undefined)
  }, [])
  const families = [...new Set(list.map((i) => i.family))]
  return (
    <>
      {parts.map((name, k) => (
        <span key={k} className="whitespace-nowrap font-medium">
          {name.toLowerCase()}
          {parts.length > 1 && (
            <button
              type="button"
              className="px-1 align-middle text-base text-faint hover:text-vermilion"
              aria-label={`without ${name}`}
              onClick={() => onChange(parts.filter((_, i) => i !== k))}>
              ×
            </button>
          )}
          {k < parts.length - 1 ? ', ' : ' '}
        </span>
      ))}
      <select
        aria-label="add a part"
        className={field}
        value=""
        onChange={(e) => {
          if (e.target.value) onChange([...parts, e.target.value])
        }}>
        <option value="">and ...</option>
        {families.map((f) => (
          <optgroup key={f} label={f}>
            {list
              .filter((i) => i.family === f)
              .map((i) => (
                <option key={i.name}>{i.name}</option>
              ))}
          </optgroup>
        ))}
      </select>
    </>
  )
}
