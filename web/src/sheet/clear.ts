/** A menu that grows up from the line never covers the system that it is about: the sheet scrolls until it is clear. */
import { usePage } from '../session/chosen'
import { useDesk } from '../session/store'
import { holderOf, scrollToClear } from './geometry'

/** The system of what is selected, of the frame that is looked at, or of the pen. */
function concerned(sheet: HTMLElement): Element | null {
  const { pen, refs, selection } = useDesk.getState()
  if (selection.size) {
    const chosen = sheet.querySelectorAll('[data-selected]')
    return chosen[chosen.length - 1]?.closest('[data-system]') ?? null
  }
  const bar = usePage.getState().frame?.bar ?? pen?.bar ?? 0
  return holderOf(
    sheet,
    refs.findIndex((r) => bar >= r.first && bar <= r.last),
  )
}

/** Scroll what a menu is about clear of it, once it stands in its place; as long as it is open there is room below. */
export function keepClearOf(menu: HTMLElement | null): (() => void) | undefined {
  const scroller = document.querySelector<HTMLElement>('[data-testid=sheet-scroll]')
  const sheet = scroller?.querySelector<HTMLElement>('[data-testid=sheet]')
  if (!menu || !scroller || !sheet) return undefined
  const clear = () => {
    const system = concerned(sheet)
    const box = menu.getBoundingClientRect()
    if (!system || box.height === 0 || box.top < 0) return
    const view = scroller.getBoundingClientRect()
    const by = scrollToClear(system.getBoundingClientRect(), box.top, view.top)
    if (!by) return
    const room = scroller.scrollHeight - scroller.clientHeight - scroller.scrollTop
    if (by > room) scroller.style.paddingBottom = `${by - room + 8}px`
    scroller.scrollBy({ top: by })
  }
  const frames = [requestAnimationFrame(() => frames.push(requestAnimationFrame(clear)))]
  return () => {
    frames.forEach(cancelAnimationFrame)
    scroller.style.paddingBottom = ''
  }
}
