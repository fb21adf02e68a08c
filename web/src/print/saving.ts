/** Files that take a while: how far each is, and its stop; the browser saves what is done. */
import { create } from 'zustand'
import { rest } from '../session/rest'
import { say } from '../session/actions'
import { useDesk } from '../session/store'

const ASK_MS = 250

/** Something the server works at under a name of ours: what comes of it, and its stop. */
export interface Work<T> {
  readonly done: Promise<T>
  readonly stop: () => void
}

/** Begin it with a name; `told` hears how much is done, 0 to 1. */
export function begin<T>(ask: (name: string) => Promise<T>, told: (share: number) => void): Work<T> {
  // randomUUID is there on secure pages only
  const name = `w${Date.now().toString(36)}${Math.random().toString(36).slice(2)}`
  const timer = window.setInterval(() => {
    rest
      .work(name)
      .then(({ share }) => {
        if (share !== null) told(share)
      })
      .catch(() => undefined)
  }, ASK_MS)
  return {
    done: ask(name).finally(() => window.clearInterval(timer)),
    stop: () => void rest.stopWork(name).catch(() => undefined),
  }
}

interface Saving {
  readonly words: string
  readonly share: number
  readonly stop: () => void
}

/** The file that is being made, for the page to show. */
export const useSaving = create<{ now: Saving | null }>(() => ({ now: null }))

/** A file from the server, saved by the browser; failures are thrown, with words. */
async function saved(address: string, name: string, file: string): Promise<void> {
  const data = await rest.file(`${address}${address.includes('?') ? '&' : '?'}work=${name}`)
  const link = document.createElement('a')
  link.href = URL.createObjectURL(data)
  link.download = file
  link.click()
  URL.revokeObjectURL(link.href)
}

/** Make a file and save it. `words` say what it is ("WAV of bars 1 to 8"). Answers with what went wrong, or nothing. */
export async function save(words: string, address: string, file: string): Promise<string> {
  useSaving.getState().now?.stop()
  const work = begin(
    (name) => saved(address, name, file),
    (share) => useSaving.setState((s) => (s.now?.stop === work.stop ? { now: { ...s.now, share } } : s)),
  )
  useSaving.setState({ now: { words, share: 0, stop: work.stop } })
  try {
    await work.done
    say(`${words} saved`)
    return ''
  } catch (error) {
    return (error as Error).message
  } finally {
    if (useSaving.getState().now?.stop === work.stop) useSaving.setState({ now: null })
  }
}

/** As `save`, and what goes wrong is said on the desk. */
export async function saveFromDesk(words: string, address: string, file: string): Promise<void> {
  const problem = await save(words, address, file)
  if (problem) useDesk.setState({ problem })
}
