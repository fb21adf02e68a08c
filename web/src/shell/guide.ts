/** The user guide, cut into tasks that can be found by their words. It ships with the page; nothing is fetched. */
import { marked } from 'marked'
import text from '../../../docs/user-guide.md?raw'

export interface Task {
  readonly name: string
  readonly html: string
  readonly words: string
}

const plain = (words: string) => words.normalize('NFD').replace(/\p{M}/gu, '').toLowerCase()

/** A task begins at a heading or at a paragraph that opens with bold words, and goes on to the next. */
export function tasksOf(guide: string): readonly Task[] {
  const out: { name: string; lines: string[] }[] = []
  for (const block of guide.split(/\n{2,}/)) {
    const head = /^#{1,3} (.+)/.exec(block)?.[1] ?? /^\*\*(.+?)\*\*/.exec(block)?.[1]
    if (head) out.push({ name: head.replace(/[`*]/g, ''), lines: [block] })
    else out.at(-1)?.lines.push(block)
  }
  return out.map(({ name, lines }) => {
    const body = lines.join('\n\n')
    return { name, html: marked.parse(body, { async: false }), words: plain(`${name} ${body}`) }
  })
}

export const TASKS = tasksOf(text)

/** Tasks that hold all the words, those named by them first. */
export function tasksWith(words: string, tasks: readonly Task[] = TASKS): readonly Task[] {
  const wanted = plain(words).split(/\s+/).filter(Boolean)
  if (!wanted.length) return []
  const found = tasks.filter((t) => wanted.every((w) => t.words.includes(w)))
  const named = (t: Task) => wanted.some((w) => plain(t.name).includes(w))
  return [...found.filter(named), ...found.filter((t) => !named(t))]
}
