/** An object of a text: names with values. */
export type Node = Record<string, unknown>

/** Whether a value read from a text is an object: neither a list nor null. */
export const isObject = (value: unknown): value is Node =>
  typeof value === 'object' && value !== null && !Array.isArray(value)

/** What is looked up by names that strangers wrote: it has its entries and nothing that other objects have. */
export const table = <T>(entries: Record<string, T> = {}): Record<string, T> =>
  Object.assign(Object.create(null) as Record<string, T>, entries)

/** The empty list that parts share, so that a large definition is not full of them. */
export const none = Object.freeze([]) as unknown as never[]

/** What an error says of itself, whatever was thrown. */
export const errorText = (error: unknown): string =>
  error instanceof Error ? error.message : String(error)

/** A text, or a number taken for one. */
export const textOf = (value: unknown): string | undefined =>
  typeof value === 'string' ? value : typeof value === 'number' ? String(value) : undefined

/** The texts in a list; whatever else it holds is passed over. */
export const namesOf = (value: unknown): string[] =>
  Array.isArray(value) ? value.filter((item): item is string => typeof item === 'string') : none

/** Whether two values of JSON say the same, in whatever order their members stand; one that is undefined is none. */
export function isSame(a: unknown, b: unknown): boolean {
  if (a === b || Object.is(a, b)) return true
  if (Array.isArray(a) && Array.isArray(b))
    return a.length === b.length && a.every((item, i) => isSame(item, b[i]))
  if (!isObject(a) || !isObject(b)) return false
  return (
    Object.keys(a).every((name) => isSame(a[name], b[name])) &&
    Object.keys(b).every((name) => Object.hasOwn(a, name) || b[name] === undefined)
  )
}

/** Leaves out what is undefined, so that equal parts are equal objects. */
export function compact<T extends object>(part: Loose<T>): T {
  let holes = false
  for (const key in part) if (part[key] === undefined) holes = true
  if (!holes) return part as T
  // Deleting would turn the object into a slow one; a copy stays quick.
  const whole: Partial<T> = {}
  for (const key in part) if (part[key] !== undefined) whole[key] = part[key]
  return whole as T
}

/** The same fields, each perhaps undefined where it is optional. */
type Loose<T> = { [K in keyof T]: T[K] | (object extends Pick<T, K> ? undefined : never) }

/** What a value is, in words: `a list`, `the text "none"`. */
export const kindOf = (value: unknown) =>
  value === null || value === undefined
    ? 'nothing'
    : Array.isArray(value)
      ? 'a list'
      : typeof value === 'object'
        ? 'an object'
        : typeof value === 'string'
          ? `the text "${value.slice(0, 40)}"`
          : `the ${typeof value} ${JSON.stringify(value)}`
