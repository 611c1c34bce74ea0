import { request } from 'undici'
import type { Step } from '../../core/routing/explain'
import type { DeskResponse, DeskRequest } from '../../shared/api/desk'
import type { Context } from './context'
import { notFound } from './failure'
import { gatewayDown, readLogEntry } from './gateway-client'
import { findGateway } from './gateways'
import { requirePermission } from './permissions'
import { findPlacement, membersOf } from './apply'
import { errorText } from '../../core/text/values'

const mostBytes = 1_000_000

/** Sends a request through a placement's gateway and tells what became of it, step by step. */
export async function sendRequest(context: Context, asked: DeskRequest): Promise<DeskResponse> {
  requirePermission(context.actor, 'send')
  const placement = await findPlacement(context.db, asked.placement)
  const members = await membersOf(context.db, [placement.group])
  const name = asked.gateway ?? members[0]
  if (name === undefined || !members.includes(name))
    throw notFound(`gateway called "${asked.gateway ?? ''}" in ${placement.group}`)
  const gateway = await findGateway(context.db, name)
  const { key } = placement.spec
  const header = key.required ? key.header : 'X-Api-Key'
  const started = performance.now()
  let answer
  try {
    answer = await request(gateway.dataUrl + asked.path, {
      method: asked.method,
      headers: {
        host: asked.host ?? placement.spec.host,
        ...(asked.key && { [header]: asked.key }),
        ...(asked.body && { 'content-type': asked.mediaType ?? 'application/json' }),
      },
      ...(asked.body && { body: asked.body }),
      headersTimeout: 130_000,
      bodyTimeout: 30_000,
    })
  } catch (error) {
    throw gatewayDown(
      { name: gateway.name, adminUrl: gateway.dataUrl },
      `gave no answer (${errorText(error)})`,
    )
  }
  const { text, cut } = await bounded(answer.body)
  const ms = Math.round(performance.now() - started)
  const id = answer.headers['x-request-id']
  const entry =
    typeof id === 'string' ? await readLogEntry(gateway, context.gatewaySecret, id) : undefined
  const steps = (entry as { steps?: Step[] } | undefined)?.steps ?? []
  return {
    status: answer.statusCode,
    headers: Object.entries(answer.headers).flatMap(([name, value]) =>
      value === undefined ? [] : [{ name, value: [value].flat().join(', ') }],
    ),
    body: text,
    cut,
    ms,
    steps,
    verdict: verdictOf(answer.statusCode, steps),
  }
}

async function bounded(body: AsyncIterable<Buffer>): Promise<{ text: string; cut: boolean }> {
  const chunks: Buffer[] = []
  let size = 0
  for await (const chunk of body) {
    size += chunk.length
    chunks.push(chunk)
    if (size > mostBytes) break
  }
  const whole = Buffer.concat(chunks)
  return { text: whole.subarray(0, mostBytes).toString('utf8'), cut: size > mostBytes }
}

/** What a status means here: whose answer it is, and the reason in words. */
function verdictOf(status: number, steps: Step[]): string {
  const stopped = steps.find((step) => !step.passed)
  if (stopped && stopped.name !== 'backend') return `The gateway stopped it. ${stopped.text}.`
  if (stopped) return `${stopped.text}.`
  const last = steps.at(-1)
  if (last?.name === 'mock') return `${last.text}.`
  if (status >= 400) return `The gateway let it through; the ${status} is the backend’s own answer.`
  return `The request went all the way. ${last ? `${last.text}.` : ''}`
}
