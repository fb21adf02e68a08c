/** Two rooms: the shelf, and the desk of one piece. The address bar says which. */
import { lazy, Suspense, useEffect, useState } from 'react'
import { applyView } from './desk/view'
import { Shelf } from './shelf/Shelf'

/** The desk with its sound and its strips comes when a piece is opened, or as soon as the shelf stands. */
const loadDesk = () => import('./desk/Desk')
const Desk = lazy(async () => ({ default: (await loadDesk()).Desk }))

const pieceIn = (path: string) => /^\/piece\/([^/]+)/.exec(path)?.[1] ?? null

export function App() {
  const [piece, setPiece] = useState(pieceIn(location.pathname))
  useEffect(() => {
    applyView()
    const onBack = () => setPiece(pieceIn(location.pathname))
    window.addEventListener('popstate', onBack)
    return () => window.removeEventListener('popstate', onBack)
  }, [])
  const go = (id: string | null) => {
    history.pushState(null, '', id ? `/piece/${id}` : '/')
    setPiece(id)
  }
  return piece ? <Suspense fallback={null}><Desk key={piece} pieceId={piece} onShelf={() => go(null)} /></Suspense> : <Shelf onOpen={go} onShown={loadDesk} />
}
