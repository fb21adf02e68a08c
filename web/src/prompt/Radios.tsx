/**
 * One of several answers, as buttons in a row or a column; with the arrow keys one goes from one to the next, as in any
 * group of radio buttons.
 */
import { RadioGroup } from 'radix-ui'
import type { ReactNode } from 'react'

interface Answer {
  readonly label: string
  readonly act: () => void
  readonly chosen: boolean
  /** What stands on it, where that is more than its label. */
  readonly shown?: ReactNode
}

interface RadiosProps {
  readonly label: string
  readonly answers: readonly Answer[]
  readonly className?: string
  readonly item: (chosen: boolean) => string
}

export function Radios({ label, answers, className = '', item }: RadiosProps) {
  const now = answers.findIndex((a) => a.chosen)
  return (
    <RadioGroup.Root
      value={String(now)}
      onValueChange={(i) => answers[Number(i)]?.act()}
      aria-label={label}
      className={className}
      loop>
      {answers.map((a, i) => (
        <RadioGroup.Item
          key={a.label}
          value={String(i)}
          className={item(a.chosen)}
          onClick={() => {
            if (a.chosen) a.act()
          }}>
          {a.shown ?? a.label}
        </RadioGroup.Item>
      ))}
    </RadioGroup.Root>
  )
}
