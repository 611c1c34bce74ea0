import { rootCertificates } from 'node:tls'
import { Agent, request } from 'undici'
import { isStopped, type Step } from '../../core/runtime/explain'
import { scopesOf } from '../../core/runtime/placement'
import { whyNoToken } from '../../core/runtime/policies/checks'
import { credentialFields } from '../../core/runtime/policies/authenticate'
import { resolvePolicies } from '../../core/runtime/resolve'
import type { DeskRequest, DeskResponse, HeaderLine } from '../../shared/api/desk'
import type { PlacementRow } from './compiled'
import type { Context, Services } from './context'
import { conflict, invalid, notFound } from './failure'
import { gatewayDown, type GatewayRow } from '../gateways/adapter'
import { readLogEntry } from '../gateways/admin-api'
import { findGateway } from './gateways'
import { stepsFor, type Explained } from './logged'
import { requirePermission } from './permissions'
import { findPlacement, membersOf } from './apply'
import { errorText, table } from '../../core/text/values'
import { Scopes } from './scopes'

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
  const answer = await sendThrough(context, { placement, gateway }, asked)
  const entry =
    answer.id !== undefined && gateway.kind === 'admin-api'
      ? await readLogEntry(gateway, context.gatewaySecret, answer.id)
      : undefined
  const steps = entry ? await stepsFor(context.db, entry as Explained) : []
  const { status, headers, body, cut, ms } = answer
  return { status, headers, body, cut, ms, steps, verdict: verdictOf(status, steps) }
}

/** What is sent through a gateway; its path has the base path in it. */
type Sent = Omit<DeskRequest, 'placement' | 'gateway'>

/** An answer as it came, with what the gateway calls the request. */
type Answered = Omit<DeskResponse, 'steps' | 'verdict'> & { id?: string }

/** Sends a request to a placement through one of its gateways, with the credential in the places that it asks for. */
export async function sendThrough(
  services: Pick<Services, 'db' | 'gatewayAuthority'>,
  { placement, gateway }: { placement: PlacementRow; gateway: GatewayRow },
  asked: Sent,
  { headersMs = 130_000, bodyMs = 30_000 } = {},
): Promise<Answered> {
  const scopes = (await Scopes.read(services.db)).around(placement)
  const { authentication, transport } = resolvePolicies(scopesOf(placement.spec, scopes))
  const shown = asked.key
    ? credentialFields(authentication?.config, asked.key)
    : { headers: {}, query: undefined }
  const query =
    shown.query &&
    `${asked.path.includes('?') ? '&' : '?'}${encodeURIComponent(shown.query.name)}=${encodeURIComponent(shown.query.value)}`
  const headers = ownHeaders(asked.headers)
  const host = asked.host ?? placement.spec.host
  const needsTls = (transport?.config.plain ?? 'served') !== 'served'
  const isTls = asked.scheme === undefined ? needsTls : asked.scheme === 'https'
  const { name } = gateway
  const url = isTls ? gateway.tlsUrl : gateway.dataUrl
  if (url === '')
    throw conflict(
      isTls
        ? `Nobody has said where ${name} speaks TLS.`
        : `Nobody has said where requests go into ${name}.`,
    )
  const dispatcher = new Agent(
    isTls ? { connect: { servername: host, ca: trusted(services) } } : {},
  )
  const started = performance.now()
  let answer
  let body
  try {
    answer = await request(url + asked.path + (query ?? ''), {
      method: asked.method,
      dispatcher,
      headers: {
        ...headers,
        host,
        ...shown.headers,
        ...(asked.body && { 'content-type': asked.mediaType ?? 'application/json' }),
      },
      ...(asked.body && { body: asked.body }),
      headersTimeout: headersMs,
      bodyTimeout: bodyMs,
      signal: AbortSignal.timeout(headersMs + bodyMs),
    })
    body = await bounded(answer.body)
  } catch (error) {
    throw gatewayDown(`${name} at ${url}`, `gave no answer (${errorText(error)})`)
  } finally {
    void dispatcher.destroy()
  }
  const id = answer.headers['x-request-id']
  return {
    status: answer.statusCode,
    headers: Object.entries(answer.headers).flatMap(([header, value]) =>
      value === undefined ? [] : [{ name: header, value: [value].flat().join(', ') }],
    ),
    body: body.text,
    cut: body.cut,
    ms: Math.round(performance.now() - started),
    ...(typeof id === 'string' && { id }),
  }
}

/** Headers that say where a message ends and whom it is for are not somebody's to write. */
function ownHeaders(lines: readonly HeaderLine[] = []): Record<string, string[]> {
  const headers = table<string[]>()
  const faults = []
  for (const [index, { name, value }] of lines.entries()) {
    const lower = name.toLowerCase()
    const why =
      whyNoToken(name) ??
      (framing.test(name) ? 'is for the connection, and not sent by hand' : undefined)
    if (why) faults.push({ field: `headers.${index}.name`, message: `The header "${name}" ${why}` })
    else if (!/^[\t\x20-\x7e\x80-\xff]*$/.test(value))
      faults.push({
        field: `headers.${index}.value`,
        message: `The value of ${name} has a character that no header has`,
      })
    else headers[lower] = [...(headers[lower] ?? []), value]
  }
  if (faults.length > 0) throw invalid(faults)
  return headers
}

/** Who is believed: what every program trusts, and the authority of the company’s own gateways. */
const trusted = ({ gatewayAuthority }: Pick<Services, 'gatewayAuthority'>) =>
  gatewayAuthority === '' ? [...rootCertificates] : [...rootCertificates, gatewayAuthority]

const framing =
  /^(?:connection|content-length|content-type|expect|host|keep-alive|proxy-.*|te|trailer|transfer-encoding|upgrade)$/i

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
  if (stopped && isStopped(stopped)) return `The gateway stopped it. ${stopped.text}.`
  if (stopped) return `${stopped.text}.`
  const last = steps.at(-1)
  if (status >= 400) return `The gateway let it through; the ${status} is the backend’s own answer.`
  return `The request went all the way. ${last ? `${last.text}.` : ''}`
}
