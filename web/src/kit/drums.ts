/** The drums of a kit, as the server names them; and what the keys of the pen's part mean. */
import { create } from 'zustand'
import { rest } from '../session/rest'
import type { Drum } from '../session/wire'
import { useDesk } from '../session/store'

export const useDrums = create<{ list: readonly Drum[] }>(() => ({ list: [] }))
let asked = false

/** Fetch the table once. */
export function loadDrums(): void {
  if (asked) return
  asked = true
  rest.drums().then(
    (list) => useDrums.setState({ list }),
    () => {
      asked = false
    },
  )
}

export const drumOf = (list: readonly Drum[], key: number): Drum | undefined => list.find((d) => d.key === key)

/** On a kit: the name of the drum that each key means ("" for none); null on other parts. */
export function useDrumNames(): readonly string[] | null {
  const drums = useDesk((s) => s.pen?.drums ?? null)
  const list = useDrums((s) => s.list)
  if (drums) loadDrums()
  return drums && drums.map((drum) => drumOf(list, drum)?.label ?? '')
}
