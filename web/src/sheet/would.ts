/** Notes and marks that an instruction would change stand in another colour while it is typed. */
const MOST = 2000

/** Colour them, and bring the first of them into sight. Gives back how to end it. */
export function showWhatWouldChange(ids: readonly string[]): () => void {
  const drawn = ids.slice(0, MOST).flatMap((id) => document.getElementById(id) ?? [])
  drawn.forEach((element) => element.setAttribute('data-would', 'yes'))
  drawn[0]?.closest('[data-system]')?.scrollIntoView({ block: 'nearest' })
  return () => drawn.forEach((element) => element.removeAttribute('data-would'))
}
