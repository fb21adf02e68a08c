/** Two rooms: the shelf, and the desk of one piece. The address bar says which. */
import { useEffect, useState } from 'react'
import { Desk } from './desk/Desk'
import { applyView } from './desk/view'
import { Shelf } from './shelf/Shelf'

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
  return piece ? <Desk key={piece} pieceId={piece} onShelf={() => go(null)} /> : <Shelf onOpen={go} />
}
