/** Where the menus and fields of the line open: at its edge, low, the music that they are about clear of them. */
import { keepClearOf } from '../sheet/clear'

export const DOCKED = { side: 'top', align: 'start', sideOffset: 6, collisionPadding: 12, ref: keepClearOf } as const
