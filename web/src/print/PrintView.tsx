/**
 * Print: the real pages side by side, with page and staff size proposed from the music; what prints is what is seen.
 * The PDF is made by the server; the browser's own print gives the same pages.
 */
import { memo, useEffect, useLayoutEffect, useRef, useState } from 'react'
import { Dialog } from 'radix-ui'
import { rest, type PrintHow } from '../session/rest'
import type { Pages } from '../session/wire'
import { Phrase, Tail } from '../prompt/Phrase'
import { drawingOf } from '../sheet/engraving'
import { Progress } from '../shell/Progress'
import { useDeskParts } from '../session/store'
import { Findings } from './Findings'
import { closePrint, usePrint } from './opened'
import { begin, save, useSaving } from './saving'

const STAVES = [8, 7.5, 7, 6.5, 6, 5.5, 5, 4.5, 4, 3.5]

export const PrintView = memo(function PrintView() {
  const open = usePrint((s) => s.open)
  return (
    <Dialog.Root
      open={open}
      onOpenChange={(on) => {
        if (!on) closePrint()
      }}>
      <Dialog.Portal>
        <Dialog.Content
          aria-label="Print"
          className="print-view fixed inset-0 z-30 flex flex-col bg-desk"
          aria-describedby={undefined}>
          <Dialog.Title className="sr-only">Print</Dialog.Title>
          {open && <Preview />}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  )
})

