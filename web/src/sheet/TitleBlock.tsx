/** Title, subtitle, composer and who else is named, each a word on the page that can be changed by clicking it. */
import { memo, useState } from 'react'
import { changeHead } from '../session/actions'
import { useDesk } from '../session/store'
import { cx } from '../shell/classes'

type Field = 'title' | 'subtitle' | 'composer' | 'arranger' | 'lyricist' | 'rights' | 'number'

const NAMES: Record<Field, string> = {
  title: 'title',
  subtitle: 'subtitle',
  composer: 'composer',
  arranger: 'arranger',
  lyricist: 'lyricist',
  rights: 'copyright line',
  number: 'number',
}

function Words({ field, className, empty }: { field: Field; className: string; empty: string }) {
  const facts = useDesk((s) => s.state?.facts)
  const [draft, setDraft] = useState<string | null>(null)
  if (!facts) return null
  const text = facts[field]
  const keep = (value: string) => {
    setDraft(null)
    if (value !== text) changeHead({ [field]: value })
  }
  if (draft !== null)
    return (
      <input
        autoFocus
        aria-label={NAMES[field]}
        value={draft}
        onChange={(e) => setDraft(e.target.value)}
        onBlur={() => keep(draft)}
        onKeyDown={(e) => {
          if (e.key === 'Enter') keep(draft)
          if (e.key === 'Escape') setDraft(null)
        }}
        className={`${className} w-full bg-wash/50 text-center`}
      />
    )
  return (
    <button
      type="button"
      onClick={(e) => {
        e.stopPropagation()
        setDraft(text)
      }}
      title={`Change the ${NAMES[field]}`}
      className={cx(
        'min-h-6 min-w-6',
        className,
        text ? '' : 'text-faint/0 hover:text-faint focus-visible:text-faint',
      )}>
      {text || empty}
    </button>
  )
}

export const TitleBlock = memo(function TitleBlock() {
  return (
    <header className="mb-1 flex flex-col items-center font-serif">
      <h1>
        <Words field="title" className="text-[26px] leading-8" empty="Add a title" />
      </h1>
      <Words field="subtitle" className="text-[15px] leading-6 text-faint italic" empty="Add a subtitle" />
      <div className="pointer-events-none -mt-3 flex w-full items-start justify-between max-lg:mt-0">
        <span className="pointer-events-auto flex flex-col items-start">
          <Words field="number" className="text-[13px] text-faint" empty="Add a number" />
          <Words field="lyricist" className="text-[13px] text-faint" empty="Add a lyricist" />
        </span>
        <span className="pointer-events-auto flex flex-col items-end">
          <Words field="composer" className="text-[13px] text-faint" empty="Add a composer" />
          <Words field="arranger" className="text-[13px] text-faint" empty="Add an arranger" />
        </span>
      </div>
    </header>
  )
})

/** The copyright line, at the foot of the first page. */
export const Rights = memo(function Rights() {
  return (
    <footer className="leaf-rights flex justify-center font-serif">
      <Words field="rights" className="text-[12px] text-faint" empty="Add a copyright line" />
    </footer>
  )
})
