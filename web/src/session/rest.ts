/** Documents over HTTP. Every failure is an Error whose message is fit to be shown. */
import type {
  Arrived,
  DelayClicks,
  DelayFound,
  Drum,
  HeadWords,
  Instrument,
  NewPiece,
  Finding,
  Pages,
  Pattern,
  PieceRow,
  ReadyPattern,
  Shape,
  Playback,
  Programme,
  Sounding,
  Stage,
  Strip,
  Suggestion,
  TakeSounds,
} from './wire'

const LOST = 'Ductus does not answer. Is it still running? Everything written so far is kept.'

/** The server's answer, if it is a good one. */
async function answer(address: string, init?: RequestInit): Promise<Response> {
  let response: Response
  try {
    response = await fetch(address, init)
  } catch {
    throw new Error(LOST)
  }
  if (!response.ok) {
    const problem = (await response.json().catch(() => null)) as { message?: string } | null
    throw new Error(problem?.message ?? LOST)
  }
  return response
}

async function ask<T>(path: string, init?: RequestInit): Promise<T> {
  const response = await answer(`/api${path}`, init)
  return (response.status === 204 ? undefined : await response.json()) as T
}

const json = (method: string, body: unknown): RequestInit => ({
  method,
  headers: { 'Content-Type': 'application/json' },
  body: JSON.stringify(body),
})

/** How a piece is printed; the staff height is proposed from the music where none is given. */
export interface PrintHow {
  readonly size: 'a4' | 'letter'
  readonly staffMm: number | null
  readonly part: string
  /** At most so many pages; null: as many as it takes. */
  readonly pages: number | null
  readonly turnAtRests: boolean
}
const printQuery = ({ size, staffMm, part, pages, turnAtRests }: PrintHow) =>
  new URLSearchParams({
    size,
    part,
    ...(staffMm === null ? {} : { staff_mm: String(staffMm) }),
    ...(pages === null ? {} : { pages: String(pages) }),
    turn_at_rests: String(turnAtRests),
  }).toString()

/** What is to be heard, and how; null: as it usually is. */
export type ListeningTo = {
  readonly [
    K in
      | 'from_tick'
      | 'to_tick'
      | 'percent'
      | 'qpm'
      | 'repeats'
      | 'as_played'
      | 'feel'
      | 'cut'
      | 'first_bar'
      | 'last_bar'
      | 'stretch'
  ]?: number | boolean | null
}

export const rest = {
  shelf: () => ask<PieceRow[]>('/pieces'),
  create: (piece: Partial<NewPiece>) => ask<{ id: string }>('/pieces', json('POST', piece)),
  remove: (id: string) => ask<void>(`/pieces/${id}`, { method: 'DELETE' }),
  restore: (id: string) => ask<void>(`/pieces/${id}/restore`, { method: 'POST' }),
  import: (file: File) => {
    const body = new FormData()
    body.append('file', file)
    return ask<Arrived>('/import', { method: 'POST', body })
  },
  renameTo: (id: string, base: number, facts: HeadWords & { cautions?: string }) =>
    ask<unknown>(`/pieces/${id}/facts`, json('PATCH', { base, ...facts })),
  playback: (id: string, how: ListeningTo) =>
    ask<Playback>(
      `/pieces/${id}/playback?${new URLSearchParams(
        Object.entries(how)
          .filter(([, v]) => v !== null)
          .map(([k, v]) => [k, String(v)]),
      )}`,
    ),
  company: (id: string, tick: number, part: string, staff: number) =>
    ask<Sounding[]>(`/pieces/${id}/company?tick=${tick}&part=${encodeURIComponent(part)}&staff=${staff}`),
  heard: (id: string, fromUs: number, toUs: number) =>
    ask<Sounding[]>(`/pieces/${id}/heard?from_us=${fromUs}&to_us=${toUs}`),
  takePlayback: (id: string, take: number) => ask<TakeSounds>(`/pieces/${id}/takes/${take}/playback`),
  why: (id: string, reading: string, note: string) =>
    ask<Stage[]>(`/pieces/${id}/readings/${reading}/notes/${note}/why`),
  strip: (id: string, reading: string) => ask<Strip>(`/pieces/${id}/readings/${reading}/strip`),
  delayClicks: () => ask<DelayClicks>('/delay-test'),
  delayTest: (clicks_us: number[], strokes_us: number[]) =>
    ask<DelayFound>('/delay-test', json('POST', { clicks_us, strokes_us })),
  openings: (id: string, reading: string, question: string) =>
    ask<string[]>(`/pieces/${id}/readings/${reading}/openings?question=${encodeURIComponent(question)}`),
  explain: (text: string, kind: string) => ask<void>('/words', json('PUT', { text, kind })),
  marks: (text: string) => ask<Suggestion[]>(`/marks?text=${encodeURIComponent(text)}`),
  shape: (id: string, part: string, first: number, last: number) =>
    ask<Shape>(`/pieces/${id}/shape?${new URLSearchParams({ part, first: String(first), last: String(last) })}`),
  drums: () => ask<Drum[]>('/drums'),
  patterns: (id: string) => ask<Pattern[]>(`/pieces/${id}/patterns`),
  readyPatterns: (id: string, bar: number, pitched = false) =>
    ask<ReadyPattern[]>(`/pieces/${id}/ready-patterns?bar=${bar}&pitched=${pitched}`),
  instruments: () => ask<Instrument[]>('/instruments'),
  programmes: () => ask<Programme[]>('/programmes'),
  programme: (name: string, at?: { qpm: number; leadUs: number }) =>
    ask<{ events: [number, 'down' | 'up' | 'control', number, number][] }>(
      `/programmes/${name}${at ? `?qpm=${at.qpm}&lead_us=${at.leadUs}` : ''}`,
    ),
  leftOut: (id: string) => ask<string[]>(`/pieces/${id}/left-out`),
  audioAddress: (id: string, kind: 'wav' | 'flac' | 'ogg' | 'mp3', how: { [name: string]: number | boolean }) =>
    `/api/pieces/${id}/export.${kind}?${new URLSearchParams(Object.entries(how).map(([k, v]) => [k, String(v)]))}`,
  exportAddress: (id: string, kind: 'musicxml' | 'mxl' | 'mid' | 'ductus') => `/api/pieces/${id}/export.${kind}`,
  copy: (id: string) => ask<{ id: string }>(`/pieces/${id}/copy`, { method: 'POST' }),
  tag: (id: string, tags: readonly string[]) => ask<{ tags: string[] }>(`/pieces/${id}/tags`, json('PUT', { tags })),
  pages: (id: string, how: PrintHow, work: string) => ask<Pages>(`/pieces/${id}/pages?${printQuery(how)}&work=${work}`),
  proofread: (id: string, how: PrintHow, work: string) =>
    ask<Finding[]>(`/pieces/${id}/proofread?${printQuery(how)}&work=${work}`),
  file: async (address: string) => (await answer(address)).blob(),
  work: (name: string) => ask<{ share: number | null }>(`/works/${name}`),
  stopWork: (name: string) => ask<void>(`/works/${name}`, { method: 'DELETE' }),
  printAddress: (id: string, kind: 'pdf' | 'zip', how: PrintHow) =>
    `/api/pieces/${id}/export.${kind}?${printQuery(how)}`,
}
