/** The font of signs in words (note values, sharps, flats): without it they show as empty boxes, which is said. */
import { useDesk } from '../session/store'

const FAMILY = 'Leipzig'
const FILE = '/api/music-font.woff2'
const TRIES = 3
const BETWEEN_MS = 1500

export async function musicFont(): Promise<void> {
  for (let tried = 0; tried < TRIES; tried++) {
    try {
      const font = new FontFace(FAMILY, `url(${FILE}${tried ? `?again=${tried}` : ''})`)
      document.fonts.add(await font.load())
      return
    } catch {
      await new Promise((done) => window.setTimeout(done, BETWEEN_MS))
    }
  }
  useDesk.setState({
    problem: 'The font of musical signs did not load: signs in words show as boxes. Reload the page to try again.',
  })
}
