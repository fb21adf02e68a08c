/**
 * The line speaks of the frame: clef, key, meter, tempo, part or bars at a place. What would move is said before it
 * does; Enter does it.
 */
import { type ReactNode } from 'react'
import type { FrameAt, State } from '../../session/wire'
import { Now, Phrase, Tail, type Option } from '../Phrase'
import { doWeighed, leaveFrame, leaveWeighed, lookAtFrame, usePage, type What } from '../../session/chosen'
import { BarsPart } from '../frame/BarsPart'
import { MeterPart, TempoPart } from '../frame/MeterTempoPart'
import { KeyPart, ClefPart } from '../frame/KeyClefPart'
import { PartPart } from '../frame/PartPart'

const ASPECTS: [What, string][] = [
  ['bar', 'bars'],
  ['meter', 'meter'],
  ['key', 'key'],
  ['tempo', 'tempo'],
  ['clef', 'clef'],
  ['part', 'part'],
]

export function FrameLine() {
  const at = usePage((s) => s.frame)
  const weighed = usePage((s) => s.weighed)
  if (!at) return null
  if (weighed)
    return (
      <>
        <span data-testid="weighed">{weighed.words}.</span>{' '}
        <button
          type="button"
          autoFocus
          className="phrase font-bold text-vermilion"
          data-phrase="do it"
          onClick={doWeighed}>
          Do it
        </button>{' '}
        (Enter) or{' '}
        <Tail end=".">
          <Now act={leaveWeighed}>leave it</Now>
        </Tail>
      </>
    )
  const other: Option[] = ASPECTS.map(([what, label]) => ({
    label,
    chosen: what === at.what,
    act: () => lookAtFrame(what, at),
  }))
  return (
    <span
      role="presentation"
      onKeyDown={(e) => {
        if (e.key === 'Escape' && e.target instanceof HTMLInputElement) {
          e.target.blur()
          leaveFrame()
        }
      }}>
      <Phrase name="about" options={other} strong>
        {ABOUT[at.what](at)}
      </Phrase>{' '}
      {PARTS[at.what](at)}{' '}
      <Tail end=".">
        <Now act={leaveFrame}>done</Now>
      </Tail>
    </span>
  )
}

const head = (at: FrameAt) => `${at.bars[0]!.toUpperCase()}${at.bars.slice(1)}`

const ABOUT: Record<What, (at: FrameAt) => string> = {
  bar: (at) => `${head(at)}:`,
  meter: (at) => `${head(at)} on:`,
  key: (at) => `${head(at)} on:`,
  tempo: (at) => `Tempo at ${at.place}:`,
  clef: (at) =>
    `${at.part_name}${at.staves > 1 ? (at.staff === 1 ? ', right hand' : ', left hand') : ''}, ${at.place}:`,
  part: (at) => `${at.part_name}:`,
}

const PARTS: Record<What, (at: FrameAt) => ReactNode> = {
  bar: (at) => <BarsPart at={at} />,
  meter: (at) => <MeterPart at={at} />,
  key: (at) => <KeyPart at={at} />,
  tempo: (at) => <TempoPart key={`${at.tick}`} at={at} />,
  clef: (at) => <ClefPart at={at} />,
  part: (at) => <PartPart at={at} />,
}

export type PartView = State['parts'][number]
