/** Is the page of keys open? */
import { create } from 'zustand'

export const useHelp = create<{ open: boolean }>(() => ({ open: false }))
export const toggleHelp = () => useHelp.setState((s) => ({ open: !s.open }))
