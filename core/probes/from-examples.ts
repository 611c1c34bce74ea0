import type { Contract, Operation } from '../contract/model'
import { sampleValue } from '../contract/samples'
import { operationPath, writeArazzo } from './arazzo'

/** What probes made of a definition ask of it. */
type Described = Pick<Contract, 'title' | 'version' | 'operations' | 'schemas'>

const mostSteps = 30

/**
 * A probe of everything that a definition lets read without changing anything: each GET and HEAD once, with the parameters
 * that it cannot go without as the definition's own examples have them. What has no example is left out, and said.
 */
export function probeFromExamples(
  definition: Described,
  source: string,
): { text: string; left: string[] } {
  const left: string[] = []
  const steps: Record<string, unknown>[] = []
  for (const operation of definition.operations) {
    const name = `${operation.method.toUpperCase()} ${operation.path}`
    if (!['get', 'head'].includes(operation.method.toLowerCase())) continue
    const parameters = exampleParameters(operation, definition)
    if (typeof parameters === 'string') left.push(`${name}: ${parameters}`)
    else if (steps.length >= mostSteps) left.push(`${name}: a probe has ${mostSteps} steps at most`)
    else
      steps.push({
        stepId: `step-${steps.length + 1}`,
        description: operation.summary ?? name,
        operationPath: operationPath(operation),
        ...(parameters.length > 0 && { parameters }),
        successCriteria: [{ condition: '$statusCode < 400' }],
      })
  }
  const title = `${definition.title}: what can be read`
  const summary = 'Everything that can be read'
  return { text: writeArazzo({ title, source, summary, steps }), left }
}

/** The parameters that an operation cannot go without, or why one has no value. */
function exampleParameters(
  { parameters }: Operation,
  { schemas }: Described,
): { name: string; in: string; value: unknown }[] | string {
  const values = []
  for (const parameter of parameters.filter(({ required }) => required)) {
    const { name, schema, examples } = parameter
    const given = examples.find(({ value }) => value !== undefined)?.value
    const own = given ?? exampleIn(schema) ?? (schema && choiceIn(schema))
    const value: unknown = own ?? (schema && dateIn(schema, { schemas }))
    if (value === undefined) return `${name} has no example`
    values.push({ name, in: parameter.in, value })
  }
  return values
}

type Schema = NonNullable<Operation['parameters'][number]['schema']>

const membersOf = (schema: Schema | undefined) =>
  typeof schema === 'object' ? (schema as Record<string, unknown>) : {}

function exampleIn(schema: Schema | undefined): unknown {
  const { examples, example, default: fallback } = membersOf(schema)
  return (Array.isArray(examples) ? (examples[0] as unknown) : undefined) ?? example ?? fallback
}

function choiceIn(schema: Schema): unknown {
  const { enum: all, const: only } = membersOf(schema)
  return only ?? (Array.isArray(all) ? (all[0] as unknown) : undefined)
}

/** Days and truth values are as good as any other; an identifier that is made up is none. */
function dateIn(schema: Schema, contract: Pick<Contract, 'schemas'>): unknown {
  const { format, type } = membersOf(schema)
  const isPlain = format === 'date' || format === 'date-time' || type === 'boolean'
  return isPlain ? sampleValue(contract, schema) : undefined
}
