/** A number for people: `2,197`. */
export const figure = (n: number) => n.toLocaleString('en')

/** `1 placement`, `3 placements`. */
export const count = (n: number, one: string, many = `${one}s`) =>
  `${figure(n)} ${n === 1 ? one : many}`
