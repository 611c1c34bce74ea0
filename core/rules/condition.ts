import { Environment } from '@marcbachmann/cel-js'
import pluralize from 'pluralize'
import { RE2JS } from 're2js'
import semver from 'semver'

/** A CEL expression (Common Expression Language) that answers yes or no for the variables it is given. */
export type Condition = (variables: Record<string, unknown>) => boolean

/** A condition that cannot be read or does not answer yes or no. */
export class ConditionError extends Error {}

const patterns = new Map<string, RE2JS>()

/** Finds a pattern anywhere in a text, in time linear in the text. */
function linearMatches(text: string, pattern: string): boolean {
  let compiled = patterns.get(pattern)
  if (!compiled) {
    if (patterns.size > 500) patterns.clear()
    patterns.set(pattern, (compiled = RE2JS.compile(pattern)))
  }
  return compiled.matcher(text).find()
}

const words = (text: string) =>
  text.match(/[A-Z]+(?![a-z])|[A-Z]?[a-z]+|\d+/g)?.map((word) => word.toLowerCase()) ?? []

/** The last word is what must be plural: `meter-points`, `reading_sets`. */
const isPlural = (text: string) => {
  const last = words(text).at(-1) ?? ''
  return last !== '' && (pluralize.isPlural(last) || /^\d+$/.test(last))
}

const environment = new Environment({
  unlistedVariablesAreDyn: true,
  limits: { maxAstNodes: 2000, maxDepth: 60 },
})
  .registerFunction('string.linearMatches(string): bool', linearMatches)
  .registerFunction('isPlural(string): bool', isPlural)
  .registerFunction('words(string): list<string>', words)
  .registerFunction('isSemver(string): bool', (text: string) => semver.valid(text) !== null)

/** The library's own `matches` backtracks, so the word is routed to ours wherever it is called outside a string. */
const routeMatches = (expression: string) =>
  expression.replace(
    /r"[^"]*"|r'[^']*'|"(?:\\.|[^"\\])*"|'(?:\\.|[^'\\])*'|\bmatches(?=\s*\()/g,
    (token) => (token === 'matches' ? 'linearMatches' : token),
  )

/** Compiles a CEL expression. Throws {@link ConditionError} with the library's words where it cannot be read. */
export function compileCondition(expression: string): Condition {
  let evaluate
  try {
    evaluate = environment.parse(routeMatches(expression))
  } catch (error) {
    throw new ConditionError((error as Error).message)
  }
  return (variables) => {
    let answer: unknown
    try {
      answer = evaluate(variables)
    } catch (error) {
      throw new ConditionError((error as Error).message)
    }
    if (typeof answer !== 'boolean')
      throw new ConditionError('The condition does not answer yes or no')
    return answer
  }
}
