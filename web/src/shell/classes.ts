/** One string of class names, from parts that may be left out. */
export const cx = (...parts: readonly (string | false | undefined)[]) => parts.filter(Boolean).join(' ')
