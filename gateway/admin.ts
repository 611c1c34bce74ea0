import { createHash, timingSafeEqual } from 'node:crypto'
import http, { type IncomingMessage, type ServerResponse } from 'node:http'
import { nearestText } from '../core/runtime/explain'
import { nearestRoute } from '../core/runtime/nearest'
import { ConfigurationError } from '../core/runtime/config-values'
import type { Certificates } from './certificates'
import type { Configuration } from './configuration'
import type { Journal } from './journal'
import type { AccessLog, LogEntry } from './log'
import type { Metrics } from './metrics'
import type { Quotas } from './quotas'
import type { Targets } from './targets'

const maxBody = 16 * 1024 * 1024
const eventsAtOnce = 20_000
const digest = (text: string) => createHash('sha256').update(text).digest()

/** What the admin API tells of and changes. */
interface Running {
  configuration: Configuration
  log: AccessLog
  quotas: Quotas
  targets: Targets
  journal: Journal
  metrics: Metrics
  /** Absent where TLS is not spoken. */
  certificates: Certificates | undefined
}

/**
 * The admin API of one gateway. Every request carries the secret in `X-Admin-Secret`, or as a bearer token.
 * `GET /configuration` (with ETag), `PUT /configuration` (If-Match), `GET /log`, `GET /log/{id}`, `GET /health` (of
 * targets), `GET /events?journal=ID&after=N&seen=M` (of requests that ended, those behind M, forgetting those up to N of that journal), `GET /metrics` (Prometheus), `GET /listeners` (whether TLS is spoken, and by which certificates), `GET /quotas` (what was taken), `PUT /quotas` (what the others of the group have taken).
 */
