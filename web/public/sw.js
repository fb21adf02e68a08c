// Keeps the page itself (not what is written), so that an installed Ductus opens while its server is not there yet.
const SHELL = 'ductus-shell'
const MOST = 200 // files that are kept; older ones, of versions that are gone, make room

self.addEventListener('install', (event) => {
  event.waitUntil(
    caches
      .open(SHELL)
      .then((kept) => kept.add('/'))
      .then(() => self.skipWaiting()),
  )
})
self.addEventListener('activate', (event) => event.waitUntil(self.clients.claim()))

/** The page as the server has it; what was kept of it where no server answers. */
async function page(request) {
  const kept = await caches.open(SHELL)
  try {
    const found = await fetch(request)
    if (found.ok && !found.redirected) await kept.put('/', found.clone())
    return found
  } catch {
    return (await kept.match('/')) ?? Response.error()
  }
}

/** A file whose name changes with what is in it: once fetched, it is kept. */
async function file(request) {
  const kept = await caches.open(SHELL)
  const known = await kept.match(request)
  if (known) return known
  const found = await fetch(request)
  if (found.ok) {
    await kept.put(request, found.clone())
    const all = (await kept.keys()).filter((r) => new URL(r.url).pathname.startsWith('/assets/'))
    await Promise.all(all.slice(0, Math.max(all.length - MOST, 0)).map((old) => kept.delete(old)))
  }
  return found
}

self.addEventListener('fetch', (event) => {
  const { request } = event
  const { origin, pathname } = new URL(request.url)
  if (request.method !== 'GET' || origin !== self.location.origin) return
  if (request.mode === 'navigate') event.respondWith(page(request))
  else if (pathname.startsWith('/assets/')) event.respondWith(file(request))
})
