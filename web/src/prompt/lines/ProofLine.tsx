/** The line of a proof: what to do, then what came of it (in the server's words). */
import { byId, keyWords } from '../../input/commands'
import { Now, Tail } from '../Phrase'
import { useDeskParts } from '../../session/store'
import { toggleRecording } from '../../recording/recorder'
import { closeProof, decideAll } from '../../proof/proof'
import type { ReactNode } from 'react'

export function ProofLine({ way, part }: { way: ReactNode; part: string }) {
  const { proof, recording } = useDeskParts('proof', 'recording')
  if (recording)
    return (
      <>
        {way} goes on: play {part.toLowerCase()} from the page, at any speed; the page follows you.{' '}
        <Tail end=".">
          <Now act={toggleRecording} command="record">
            That is all
          </Now>
        </Tail>
      </>
    )
  const begin = (
    <Now act={toggleRecording} command="record">
      {proof ? 'play it again' : 'begin to play'}
    </Now>
  )
  if (!proof)
    return (
      <>
        {way} by playing: <Tail end={` (${keyWords(byId.get('record')?.keys[0] ?? '')})`}>{begin}</Tail> or strike the
        first key, from any bar of {part.toLowerCase()}, at any speed, with both hands or one. Where you differ from the
        page is marked; nothing is written until you say so.{' '}
        <Tail end=".">
          <Now act={closeProof} command="proof">
            Done
          </Now>
        </Tail>
      </>
    )
  const left = proof.differences.length
  return (
    <>
      {way}: {proof.words};{' '}
      {left > 1 && (
        <>
          <Tail end=";">
            <Now act={() => decideAll('leave')}>leave all as on the page</Now>
          </Tail>{' '}
          <Tail end=";">
            <Now act={() => decideAll('take')}>take all as played</Now>
          </Tail>{' '}
        </>
      )}
      <Tail end=";">{begin}</Tail>{' '}
      <Tail end=".">
        <Now act={closeProof} command="proof">
          done
        </Now>
      </Tail>
    </>
  )
}
