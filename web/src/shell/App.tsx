/** Two rooms: the shelf, and the desk of one piece. The address bar says which. */
import { useCallback, useEffect, useState } from 'react'
import type { Desk as TheDesk } from './Desk'
import { applyView } from './appearance'
import { Shelf } from '../shelf/Shelf'

/**
 * The desk with its sound and its strips comes when a piece is opened, or as soon as the shelf stands. (Not by
 * Suspense: that holds back what has come for 300 ms.)
 */
const loadDesk = () => import('./Desk')

const pieceIn = (path: string) => /^\/piece\/([^/]+)/.exec(path)?.[1] ?? null

export function App() {
  const [piece, setPiece] = useState(pieceIn(location.pathname))
  const [Desk, setDesk] = useState<typeof TheDesk | null>(null)
  useEffect(() => {
    if (piece) void loadDesk().then((room) => setDesk(() => room.Desk))
  }, [piece])
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
  const toShelf = useCallback(() => go(null), [])
  if (!piece) return <Shelf onOpen={go} onShown={loadDesk} />
  return Desk && <Desk key={piece} pieceId={piece} onShelf={toShelf} />
}
