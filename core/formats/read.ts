import type { Contract } from '../contract/model'
import { placeProblems, readText, type SourceText, type Syntax } from '../text/read'
import type { PlacedProblem, Problem } from '../text/problem'
import { isObject } from '../text/values'
import { OpenApiReader } from './openapi/read'

/** A definition read into its contract; problems at `error` level mean it is not readable as one. */
export type Reading =
  | { readable: true; contract: Contract; syntax: Syntax; problems: Problem[] }
  | { readable: false; problems: Problem[] }

/** Reads any definition. The format is told by the content, never by the file's name. */
export function readDefinition(source: SourceText): Reading {
  const text = readText(source)
  if (!text.readable) return text
  const { value, syntax } = text
  const unknown = whyUnknown(value)
  if (unknown) return { readable: false, problems: placeProblems(source, syntax, [unknown]) }
  const reader = new OpenApiReader(value as Record<string, unknown>)
  const contract = reader.read()
  const problems = placeProblems(source, syntax, reader.problems)
  if (problems.some((problem) => problem.level === 'error')) return { readable: false, problems }
  return { readable: true, contract, syntax, problems }
}

function whyUnknown(value: unknown): PlacedProblem | undefined {
  const problem = (message: string, at = ''): PlacedProblem => ({ level: 'error', at, message })
  if (!isObject(value)) {
    return problem(
      'This is not a definition: an OpenAPI document is an object that begins with "openapi"',
    )
  }
  const version = value['openapi']
  if (version === undefined) {
    if (value['swagger'] !== undefined) {
      return problem(
        'Swagger 2.0 is not read yet; convert it to OpenAPI 3 and bring that in',
        '/swagger',
      )
    }
    return problem(
      'This is not a definition that is known here: "openapi: 3.1.0" or "openapi: 3.0.3" is missing',
    )
  }
  if (typeof version !== 'string' || !/^3\.[01]\.\d+/.test(version)) {
    return problem(
      `OpenAPI ${JSON.stringify(version)} is not read; write 3.0.x or 3.1.x as text`,
      '/openapi',
    )
  }
  return undefined
}
