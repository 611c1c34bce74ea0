import type { Diagnostic } from '../text/diagnostic'
import { compilePattern } from '../text/pattern'
import { segmentsOf } from '../text/pointer'
import { locate, readText, type SourceText } from '../text/read'
import { isObject } from '../text/values'
import { isExpression, readCondition, valueOf, type Condition } from './expressions'

/** A sequence of requests with checks, as an Arazzo description says it. */
export interface Probe {
  title: string
  /** What has to be known before it begins, but for the credential. */
  inputs: string[]
  steps: ProbeStep[]
}

export interface ProbeStep {
  id: string
  operation: { method: string; path: string }
  parameters: { name: string; in: Place; value: unknown }[]
  body?: { mediaType: string; payload: unknown }
  checks: ProbeCheck[]
  /** Expressions by the name of what they give. */
  outputs: Record<string, string>
}

export interface ProbeCheck {
  /** As it is written. */
  says: string
  holds: Condition
}

const places = ['path', 'query', 'header', 'cookie'] as const
type Place = (typeof places)[number]

/** What a probe may refer to: the operations of a definition. */
export interface ProbeOperation {
  method: string
  path: string
  id?: string | undefined
}

const mostSteps = 50
/** The input that the key of whoever sends a probe is given as. */
export const credentialInput = 'credential'

type Values = Record<string, unknown>
interface Fault {
  at: string
  message: string
}

/**
 * Reads an Arazzo description (1.0) of one or more workflows, which are sent one after the other. What of it is not carried
 * out (steps that call workflows, ways on after a step, conditions in JSONPath and XPath) is refused with its line.
 *
 * @param operations those of the definition; a step that names another is refused.
 */
export function readProbe(
  source: SourceText,
  operations: readonly ProbeOperation[],
): { probe: Probe | undefined; diagnostics: Diagnostic[] } {
  const reading = readText(source)
  if (!reading.readable) return { probe: undefined, diagnostics: reading.diagnostics }
  const told = (faults: readonly Fault[], syntax: 'yaml' | 'json') => {
    const at = locate(
      source.text,
      syntax,
      faults.map((fault) => fault.at),
    )
    return faults.map((fault): Diagnostic => {
      const { line, column } = at.get(fault.at) ?? { line: 1, column: 1 }
      return { severity: 'error', message: fault.message, file: source.file, line, column }
    })
  }
  if (reading.syntax === 'xml')
    return {
      probe: undefined,
      diagnostics: [
        {
          severity: 'error',
          message: 'A probe is YAML or JSON',
          file: source.file,
          line: 1,
          column: 1,
        },
      ],
    }
  const reader = new Reader(operations)
  const probe = reader.read(reading.value)
  return reader.faults.length > 0
    ? { probe: undefined, diagnostics: told(reader.faults, reading.syntax) }
    : { probe, diagnostics: reading.diagnostics }
}

class Reader {
  readonly faults: Fault[] = []
  private readonly ids = new Set<string>()
  private readonly inputs = new Set<string>()

  constructor(private readonly operations: readonly ProbeOperation[]) {}

  private refuse(at: string, message: string): void {
    this.faults.push({ at, message })
  }

  private list(value: unknown, at: string): Values[] {
    if (value === undefined) return []
    if (Array.isArray(value) && value.every((item) => isObject(item))) return value
    this.refuse(at, 'This is a list of objects')
    return []
  }

  private text(value: unknown, at: string, what: string): string {
    if (typeof value === 'string' && value !== '') return value
    this.refuse(at, `${what} is missing`)
    return ''
  }

  read(value: unknown): Probe {
    const root = isObject(value) ? value : {}
    if (typeof root['arazzo'] !== 'string' || !/^1\.0\.\d+/.test(root['arazzo']))
      this.refuse('', 'A probe is an Arazzo description: it begins with arazzo: 1.0.1')
    const info = isObject(root['info']) ? root['info'] : {}
    const workflows = this.list(root['workflows'], '/workflows')
    if (workflows.length === 0) this.refuse('', 'It has no workflow')
    const steps = workflows.flatMap((workflow, n) => this.workflow(workflow, `/workflows/${n}`))
    if (steps.length > mostSteps) this.refuse('/workflows', `It has more than ${mostSteps} steps`)
    const title = typeof info['title'] === 'string' ? info['title'] : ''
    return { title, inputs: [...this.inputs], steps }
  }

