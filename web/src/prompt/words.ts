/** How many of something, as the server says it: "1 note", "23,824 notes". */
export const counted = (count: number, what: string) => `${count.toLocaleString('en')} ${what}${count === 1 ? '' : 's'}`
