import { describe, expect, it } from 'vitest'
import { TASKS, taskOf, tasksWith } from './guide'

describe('the guide', () => {
  it('names a page by its heading and finds it by what is read there', () => {
    const task = taskOf('<h1>Marks &amp; words</h1>\n<p>Press <code>&lt;</code>, or <em>dém.</em></p>')
    expect(task.name).toBe('Marks & words')
    expect(task.words).toContain('press <, or dem.')
  })
  it('is searched by all words, what is named by them first', () => {
    const tasks = ['<h1>Notes</h1>\n<p>a slur joins them</p>', '<h1>Slurs</h1>\n<p>over notes</p>'].map(taskOf)
    expect(tasksWith('slur', tasks).map((t) => t.name)).toEqual(['Slurs', 'Notes'])
    expect(tasksWith('notes', tasks).map((t) => t.name)).toEqual(['Notes', 'Slurs'])
    expect(tasksWith('slur trumpet', tasks)).toEqual([])
    expect(tasksWith('', tasks)).toEqual([])
  })
  it('as it ships has a page for each task, and the index is none of them', () => {
    for (const words of ['recording', 'marks', 'print', 'files', 'reading aloud', 'shelf'])
      expect(tasksWith(words).length, words).toBeGreaterThan(0)
    expect(TASKS.length).toBeGreaterThan(30)
    expect(new Set(TASKS.map((t) => t.name)).size).toBe(TASKS.length)
    expect(TASKS.map((t) => t.name)).not.toContain('Working with Ductus')
  })
})
