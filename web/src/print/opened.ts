/** Whether the print view stands over the desk. */
import { create } from 'zustand'
import { onLeave } from '../session/events'

export const usePrint = create<{ open: boolean }>(() => ({ open: false }))
export const openPrint = () => usePrint.setState({ open: true })
export const closePrint = () => usePrint.setState({ open: false })
onLeave(closePrint)
