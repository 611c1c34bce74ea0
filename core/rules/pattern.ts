import type { RE2JS } from 're2js'
import { compilePattern, longestPattern } from '../text/pattern'
import { ConditionError, spend, type Meter } from './meter'
import { errorText } from '../text/values'

interface Pattern {
  compiled: RE2JS
  /** Short texts come again and again: names of fields, methods, media types. */
  known: Map<string, boolean>
}

const patterns = new Map<string, Pattern>()

function patternOf(source: string): Pattern {
  const known = patterns.get(source)
  if (known) return known
  if (source.length > longestPattern)
    throw new ConditionError('The pattern is longer than 2,000 characters')
  let compiled: RE2JS
  try {
    compiled = compilePattern(source)
  } catch (error) {
    throw new ConditionError(`The pattern "${source}" cannot be read: ${errorText(error)}`)
  }
  if (patterns.size > 500) patterns.clear()
  const pattern = { compiled, known: new Map<string, boolean>() }
  patterns.set(source, pattern)
  return pattern
}

/** Finds a pattern (RE2 syntax) anywhere in a text, in time linear in the text. */
export function findsPattern(text: string, source: string, meter: Meter): boolean {
  const { compiled, known } = patternOf(source)
  if (text.length > 200) {
    spend(meter, text.length * 2)
    return compiled.matcher(text).find()
  }
  let found = known.get(text)
  if (found === undefined) {
    spend(meter, 10 + text.length)
    found = compiled.matcher(text).find()
    if (known.size > 20_000) known.clear()
    known.set(text, found)
  }
  return found
}

/** Checks that a pattern can be read. Throws {@link ConditionError}. */
export const checkPattern = (source: string): void => void patternOf(source)