  private workflow(workflow: Values, at: string): ProbeStep[] {
    for (const name of ['dependsOn', 'successActions', 'failureActions', 'parameters'])
      if (workflow[name] !== undefined)
        this.refuse(`${at}/${name}`, `${name} of a workflow is not carried out here`)
    const asked = isObject(workflow['inputs']) ? workflow['inputs']['properties'] : {}
    for (const name of Object.keys(isObject(asked) ? asked : {}))
      if (name !== credentialInput) this.inputs.add(name)
    return this.list(workflow['steps'], `${at}/steps`).map((step, n) =>
      this.step(step, `${at}/steps/${n}`),
    )
  }

  private step(step: Values, at: string): ProbeStep {
    for (const name of ['workflowId', 'onSuccess', 'onFailure'])
      if (step[name] !== undefined)
        this.refuse(`${at}/${name}`, `${name} of a step is not carried out here`)
    const id = this.text(step['stepId'], at, 'stepId')
    if (this.ids.has(id)) this.refuse(`${at}/stepId`, `Another step is called ${id}`)
    this.ids.add(id)
    const body = isObject(step['requestBody']) ? step['requestBody'] : undefined
    const checks = this.list(step['successCriteria'], `${at}/successCriteria`).map((criterion, n) =>
      this.check(criterion, `${at}/successCriteria/${n}`),
    )
    const outputs = isObject(step['outputs']) ? step['outputs'] : {}
    for (const [name, expression] of Object.entries(outputs))
      if (typeof expression !== 'string' || !isExpression(expression))
        this.refuse(`${at}/outputs/${name}`, `${String(expression)} is no expression that is known`)
    return {
      id,
      operation: this.operation(step, at),
      parameters: this.list(step['parameters'], `${at}/parameters`).map((parameter, n) =>
        this.parameter(parameter, `${at}/parameters/${n}`),
      ),
      ...(body && {
        body: {
          mediaType:
            typeof body['contentType'] === 'string' ? body['contentType'] : 'application/json',
          payload: body['payload'],
        },
      }),
      checks,
      outputs: outputs as Record<string, string>,
    }
  }

  private operation({ operationId, operationPath }: Values, at: string) {
    const missing = { method: '', path: '' }
    if (typeof operationId === 'string') {
      const id = operationId.replace(/^\$sourceDescriptions\.[\w-]+\./, '')
      const found = this.operations.find((one) => one.id === id)
      if (!found) this.refuse(`${at}/operationId`, `The definition has no operation called ${id}`)
      return found ? { method: found.method.toUpperCase(), path: found.path } : missing
    }
    const pointer = typeof operationPath === 'string' ? operationPath.split('#')[1] : undefined
    if (pointer === undefined) {
      this.refuse(at, 'A step names its operation: by operationId or operationPath')
      return missing
    }
    const [, path = '', method = ''] = segmentsOf(pointer)
    const found = this.operations.find(
      (one) => one.path === path && one.method.toLowerCase() === method.toLowerCase(),
    )
    if (!found)
      this.refuse(
        `${at}/operationPath`,
        `The definition has no operation ${method.toUpperCase()} ${path}`,
      )
    return { method: method.toUpperCase(), path }
  }

  private parameter(parameter: Values, at: string): ProbeStep['parameters'][number] {
    const name = this.text(parameter['name'], at, 'name')
    const place = places.find((one) => one === parameter['in'])
    if (!place) this.refuse(at, `in is one of ${places.join(', ')}`)
    return { name, in: place ?? 'query', value: parameter['value'] }
  }

  private check({ condition, context, type = 'simple' }: Values, at: string): ProbeCheck {
    const says = this.text(condition, at, 'condition')
    const never: ProbeCheck = { says, holds: () => false }
    if (says === '') return never
    try {
      if (type === 'simple') return { says, holds: readCondition(says) }
      if (type !== 'regex') {
        this.refuse(`${at}/type`, 'Conditions are simple or regex; others are not asked here')
        return never
      }
      if (typeof context !== 'string' || !isExpression(context)) {
        this.refuse(at, 'A pattern has a context: the expression that it is found in')
        return never
      }
      return { says: `${context} ~ ${says}`, holds: patternCheck(context, says) }
    } catch (error) {
      this.refuse(`${at}/condition`, `This condition: ${(error as Error).message}`)
      return never
    }
  }
}

function patternCheck(context: string, source: string): Condition {
  const pattern = compilePattern(source)
  return (known) => {
    const value = valueOf(context, known)
    if (value === undefined) return false
    return pattern.matcher(typeof value === 'string' ? value : JSON.stringify(value)).find()
  }
}
