/**
 * Menus, ladders and pages that lie over the desk: while one is open, Esc belongs to it; and for a moment after it has
 * closed.
 */
const OPEN = '[data-radix-popper-content-wrapper], [role=dialog][data-state=open], [role=menu][data-state=open]'
const MOMENT_MS = 700
let lastOpen = -Infinity

export const layerOpen = () => document.querySelector(OPEN) !== null
export const justClosed = (now: number) => now - lastOpen < MOMENT_MS

/** Something else was done since a layer closed: the next Esc is not for it any more. */
export const forgetLayers = () => {
  lastOpen = -Infinity
}

/** Remember when a layer was last seen open; call it before an event does anything. */
export function noteLayers(now: number): void {
  if (layerOpen()) lastOpen = now
}
