/**
 * Thrown by a reader of the usual part of a language where a text leaves that part; the reader of the whole language
 * then reads the text, or says what is wrong with it.
 */
class Unusual extends Error {}

/** One for all, since nobody sees where it came from. */
export const unusual = new Unusual('not in the part of the language that is read here')

/** What a reader makes of a text; undefined where the text is too unusual for it. */
export function unlessUnusual<T>(read: () => T): T | undefined {
  try {
    return read()
  } catch (error) {
    if (error instanceof Unusual) return undefined
    throw error
  }
}
