/** One part of the frame: instrument, staves, name, transposition. */
import { useEffect, useState } from 'react'
import { rest } from '../../session/rest'
import type { ChangePart, FrameAt, Instrument } from '../../session/wire'
import { Now, OpenPhrase, Phrase, Tail, type Option } from '../Phrase'
import { send } from '../../session/actions'
import { useDesk } from '../../session/store'
import { doFrame, lookAtFrame, weigh } from '../../session/chosen'
import { One } from './FrameForms'
import { INTERVALS } from './KeyClefPart'

function useInstruments(): readonly Instrument[] {
  const [list, setList] = useState<readonly Instrument[]>([])
  useEffect(() => {
    rest
      .instruments()
      .then(setList)
      .catch(() => undefined)
  }, [])
  return list
}

export function PartPart({ at }: { at: FrameAt }) {
  const list = useInstruments()
  const parts = useDesk((s) => s.state?.parts) ?? []
  const change = (what: Omit<ChangePart, 'name' | 'part'>) => doFrame({ name: 'change-part', part: at.part, ...what })
  const of = (make: (name: string) => void): Option[] =>
    list.map((i) => ({
      label: `${i.name} (${i.family})`,
      chosen: i.programme === at.programme && i.name === at.part_name,
      act: () => make(i.name),
    }))
  const by = ([1, -1] as const).flatMap((sign) =>
    INTERVALS.map(([name, steps, semitones]): Option => ({
      label: `${name} ${sign > 0 ? 'up' : 'down'}`,
      act: () => weigh({ name: 'transpose-by', steps: sign * steps, semitones: sign * semitones, part: at.part }),
    })),
  )
  const others: Option[] = parts.map((p) => ({
    label: p.name,
    chosen: p.id === at.part,
    act: () => lookAtFrame('part', { ...at, part: p.id, staff: 1 }),
  }))
  const shown = parts.filter((p) => p.shown)
  const show = (ids: readonly string[], staff = 0) => send({ type: 'parts-shown', parts: [...ids], staff })
  const hand = shown.length === 1 && shown[0]?.only ? (shown[0].only === 1 ? ', upper staff' : ', lower staff') : ''
  const seen: Option[] = [
    {
      label: parts.length > 1 ? 'all parts' : 'both staves',
      chosen: shown.length === parts.length && !hand,
      act: () => show([]),
    },
    ...(parts.length > 1
      ? [
          {
            label: `${at.part_name} alone`,
            chosen: shown.length === 1 && shown[0]?.id === at.part && !hand,
            act: () => show([at.part]),
          },
        ]
      : []),
    ...(at.staves > 1
      ? [1, 2].map((staff): Option => ({
          label: `only its ${staff === 1 ? 'upper' : 'lower'} staff`,
          chosen: hand !== '' && shown[0]?.only === staff,
          act: () => show([at.part], staff),
        }))
      : []),
    ...parts
      .filter((p) => p.id !== at.part)
      .map((p): Option => ({
        label: p.shown ? `without ${p.name}` : `with ${p.name}`,
        act: () =>
          show(p.shown ? shown.filter((q) => q.id !== p.id).map((q) => q.id) : [...shown.map((q) => q.id), p.id]),
      })),
  ]
  const written = at.transpose[1] ? 'transposed' : 'where it sounds'
  return (
    <>
      <Tail>
        <OpenPhrase closes name="part name" words="call it">
          <One
            label="Its name"
            name="called"
            value={at.part_name}
            give={(called) => change({ called })}
            className="w-40"
          />
          <div className="mt-2" />
          <One label="For short" name="short" value={at.short} give={(short) => change({ short })} />
        </OpenPhrase>
      </Tail>{' '}
      for{' '}
      <Tail>
        <Phrase name="instrument" options={of((instrument) => change({ instrument }))}>
          another instrument
        </Phrase>
      </Tail>{' '}
      written{' '}
      <Tail>
        <Phrase
          name="written"
          options={[
            { label: 'where it sounds', chosen: !at.transpose[1], act: () => change({ steps: 0, semitones: 0 }) },
            {
              label: 'for an instrument in B flat',
              chosen: at.transpose[1] === -2,
              act: () => change({ steps: -1, semitones: -2 }),
            },
            {
              label: 'for an instrument in F',
              chosen: at.transpose[1] === -7,
              act: () => change({ steps: -4, semitones: -7 }),
            },
            {
              label: 'for an instrument in E flat',
              chosen: at.transpose[1] === -9,
              act: () => change({ steps: -5, semitones: -9 }),
            },
          ]}>
          {written}
        </Phrase>
      </Tail>{' '}
      <Tail>
        <Now
          act={() =>
            at.staves === 1
              ? doFrame({ name: 'staves-of', part: at.part, staves: 2 })
              : weigh({ name: 'staves-of', part: at.part, staves: 1 })
          }>
          {at.staves === 1 ? 'on two staves' : 'on one staff'}
        </Now>
      </Tail>{' '}
      {at.parts > 1 && (
        <>
          move it <Now act={() => doFrame({ name: 'move-part', part: at.part, to: 'up' })}>up</Now> or{' '}
          <Tail>
            <Now act={() => doFrame({ name: 'move-part', part: at.part, to: 'down' })}>down</Now>
          </Tail>{' '}
        </>
      )}
      transpose it{' '}
      <Tail>
        <Phrase name="transpose part" options={by}>
          by an interval
        </Phrase>
      </Tail>{' '}
      {at.parts > 1 && (
        <>
          <Tail end=";">
            <Now
              act={() => {
                weigh({ name: 'remove-part', part: at.part, sure: true })
              }}>
              remove it
            </Now>
          </Tail>{' '}
        </>
      )}
      <Tail>
        <Phrase
          name="add a part"
          options={of((instrument) => doFrame({ name: 'add-part', instrument, under: at.part }))}>
          add a part under it
        </Phrase>
      </Tail>{' '}
      {(at.parts > 1 || at.staves > 1) && (
        <>
          the sheet shows{' '}
          <Tail end=",">
            <Phrase name="shown" options={seen}>
              {shown.length === parts.length && !hand
                ? parts.length > 1
                  ? 'all parts'
                  : 'both staves'
                : shown.map((p) => p.name).join(' and ') + hand}
            </Phrase>
          </Tail>{' '}
        </>
      )}
      {at.parts > 1 && (
        <Tail end=";">
          <Phrase name="other part" options={others}>
            another part
          </Phrase>
        </Tail>
      )}
    </>
  )
}