export function adminApi(
  name: string,
  secret: string,
  { configuration, log, quotas, targets, journal, metrics, certificates }: Running,
): http.Server {
  const expected = digest(secret)

  async function answer(request: IncomingMessage, response: ServerResponse): Promise<void> {
    // Whoever scrapes figures can mostly send no header but this one.
    const bearer = /^Bearer (.+)$/.exec(request.headers.authorization ?? '')?.[1]
    const given = request.headers['x-admin-secret'] ?? bearer
    if (typeof given !== 'string' || !timingSafeEqual(digest(given), expected)) {
      return json(response, 401, { title: 'The admin secret is missing or wrong' })
    }
    const url = URL.parse(request.url ?? '/', 'http://admin')
    if (!url) return json(response, 400, { title: 'This is not an address' })
    const route = `${request.method} ${url.pathname.replace(/^\/log\/.+/, '/log/{id}')}`
    if (route === 'GET /configuration') return sendConfiguration(response)
    if (route === 'PUT /configuration') return replaceConfiguration(request, response)
    if (route === 'GET /health') return json(response, 200, targets.health())
    if (route === 'GET /listeners')
      return json(response, 200, {
        https: certificates !== undefined,
        certificates: certificates?.facts() ?? [],
        troubles: certificates?.troubles ?? [],
      })
    if (route === 'GET /events') return sendEvents(url, response)
    if (route === 'GET /metrics') {
      const text = await metrics.text()
      response.writeHead(200, { 'Content-Type': metrics.contentType })
      return void response.end(text)
    }
    if (route === 'GET /quotas') return json(response, 200, quotas.taken())
    if (route === 'PUT /quotas') return learnQuotas(request, response)
    if (route === 'GET /log') {
      const limit = Number(url.searchParams.get('limit') ?? 100)
      if (!Number.isInteger(limit) || limit < 1 || limit > 1000)
        return json(response, 400, { title: 'The limit is a whole number from 1 to 1000' })
      return json(response, 200, log.latest(limit))
    }
    if (route === 'GET /log/{id}') {
      const entry = log.find(url.pathname.slice(5))
      return entry
        ? json(response, 200, explained(entry))
        : json(response, 404, { title: 'No such request' })
    }
    return json(response, 404, { title: 'No such address on the admin API' })
  }

  /**
   * An entry with the nearest route where none matched, which is looked for only when somebody asks. It stands by itself,
   * with its placement: whoever asks may not be somebody who may see that.
   */
  function explained(
    entry: LogEntry,
  ): LogEntry & { nearest?: { placement: string; text: string } } {
    const { router } = configuration.current
    const last = entry.steps.at(-1)
    if (last?.name !== 'match' || last.passed) return entry
    const match = router.match({ ...entry, scheme: 'http' })
    if (match.kind !== 'path' || match.byTls) return entry
    const route = nearestRoute(router.routes, entry)
    const nearest = { placement: route?.placement ?? '', text: nearestText(entry, route) }
    return { ...entry, nearest }
  }

  function sendEvents(url: URL, response: ServerResponse): void {
    const after = Number(url.searchParams.get('after') ?? 0)
    const seen = Number(url.searchParams.get('seen') ?? after)
    if (!Number.isSafeInteger(after) || after < 0 || !Number.isSafeInteger(seen) || seen < after)
      return json(response, 400, {
        title:
          'The number to go on after is a whole number from 0, that of what was seen at least as large',
      })
    // Numbers of another journal mean nothing here.
    const known = url.searchParams.get('journal') ?? journal.id
    const isKnown = known === journal.id
    const {
      journal: id,
      last,
      lines,
    } = journal.take(isKnown ? after : 0, eventsAtOnce, isKnown ? seen : 0)
    response.writeHead(200, { 'Content-Type': 'application/json' })
    response.end(`{"journal":"${id}","last":${last},"events":[${lines.join(',')}]}`)
  }

  function sendConfiguration(response: ServerResponse): void {
    const { text, etag } = configuration.current
    response.writeHead(200, { 'Content-Type': 'application/yaml', ETag: etag, 'X-Gateway': name })
    response.end(text)
  }

  async function learnQuotas(request: IncomingMessage, response: ServerResponse): Promise<void> {
    const body = await bodyOf(request)
    const others = body === undefined ? undefined : readOthers(body)
    if (!others) return json(response, 400, { title: 'These are no quotas' })
    quotas.learn(others)
    return json(response, 200, quotas.taken())
  }

  async function replaceConfiguration(
    request: IncomingMessage,
    response: ServerResponse,
  ): Promise<void> {
    const match = request.headers['if-match']
    const body = await bodyOf(request)
    if (body === undefined)
      return json(response, 413, { title: 'The configuration is larger than 16 MB' })
    if (match !== undefined && match !== configuration.current.etag) {
      return json(response, 412, { title: 'Somebody changed the configuration in between' })
    }
    try {
      configuration.replace(body)
    } catch (error) {
      if (!(error instanceof ConfigurationError)) throw error
      return json(response, 422, {
        title: 'The configuration was refused; the one before it runs on',
        detail: error.message,
      })
    }
    sendConfiguration(response)
  }

  return http.createServer((request, response) => {
    answer(request, response).catch((error: Error) => {
      console.error(`${name} admin:`, error.message)
      if (!response.headersSent)
        json(response, 500, { title: 'The gateway could not do this', detail: error.message })
      else response.destroy()
    })
  })
}

/** What others have taken: `[{ "who", "period", "taken" }]`. */
function readOthers(body: string): { who: string; period: string; taken: number }[] | undefined {
  let read: unknown
  try {
    read = JSON.parse(body)
  } catch {
    return undefined
  }
  const isCount = (item: unknown): item is { who: string; period: string; taken: number } => {
    if (typeof item !== 'object' || item === null) return false
    const { who, period, taken } = item as Record<string, unknown>
    return typeof who === 'string' && typeof period === 'string' && Number.isSafeInteger(taken)
  }
  return Array.isArray(read) && read.every(isCount) ? read : undefined
}

function json(response: ServerResponse, status: number, body: unknown): void {
  response.writeHead(status, {
    'Content-Type': status < 400 ? 'application/json' : 'application/problem+json',
  })
  response.end(JSON.stringify(body))
}

async function bodyOf(request: IncomingMessage): Promise<string | undefined> {
  const chunks: Buffer[] = []
  let size = 0
  for await (const chunk of request as AsyncIterable<Buffer>) {
    size += chunk.length
    if (size <= maxBody) chunks.push(chunk)
  }
  return size > maxBody ? undefined : Buffer.concat(chunks).toString('utf8')
}
