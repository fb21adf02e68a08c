import { describe, expect, it } from 'vitest'
import { TASKS, tasksOf, tasksWith } from './guide'

describe('the guide', () => {
  it('is cut at headings and at paragraphs that open with bold words', () => {
    const tasks = tasksOf('# Title\n\nIntro.\n\n**Marks**: press `2`.\n\nMore of it.\n\n## Files\n\nDrop *them*.')
    expect(tasks.map((t) => t.name)).toEqual(['Title', 'Marks', 'Files'])
    expect(tasks[1]!.html).toContain('<code>2</code>')
    expect(tasks[1]!.html).toContain('More of it.')
  })
  it('is searched by all words, what is named by them first', () => {
    const tasks = tasksOf('**Slurs**: over notes.\n\n**Notes**: a slur joins them.')
    expect(tasksWith('slur', tasks).map((t) => t.name)).toEqual(['Slurs', 'Notes'])
    expect(tasksWith('notes', tasks).map((t) => t.name)).toEqual(['Notes', 'Slurs'])
    expect(tasksWith('slur trumpet', tasks)).toEqual([])
    expect(tasksWith('', tasks)).toEqual([])
  })
  it('as it ships has tasks for each room', () => {
    for (const words of ['recording', 'marks', 'print', 'files', 'reading aloud', 'shelf'])
      expect(tasksWith(words).length, words).toBeGreaterThan(0)
    expect(new Set(TASKS.map((t) => t.name)).size).toBe(TASKS.length)
  })
})