function Preview() {
  const { pieceId, state } = useDeskParts('pieceId', 'state')
  const [how, setHow] = useState<PrintHow>({ size: 'a4', staffMm: null, part: '', pages: null, turnAtRests: false })
  const [pages, setPages] = useState<Pages | null>(null)
  const [problem, setProblem] = useState('')
  const [working, setWorking] = useState<{ share: number; stop: () => void } | null>(null)
  const saving = useSaving((s) => s.now)
  const revision = state?.revision
  useEffect(() => {
    let stale = false
    const work = begin(
      (name) => rest.pages(pieceId, how, name),
      (share) => {
        if (!stale) setWorking({ share, stop: work.stop })
      },
    )
    setWorking({ share: 0, stop: work.stop })
    work.done
      .then((found) => {
        if (!stale) {
          setPages(found)
          setProblem('')
        }
      })
      .catch((error: Error) => {
        if (!stale) setProblem(error.message)
      })
      .finally(() => {
        if (!stale) setWorking(null)
      })
    return () => {
      stale = true
      work.stop()
    }
  }, [pieceId, how, revision])

  const parts = state?.parts ?? []
  const count = pages?.pages.length ?? 0
  const part = parts.find((p) => p.id === how.part)
  const file = (kind: 'pdf' | 'zip') => () =>
    void save(
      `${kind === 'pdf' ? 'PDF' : 'Pages as SVG'} of ${pagesOf(count)}`,
      rest.printAddress(pieceId, kind, how),
      `${state?.facts.title || 'piece'}${part ? ` - ${part.name}` : ''}.${kind}`,
    ).then(setProblem)
  return (
    <>
      <div
        className="on-desk no-print border-b border-rule bg-bar px-5 py-3 font-serif text-[1.34rem] leading-[1.95rem]"
        data-testid="print-line">
        Print{' '}
        <Tail>
          <Phrase
            name="what is printed"
            options={[
              { label: 'the whole score', chosen: !how.part, act: () => setHow({ ...how, part: '' }) },
              ...parts.map((p) => ({
                label: `the part of ${p.name}`,
                chosen: how.part === p.id,
                act: () => setHow({ ...how, part: p.id }),
              })),
            ]}
            strong>
            {part ? `the part of ${part.name}` : 'the whole score'}
          </Phrase>
        </Tail>{' '}
        on{' '}
        <Tail>
          <Phrase
            name="page size"
            options={(
              [
                ['a4', 'A4'],
                ['letter', 'US letter'],
              ] as const
            ).map(([size, label]) => ({ label, chosen: size === how.size, act: () => setHow({ ...how, size }) }))}>
            {how.size === 'a4' ? 'A4' : 'US letter'}
          </Phrase>
        </Tail>{' '}
        staves{' '}
        <Phrase
          name="staff size"
          options={[
            {
              label: 'as proposed from the music',
              chosen: how.staffMm === null,
              act: () => setHow({ ...how, staffMm: null }),
            },
            ...STAVES.map((mm) => ({
              label: `${mm} mm high`,
              chosen: how.staffMm === mm,
              act: () => setHow({ ...how, staffMm: mm }),
            })),
          ]}>
          {pages ? `${pages.staff_mm} mm high` : '...'}
        </Phrase>
        {how.pages !== null ? ' so that it fits on ' : how.staffMm === null ? ' as the music proposes, on ' : ', on '}
        <span data-testid="page-count">
          <Phrase
            name="how many pages"
            options={[
              {
                label: 'as many pages as it takes',
                chosen: how.pages === null,
                act: () => setHow({ ...how, pages: null }),
              },
              ...fewer(Math.max(count, how.pages ?? 0)).map((n) => ({
                label: `at most ${pagesOf(n)}`,
                chosen: how.pages === n,
                act: () => setHow({ ...how, pages: n }),
              })),
            ]}>
            {pagesOf(count)}
          </Phrase>
        </span>
        , turning{' '}
        <Tail end=".">
          <Phrase
            name="where pages turn"
            options={[
              {
                label: 'where pages are full, at a rest if one is near',
                chosen: !how.turnAtRests,
                act: () => setHow({ ...how, turnAtRests: false }),
              },
              {
                label: 'at rests, even where a page stays half empty',
                chosen: how.turnAtRests,
                act: () => setHow({ ...how, turnAtRests: true }),
              },
            ]}>
            {how.turnAtRests ? 'at rests' : 'where pages are full'}
          </Phrase>
        </Tail>{' '}
        <button type="button" className="phrase" data-phrase="PDF" onClick={file('pdf')}>
          Save as PDF
        </button>
        ,{' '}
        <button type="button" className="phrase" data-phrase="SVG" onClick={file('zip')}>
          as SVG
        </button>
        ,{' '}
        <button type="button" className="phrase" data-phrase="printer" onClick={() => window.print()}>
          to the printer
        </button>
        ;{' '}
        <button type="button" className="phrase" data-phrase="back" onClick={closePrint}>
          back to the desk
        </button>{' '}
        (Esc). {pages && !working && <Findings how={how} />}
        {(working || saving) && (
          <div className="mt-1 font-sans text-base leading-normal">
            {saving ? (
              <Progress words={`${saving.words} is being made`} share={saving.share} onStop={saving.stop} />
            ) : (
              working && <Progress words="The pages are being laid out" share={working.share} onStop={working.stop} />
            )}
          </div>
        )}
        {pages?.undrawn && (
          <p role="status" className="mt-1 w-fit rounded-[3px] bg-wash px-2 font-sans text-base">
            No font here has {namedLetters(pages.undrawn)}: in the PDF “?” stands for each. A font of this computer that
            has them is used as soon as it is there.
          </p>
        )}
        {problem && (
          <p
            role="alert"
            className="mt-1 w-fit rounded-[3px] bg-wash px-2 font-sans text-base"
            data-testid="print-problem">
            {problem}
          </p>
        )}
      </div>
      <div
        className="pages flex min-h-0 flex-1 flex-wrap content-start justify-center gap-5 overflow-y-auto p-5"
        tabIndex={0}
        role="region"
        aria-label="Pages">
        {pages?.pages.map((svg, k) => (
          <PageDrawing key={k} svg={svg} label={`Page ${k + 1} of ${count}`} />
        ))}
      </div>
    </>
  )
}

const pagesOf = (count: number) => `${count} ${count === 1 ? 'page' : 'pages'}`

/** Counts of pages to choose from: one and up to four fewer than there are. */
const fewer = (count: number) =>
  [...new Set([1, ...Array.from({ length: 5 }, (_, k) => count - k)])].filter((n) => n > 0).sort((a, b) => a - b)

/** Letters that cannot be shown, by their code points too: "the letter 夕 (U+5915)". */
function namedLetters(letters: string): string {
  const all = [...letters]
  const named = all.slice(0, 6).map((c) => `${c} (U+${c.codePointAt(0)!.toString(16).toUpperCase().padStart(4, '0')})`)
  const more = all.length > named.length ? ` and ${all.length - named.length} more` : ''
  return `${all.length === 1 ? 'the letter' : 'the letters'} ${named.join(', ')}${more}`
}

function PageDrawing({ svg, label }: { svg: string; label: string }) {
  const holder = useRef<HTMLDivElement>(null)
  useLayoutEffect(() => {
    holder.current?.replaceChildren(drawingOf(svg))
  }, [svg])
  return (
    <div
      ref={holder}
      role="img"
      aria-label={label}
      className="page system bg-white text-black shadow-[0_2px_12px_rgb(31_42_58/0.2)]"
    />
  )
}
