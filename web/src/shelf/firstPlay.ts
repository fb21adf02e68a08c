/**
 * "Play something": the first key that is struck on the shelf begins a piece and a free recording of it; eight seconds
 * after the last key it is a page. Every key is kept from the first one on.
 */
import { create } from 'zustand'
import { heldKeys, onHeard } from '../input/port'
import { startRecording, stopRecording, hearBefore, openDesk } from '../session/actions'
import { rest } from '../session/rest'
import { isOver, type Stroke } from './openStaff'

const LOOK_MS = 250

interface FirstPlay {
  /** ``written``: it is being read, or was, and the desk asks what becomes of it. */
  readonly stage: 'waiting' | 'playing' | 'written'
  readonly pieceId: string
  readonly strokes: readonly Stroke[]
  readonly problem: string
}

const NOTHING: FirstPlay = { stage: 'waiting', pieceId: '', strokes: [], problem: '' }
export const useFirstPlay = create<FirstPlay>(() => NOTHING)

export const forgetFirstPlay = () => useFirstPlay.setState(NOTHING)

type Heard = Parameters<Parameters<typeof onHeard>[0]>[0]

/** Listen on the shelf; `onPage` opens the piece once the playing has stopped. Returns how to stop listening. */
export function listenOnShelf(onPage: (pieceId: string) => void): () => void {
  forgetFirstPlay()
  const session = new FirstPlaySession(onPage)
  const deaf = onHeard(session.hear)
  const timer = window.setInterval(session.look, LOOK_MS)
  window.addEventListener(ENOUGH, session.finish)
  return () => {
    deaf()
    window.clearInterval(timer)
    window.removeEventListener(ENOUGH, session.finish)
    session.leave()
  }
}

const ENOUGH = 'ductus-enough-played'

/** It is to be written now, without waiting for silence. */
export const enough = () => window.dispatchEvent(new Event(ENOUGH))

class FirstPlaySession {
  private early: Heard[] = [] // events from before the server listens
  private lastMs = 0
  private close: (() => void) | null = null

  constructor(private readonly onPage: (pieceId: string) => void) {}

  hear = (event: Heard): void => {
    const { stage, strokes } = useFirstPlay.getState()
    if (stage === 'written') return
    if (event.kind === 'down') {
      this.lastMs = performance.now()
      useFirstPlay.setState({ strokes: [...strokes.slice(-400), { key: event.key, atUs: event.atUs }] })
    }
    if (stage === 'waiting' && event.kind === 'down') void this.begin(event)
    else if (stage === 'playing' && !this.close) this.early.push(event)
  }

  private async begin(first: Heard): Promise<void> {
    this.early = [first]
    useFirstPlay.setState({ stage: 'playing', problem: '' })
    try {
      const { id } = await rest.create({ layout: 'keys' })
      this.close = openDesk(id)
      startRecording(first.atUs, 0, { freely: true })
      hearBefore(this.early)
      useFirstPlay.setState({ pieceId: id })
    } catch (error) {
      useFirstPlay.setState({ ...NOTHING, problem: (error as Error).message })
    }
  }

  look = (): void => {
    if (useFirstPlay.getState().stage === 'playing' && isOver(this.lastMs, performance.now(), heldKeys().size))
      this.finish()
  }

  finish = (): void => {
    const { stage, pieceId } = useFirstPlay.getState()
    if (stage !== 'playing' || !this.close) return
    stopRecording()
    useFirstPlay.setState({ stage: 'written' })
    this.leave()
    this.onPage(pieceId)
  }

  /** The shelf is left; a recording that goes on is stopped and becomes a take. */
  leave(): void {
    if (useFirstPlay.getState().stage === 'playing') stopRecording()
    this.close?.()
    this.close = null
  }
}
