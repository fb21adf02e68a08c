/** The take that is looked at: its doubts one by one, and how it is read. */
import type { Doubt, Question, Reading, ReadingChoice } from '../session/wire'
import { decideDifference, stepDifference } from '../proof/proof'
import { choose, give, say, send } from '../session/actions'
import { useDesk } from '../session/store'

const openReadingOf = (s: { readings: readonly Reading[]; openReading: string }) =>
  s.readings.find((r) => r.id === s.openReading)
export const useOpenReading = () => useDesk(openReadingOf)

/**
 * Look at a take: the line tells how it was read, the strip shows it. The pen is lifted, so that no key writes unseen.
 */
export function openRead(id?: string): void {
  const { readings, openReading, pen } = useDesk.getState()
  const reading = readings.find((r) => r.id === (id ?? openReading)) ?? readings[0]
  if (!reading && !useDesk.getState().readingsTold) {
    // how the takes were read is still on its way
    const unheard = useDesk.subscribe((s) => {
      if (!s.readingsTold) return
      unheard()
      openRead(id)
    })
    return
  }
  if (!reading) return say('No take is on the page: record one, or bring in a MIDI file')
  if (pen?.down) give({ name: 'pen', down: false })
  if (useDesk.getState().selection.size) choose([])
  useDesk.setState({ panel: 'read', openReading: reading.id, doubt: reading.doubts[0]?.key ?? null })
}

export const toggleRead = () => (useDesk.getState().panel === 'read' ? useDesk.setState({ panel: 'step' }) : openRead())

/** Read otherwise: the whole open take, or only the selected notes (of whatever take). */
export function setReading(choice: ReadingChoice, ids: readonly string[] = []): void {
  send({ type: 'read', reading: ids.length ? '' : useDesk.getState().openReading, do: choice, ids: [...ids] })
}

function inHand(): { reading: Reading; doubt: Doubt; index: number } | null {
  const s = useDesk.getState()
  const reading = openReadingOf(s)
  const index = reading?.doubts.findIndex((d) => d.key === s.doubt) ?? -1
  const doubt = reading?.doubts[index]
  if (reading && doubt) return { reading, doubt, index }
  say(reading ? 'No doubt is left in this take' : 'No take is open')
  return null
}

/** The question of the lead-through that is asked now, of the open take. */
const askedNow = (): Question | undefined => openReadingOf(useDesk.getState())?.questions[0]

/** Take an answer, or (`settled`) go on to the next question. */
export function answerWith(question: Question, index: number): void {
  const choice = question.answers[index]?.do
  if (choice && index !== question.chosen) setReading(choice)
}
export const settleQuestion = (question: Question) => setReading({ name: 'answer', question: question.name })

export const optionWords = (doubt: Doubt) =>
  doubt.chosen === null ? 'as you wrote it' : doubt.options[doubt.chosen]![0]

function describe(doubt: Doubt): string {
  return `${doubt.place}: ${optionWords(doubt)}; or ${doubt.options
    .filter((_, i) => i !== doubt.chosen)
    .map(([words]) => words)
    .join('; or ')}`
}

/** One key goes to the next doubt (or the one before); a question of the lead-through is passed over by it. */
export function stepDoubt(by: number): void {
  if (useDesk.getState().panel === 'proof') return stepDifference(by)
  if (useDesk.getState().panel !== 'read') openRead()
  const asked = askedNow()
  if (asked && by > 0) return settleQuestion(asked)
  const found = inHand()
  if (!found) return
  const { doubts } = found.reading
  const next = doubts[(found.index + by + doubts.length) % doubts.length]!
  useDesk.setState({ doubt: next.key })
  say(`Doubt ${doubts.indexOf(next) + 1} of ${doubts.length}, ${describe(next)}`)
}

export function chooseOption(reading: string, key: number, option: number): void {
  useDesk.setState({ doubt: key })
  send({ type: 'doubt', reading, key, do: 'choose', option })
}

/** One key swaps to the next rival, or to the next answer. */
export function swapDoubt(): void {
  if (useDesk.getState().panel === 'proof') return decideDifference('take')
  const asked = useDesk.getState().panel === 'read' ? askedNow() : undefined
  if (asked) return answerWith(asked, (asked.chosen + 1) % asked.answers.length)
  const found = inHand()
  if (found)
    chooseOption(found.reading.id, found.doubt.key, ((found.doubt.chosen ?? -1) + 1) % found.doubt.options.length)
}

/** One key accepts, and the next question or doubt is in hand. */
export function acceptDoubt(): void {
  if (useDesk.getState().panel === 'proof') return decideDifference('leave')
  const asked = useDesk.getState().panel === 'read' ? askedNow() : undefined
  if (asked) return settleQuestion(asked)
  const found = inHand()
  if (found) send({ type: 'doubt', reading: found.reading.id, key: found.doubt.key, do: 'settle' })
}

export const acceptAll = (reading: string) => send({ type: 'doubt', reading, do: 'settle all' })

/** Put a kept take on the page at the bar of the pen. */
/** Further takes of the same bars are read together with the one of a reading. */
export const readTogether = (reading: string, takes: readonly number[]) =>
  send({ type: 'takes-together', reading, takes: [...takes] })

export function writeTake(take: number): void {
  const { pen } = useDesk.getState()
  if (pen) send({ type: 'take-write', take, part: pen.part, bar: pen.bar })
}
