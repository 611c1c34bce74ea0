import type { Described } from '../runtime/described'
import { responseFaults } from '../runtime/described'
import { isJsonType, mediaTypeOf } from '../runtime/media'
import { count } from '../text/counted'
import { errorText } from '../text/values'
import { credentialInput, type Probe, type ProbeStep } from './read'
import { ExpressionError, filled, valueOf, type Known } from './expressions'

/** A request of a probe; its path begins below the base path. */
export interface ProbeRequest {
  method: string
  path: string
  headers: { name: string; value: string }[]
  body?: { mediaType: string; text: string }
}

export interface ProbeAnswer {
  status: number
  headers: { name: string; value: string }[]
  body: string
  /** Whether more came than was read. */
  cut: boolean
  ms: number
}

/** What came of a step. Nothing of what was sent or answered is in it but the status. */
export interface StepResult {
  step: string
  operation: string
  passed: boolean
  /** Absent where no answer came. */
  status?: number
  ms: number
  /** What was asked of the answer, and whether it was so. */
  checks: { says: string; passed: boolean }[]
  /** How the answer breaks the definition. */
  contract: string[]
  /** Why no answer was had; empty where there was one. */
  trouble: string
}

export interface Sending {
  /** Sends one request; throws where no answer comes. */
  send: (request: ProbeRequest) => Promise<ProbeAnswer>
  described: Described
  /** The key of whoever sends, where there is one. */
  credential?: string
}

const mostBody = 200_000

/** Sends the steps of a probe one after the other, as far as they pass, and holds each answer against the definition. */
export async function runProbe(probe: Probe, sending: Sending): Promise<StepResult[]> {
  const { credential } = sending
  const known: Known = {
    inputs: credential === undefined ? {} : { [credentialInput]: credential },
    steps: {},
  }
  const results: StepResult[] = []
  for (const step of probe.steps) {
    const result = await runStep(step, known, sending)
    results.push(result)
    if (!result.passed) break
  }
  return results
}

async function runStep(
  step: ProbeStep,
  known: Known,
  { send, described }: Sending,
): Promise<StepResult> {
  const operation = `${step.operation.method} ${step.operation.path}`
  const nothing: StepResult = {
    ...{ step: step.id, operation, passed: false, ms: 0, checks: [], contract: [], trouble: '' },
  }
  let answer: ProbeAnswer
  try {
    const asked = requestOf(step, known)
    known.request = { method: asked.method, url: asked.path }
    delete known.response
    answer = await send(asked)
  } catch (error) {
    return { ...nothing, trouble: errorText(error).slice(0, 500) }
  }
  const headers = Object.fromEntries(
    answer.headers.map(({ name, value }) => [name.toLowerCase(), value]),
  )
  const contentType = headers['content-type']
  known.response = { status: answer.status, headers, body: bodyOf(contentType, answer) }
  const response = known.response
  const wanted =
    step.checks.length > 0
      ? step.checks
      : [{ says: 'It succeeds', holds: () => response.status < 400 }]
  const checks = wanted.map(({ says, holds }) => ({
    says: says.slice(0, 500),
    passed: holds(known),
  }))
  const of = described.operations[operation]
  const contract =
    !of || answer.cut
      ? []
      : responseFaults(described, of, { status: answer.status, contentType, body: answer.body })
          .faults
  known.steps[step.id] = Object.fromEntries(
    Object.entries(step.outputs).map(([name, expression]) => [name, valueOf(expression, known)]),
  )
  return {
    ...nothing,
    ...{ checks, contract, status: answer.status, ms: answer.ms },
    passed: contract.length === 0 && checks.every(({ passed }) => passed),
  }
}

function bodyOf(contentType: string | undefined, { body, cut }: ProbeAnswer): unknown {
  if (cut || contentType === undefined || !isJsonType(mediaTypeOf(contentType))) return body
  try {
    return JSON.parse(body) as unknown
  } catch {
    return body
  }
}

const textOf = (value: unknown): string =>
  typeof value === 'string' ? value : (JSON.stringify(value) ?? '')

function requestOf({ operation, parameters, body }: ProbeStep, known: Known): ProbeRequest {
  const values = parameters.map(({ value, ...rest }) => ({ ...rest, value: filled(value, known) }))
  const of = (place: string) => values.filter((one) => one.in === place)
  const inPath = new Map(of('path').map(({ name, value }) => [name, textOf(value)]))
  const path = operation.path.replace(/\{([^{}]+)\}/g, (_, name: string) => {
    const value = inPath.get(name)
    if (value === undefined || value === '')
      throw new ExpressionError(`The parameter ${name} of its path has no value`)
    return encodeURIComponent(value)
  })
  const query = of('query').flatMap(({ name, value }) =>
    (Array.isArray(value) ? value : [value]).map(
      (one) => `${encodeURIComponent(name)}=${encodeURIComponent(textOf(one))}`,
    ),
  )
  const cookies = of('cookie').map(
    ({ name, value }) => `${name}=${encodeURIComponent(textOf(value))}`,
  )
  const headers = of('header').map(({ name, value }) => ({ name, value: textOf(value) }))
  if (cookies.length > 0) headers.push({ name: 'Cookie', value: cookies.join('; ') })
  const text = body && textOf(filled(body.payload, known))
  if (text !== undefined && text.length > mostBody)
    throw new ExpressionError(`Its body is longer than ${count(mostBody, 'character')}`)
  return {
    method: operation.method,
    path: query.length > 0 ? `${path}?${query.join('&')}` : path,
    headers,
    ...(body && { body: { mediaType: body.mediaType, text: text! } }),
  }
}

/** Whether a probe passed: every step was sent, and is as it was asked for. */
export const hasPassed = (probe: Pick<Probe, 'steps'>, results: readonly StepResult[]): boolean =>
  results.length === probe.steps.length && results.every(({ passed }) => passed)

/** What a run came to, in a line. */
export function resultText(steps: number, results: readonly StepResult[]): string {
  const failed = results.find(({ passed }) => !passed)
  if (!failed) return `${count(steps, 'step')} passed`
  const unmet = failed.checks.find(({ passed }) => !passed)
  const says = unmet
    ? `not so: ${unmet.says} (it answered ${failed.status})`
    : (failed.contract[0] ?? '')
  return `${failed.step}, ${failed.operation}: ${failed.trouble === '' ? says : failed.trouble}`
}
