/**
 * The order of messages that depend on answers. An edit is made on a revision or a selection that the person sees: it
 * waits until the server has answered everything sent before it. So a fast hand never meets a refusal that its own last
 * key caused, and undo goes step by step however fast the key repeats.
 */
export class AnswerQueue {
  private waiting: (() => void)[] = []
  private sent = 0
  private answered = 0

  /** Everything that was sent has been answered. */
  get isSettled(): boolean {
    return this.answered >= this.sent
  }

  /** Forget all of it: another piece is opened. */
  clear(): void {
    this.waiting = []
    this.sent = this.answered = 0
  }

  /** A message was sent under this number. */
  noteSent(number: number): void {
    this.sent = number
  }

  /** The server is done with the message of this number. */
  noteAnswered(number: number): void {
    this.answered = number
    if (this.isSettled) this.next()
  }

  /** Act once everything sent before is answered. */
  whenSettled(act: () => void): void {
    this.waiting.push(act)
    if (this.isSettled) this.next()
  }

  /** Act at once, but behind those who wait. */
  inOrder(act: () => void): void {
    if (this.waiting.length) this.waiting.push(act)
    else act()
  }

  private next(): void {
    this.waiting.shift()?.()
    if (this.waiting.length && this.isSettled) this.next()
  }
}
