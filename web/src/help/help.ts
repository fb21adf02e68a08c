/** Is the page of keys open? */
import { create } from 'zustand'
import { onLeave } from '../session/events'
import { useLearned } from '../input/learned'

export const useHelp = create<{ open: boolean }>(() => ({ open: false }))
export const showHelp = (open: boolean) => {
  useLearned.getState().learn(null) // what was being learned ends with the page
  useHelp.setState({ open })
}
export const toggleHelp = () => showHelp(!useHelp.getState().open)
onLeave(() => showHelp(false))
