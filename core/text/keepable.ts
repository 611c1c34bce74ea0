import { isObject } from './values'

/** What no database keeps as text: NUL, and a half of a character that stands alone. */
const unkeepable = /\0|\p{Surrogate}/gu

/** How such characters are written in JSON, YAML and references, so that most texts need not be gone through. */
const written = /\\(?:0|x00|u0000|u[dD][89a-fA-F]|U000)|%00/

/** Whether what is read from a text may hold characters that no database keeps. */
export const mayBeUnkeepable = (text: string): boolean => written.test(text)

/** A value with the replacement character (U+FFFD) in place of what no database keeps, in names and in texts. */
export function keepable<T>(value: T): T {
  return replaced(value) as T
}

function replaced(value: unknown): unknown {
  if (typeof value === 'string') return value.replace(unkeepable, '\ufffd')
  if (Array.isArray(value)) return value.map(replaced)
  if (!isObject(value)) return value
  return Object.fromEntries(
    Object.entries(value).map(([key, member]) => [replaced(key), replaced(member)]),
  )
}
