/**
 * The store of the open piece, and its selectors. What changes it: `reducer.ts` (messages) and `actions.ts` (the
 * person).
 */
import { create } from 'zustand'
import { useShallow } from 'zustand/react/shallow'
import { fresh, type DeskState } from './state'

export const useDesk = create<DeskState>(() => fresh(''))

/** Some fields of the state: the component is drawn again only when one of these changes. */
export const useDeskParts = <K extends keyof DeskState>(...names: readonly K[]): Pick<DeskState, K> =>
  useDesk(useShallow((s) => Object.fromEntries(names.map((name) => [name, s[name]])) as Pick<DeskState, K>))
