import { beforeEach, describe, expect, it } from 'vitest'
import { AnswerQueue } from './queue'

describe('AnswerQueue', () => {
  let queue: AnswerQueue
  let done: string[]
  const edit = (name: string, number: number) =>
    queue.whenSettled(() => {
      done.push(name)
      queue.noteSent(number)
    })
  beforeEach(() => {
    queue = new AnswerQueue()
    done = []
  })

  it('acts at once while nothing is on its way', () => {
    edit('a', 1)
    expect(done).toEqual(['a'])
    expect(queue.isSettled).toBe(false)
  })

  it('makes one edit after the other, each upon the answer to the one before', () => {
    for (const [name, number] of [
      ['a', 1],
      ['b', 2],
      ['c', 3],
    ] as const)
      edit(name, number)
    expect(done).toEqual(['a'])
    queue.noteAnswered(1)
    expect(done).toEqual(['a', 'b'])
    queue.noteAnswered(2)
    expect(done).toEqual(['a', 'b', 'c'])
  })

  it('never lets a command pass an edit that waits', () => {
    edit('a', 1)
    edit('b', 2)
    queue.inOrder(() => done.push('command'))
    expect(done).toEqual(['a'])
    queue.noteAnswered(1)
    expect(done).toEqual(['a', 'b'])
    queue.noteAnswered(2)
    expect(done).toEqual(['a', 'b', 'command'])
  })

  it('sends a command at once where no edit waits, though answers are on their way', () => {
    queue.noteSent(5)
    queue.inOrder(() => done.push('command'))
    expect(done).toEqual(['command'])
  })

  it('goes on through those that send nothing', () => {
    queue.noteSent(1)
    queue.whenSettled(() => done.push('silent'))
    queue.whenSettled(() => done.push('silent too'))
    queue.noteAnswered(1)
    expect(done).toEqual(['silent', 'silent too'])
  })

  it('forgets what waits when another piece is opened', () => {
    edit('a', 1)
    edit('b', 2)
    queue.clear()
    queue.noteAnswered(1)
    expect(done).toEqual(['a'])
    expect(queue.isSettled).toBe(true)
  })
})
