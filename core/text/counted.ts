/** A number for people: `2,197`. */
export const figure = (n: number) => n.toLocaleString('en')

/** `1 placement`, `3 placements`. */
export const count = (n: number, one: string, many = `${one}s`) =>
  `${figure(n)} ${n === 1 ? one : many}`

/** `a, b and c`. */
export const listed = (items: readonly string[], last = 'and') =>
  items.length < 2 ? (items[0] ?? '') : `${items.slice(0, -1).join(', ')} ${last} ${items.at(-1)!}`
