/** Ductus as an installed page: its shell is kept by a service worker, and opens before the server does. */

/** Keep the shell, where the browser can; in development the server's files change under it. */
export function keepShell(): void {
  if (!import.meta.env.PROD || !('serviceWorker' in navigator)) return
  // after the page stands: what it needs first is not fetched twice at a time
  window.addEventListener('load', () => {
    navigator.serviceWorker.register('/sw.js').catch(() => undefined) // without it everything else works
  })
}
