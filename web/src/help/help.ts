/** Is the page of keys open? */
import { create } from 'zustand'
import { useLearned } from '../input/learned'

export const useHelp = create<{ open: boolean }>(() => ({ open: false }))
export const toggleHelp = () => {
  useLearned.getState().learn(null) // what was being learned ends with the page
  useHelp.setState((s) => ({ open: !s.open }))
}
