import { RE2JS } from 're2js'

/** Patterns longer than this are not compiled. */
export const longestPattern = 2000

const compiled = new Map<string, RE2JS>()

/**
 * A pattern that answers in time linear in the text (RE2 syntax). Throws where it cannot be read: look-ahead and
 * back-references have no such answer.
 */
export function compilePattern(source: string): RE2JS {
  let known = compiled.get(source)
  if (!known) {
    if (source.length > longestPattern) throw new Error('is longer than 2,000 characters')
    known = RE2JS.compile(source)
    if (compiled.size > 500) compiled.clear()
    compiled.set(source, known)
  }
  return known
}

/** Whether a pattern is found in a text; undefined where the pattern has no answer in linear time. */
export function matches(text: string, source: string): boolean | undefined {
  try {
    return compilePattern(source).matcher(text).find()
  } catch {
    return undefined
  }
}
