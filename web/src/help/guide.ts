/** The user guide: one page a task, found by its words. It ships with the page; nothing is fetched. */

export interface Task {
  readonly name: string
  readonly html: string
  readonly words: string
}

const PAGES: Readonly<Record<string, string>> = import.meta.glob('../../../docs/guide/[!R]*.md', {
  import: 'default',
  eager: true,
})

const plain = (words: string) => words.normalize('NFD').replace(/\p{M}/gu, '').toLowerCase()

/** A page of the guide, from its HTML: the heading names the task. */
export function taskOf(html: string): Task {
  const text = html
    .replace(/<[^>]+>/g, '')
    .replace(/&(lt|gt|amp|quot);/g, (all, name: keyof typeof SIGNS) => SIGNS[name] ?? all)
  return { name: text.trimStart().split('\n', 1)[0]!, html, words: plain(text) }
}
const SIGNS = { lt: '<', gt: '>', amp: '&', quot: '"' }

export const TASKS = Object.values(PAGES).map(taskOf)

/** Tasks that hold all the words, those named by them first. */
export function tasksWith(words: string, tasks: readonly Task[] = TASKS): readonly Task[] {
  const wanted = plain(words).split(/\s+/).filter(Boolean)
  if (!wanted.length) return []
  const found = tasks.filter((t) => wanted.every((w) => t.words.includes(w)))
  const named = (t: Task) => wanted.some((w) => plain(t.name).includes(w))
  return [...found.filter(named), ...found.filter((t) => !named(t))]
}
