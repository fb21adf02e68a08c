/** Far view (type and music larger, for eyes two metres away) and the evening theme; both are remembered. */
const FAR = 'ductus.far'
const THEME = 'ductus.theme'

/** How much larger the music is in far view. */
export const farZoom = () => (localStorage.getItem(FAR) === 'yes' ? 1.35 : 1)

export function applyView(): void {
  document.documentElement.style.setProperty('--far', localStorage.getItem(FAR) === 'yes' ? '1.45' : '1')
  document.documentElement.dataset.far = localStorage.getItem(FAR) === 'yes' ? 'yes' : 'no'
  window.dispatchEvent(new Event('far-view'))
  document.documentElement.dataset.theme = localStorage.getItem(THEME) ?? 'day'
}

export function toggleFarView(): void {
  localStorage.setItem(FAR, localStorage.getItem(FAR) === 'yes' ? 'no' : 'yes')
  applyView()
}

export function toggleEvening(): void {
  localStorage.setItem(THEME, localStorage.getItem(THEME) === 'evening' ? 'day' : 'evening')
  applyView()
}
