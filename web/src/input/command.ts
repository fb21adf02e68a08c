/** What a command is, and short ways to write one. */
import type { Command as EntryCommand, Edit, Selecting } from '../session/wire'
import { edit, give, readAloud, select } from '../session/actions'

export interface Command {
  readonly id: string
  readonly group:
    | 'Pen'
    | 'Value'
    | 'Step'
    | 'Listening'
    | 'Reading'
    | 'Reading aloud'
    | 'Selecting'
    | 'Editing'
    | 'Marks'
    | 'Keys as a piano'
    | 'View'
  readonly label: string
  readonly keys: readonly string[]
  readonly run: () => void
  readonly hold?: () => void
}

export const server = (command: EntryCommand) => () => give(command)

export const change = (what: Edit) => () => edit(what)

export const pick = (what: Extract<Selecting, { what: unknown }>['what']) => () => select({ name: 'select', what })

export const aloud = (what: 'column' | 'sounding' | 'voice' | 'bar' | 'where') => () => readAloud(what)
