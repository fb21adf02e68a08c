/** An instruction in words: what it would do is asked while it is typed, and done when it is given. */
import { create } from 'zustand'
import { choose, edit, frame, give, send, settled } from '../session/actions'
import { onLeave, onMessage } from '../session/events'
import { useDesk } from '../session/store'
import type { Command, Edit, FrameEdit, Instruction, MarkEdit } from '../session/wire'

const PAUSE_MS = 120

interface Told {
  readonly told: Instruction | null
}

export const useInstruction = create<Told>(() => ({ told: null }))
onMessage('instruction', (told) => useInstruction.setState({ told }))
onLeave(() => useInstruction.setState({ told: null }))

/** Ask what words would do once the typing rests. Gives back how to stop it. */
export function askInWords(text: string): () => void {
  const wanted = text.trim()
  if (!wanted) return () => undefined
  const timer = setTimeout(() => settled(() => send({ type: 'in-words', text: wanted })), PAUSE_MS)
  return () => clearTimeout(timer)
}

/** What was told of these words; null while no answer to them has come. */
export const toldOf = (told: Instruction | null, text: string) => (told && told.text === text.trim() ? told : null)

/** Do what an instruction asks for, in its order. */
export function carryOut({ steps }: Instruction): void {
  for (const { kind, do: what, ids } of steps) {
    if (kind === 'edit') edit(what as Edit, ids, false)
    else if (kind === 'frame') frame(what as FrameEdit)
    else if (kind === 'select') choose(ids)
    else if (kind === 'command') give(what as Command)
    else
      settled(() => {
        const { state } = useDesk.getState()
        if (state) send({ type: 'mark-edit', base: state.revision, do: what as MarkEdit, ids: [...ids] })
      })
  }
}
