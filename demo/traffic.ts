import { mkdirSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { eq, min } from 'drizzle-orm'
import type { Operation } from '../core/contract/model'
import { joinPaths, scopesOf, type PlacementSpec } from '../core/runtime/placement'
import { credentialFields, isOpen } from '../core/runtime/policies/authenticate'
import { resolvePolicies } from '../core/runtime/resolve'
import type { TrafficEvent } from '../core/traffic/event'
import { gateways, keys, ledger, parts, placements } from '../server/db/schema'
import { actAs, type Services } from '../server/services/context'
import { actorNamed } from '../server/services/people'
import { Scopes } from '../server/services/scopes'
import { changeRetention, settingsOf } from '../server/services/settings'
import { countEvents } from '../server/services/traffic-intake'
import { rollUp } from '../server/services/traffic-rolling'
import type { Caller } from '../standins/callers'

const hour = 3_600_000
const days = 30
const atOnce = 5000

/** The same numbers at every start (a linear congruential generator). */
function chance(seed: number): () => number {
  let state = seed
  return () => (state = (state * 1_664_525 + 1_013_904_223) % 2 ** 32) / 2 ** 32
}

/** How busy an hour of the week is, from 0 to 1: little at night, less at the end of the week. */
function busyness(at: number): number {
  const date = new Date(at)
  const weekend = date.getUTCDay() === 0 || date.getUTCDay() === 6
  const dayTime = Math.max(0, Math.sin(((date.getUTCHours() - 5) / 18) * Math.PI))
  return (0.08 + 0.92 * dayTime) * (weekend ? 0.45 : 1)
}

/** Requests in a busy hour at each gateway, by stage. */
const busiest: Record<string, number> = { Live: 6, Rehearsal: 0.8, Trial: 0.6 }

/** Operations that are withheld, or in no definition, and called all the same; by API. */
const strangers: Record<string, { operation: string; client: string }[]> = {
  'connections-and-permits': [
    { operation: 'GET /permits/*/history', client: '' },
    { operation: 'GET /drawings/*', client: '' },
  ],
}

/** What one client meets at its limit every morning: so many requests too many, at each gateway. */
const mornings: Record<string, { client: string; hour: number; calls: number }> = {
  'supply-interruptions-live-1': { client: 'Alder Homes', hour: 6, calls: 4 },
}

/** A withheld operation that somebody opened on one gateway by hand, and who has called it since. */
const opened = {
  placement: 'supply-interruptions-live-1',
  gateway: 'north-edge',
  operation: 'GET /interruptions/export',
  client: 'County flood desk',
}

/** Where the last operation of all is one that the backend does not have. */
const incomplete = 'tanker-dispatch-live-1'

/** An operation that is answered otherwise than its definition says. */
const strayed = { placement: 'hydrant-register-live-1', operation: 'POST /hydrants', status: 202 }

interface Placed {
  id: string
  version: string
  stage: string
  group: string
  spec: PlacementSpec
  /** Since when, in milliseconds since 1970. */
  since: number
  clients: string[]
  /** What the definition says of a success, by operation. */
  successes: ReadonlyMap<string, number>
}

async function placedIn({ db }: Services): Promise<Placed[]> {
  const [rows, begun, known, described] = await Promise.all([
    db.select().from(placements),
    db
      .select({ id: ledger.subject, at: min(ledger.at) })
      .from(ledger)
      .groupBy(ledger.subject),
    db
      .select({ placement: keys.placementId, name: keys.name })
      .from(keys)
      .where(eq(keys.state, 'active')),
    db
      .select({ revision: parts.revisionId, detail: parts.detail })
      .from(parts)
      .where(eq(parts.kind, 'operation')),
  ])
  const successes = new Map<number, Map<string, number>>()
  for (const { revision, detail } of described) {
    const { method, path, responses } = detail as Operation
    const success = responses.find(({ status }) => /^2\d\d$/.test(status))
    const own = successes.get(revision) ?? new Map<string, number>()
    successes.set(revision, own)
    if (success) own.set(nameOf({ method: method.toUpperCase(), path }), Number(success.status))
  }
  const since = new Map(begun.map(({ id, at }) => [id, at?.getTime() ?? 0]))
  return rows.map(({ id, version, stage, group, spec, appliedAt, revisionId }) => ({
    id,
    version,
    stage,
    group,
    spec,
    since: since.get(id) ?? appliedAt.getTime(),
    clients: known.filter(({ placement }) => placement === id).map(({ name }) => name),
    successes: successes.get(revisionId) ?? new Map<string, number>(),
  }))
}

/** Thirty days of requests that were never sent, counted as those that are; there are few, so each of them is kept. */
export async function seedTraffic(services: Services): Promise<void> {
  const ada = actAs(services, await actorNamed(services.db, 'ada'))
  const { retention } = (await settingsOf(services.db))!
  await changeRetention(ada, { ...retention, requestPercent: 100 })
  const placed = await placedIn(services)
  const now = services.now().getTime()
  const members = await services.db.select().from(gateways).where(eq(gateways.kind, 'admin-api'))
  for (const [index, { name, group }] of members.entries()) {
    const here = placed.filter((placement) => placement.group === group)
    const journal = `history-${name}`
    let seq = 0
    for (const events of inPieces(historyOf(name, here, now, chance(index + 1)))) {
      const numbered = events.map((event) => ({ ...event, seq: ++seq, id: `${journal}-${seq}` }))
      const from = { journal, seq: seq - events.length }
      await countEvents(services, { name, group }, from.seq === 0 ? undefined : from, {
        journal,
        events: numbered,
        upTo: seq,
      })
    }
  }
  await rollUp(services)
}

function* inPieces<T>(all: Iterable<T>): Generator<T[]> {
  let piece: T[] = []
  for (const one of all) {
    piece.push(one)
    if (piece.length < atOnce) continue
    yield piece
    piece = []
  }
  if (piece.length > 0) yield piece
}

function* historyOf(
  gateway: string,
  placed: readonly Placed[],
  now: number,
  random: () => number,
): Generator<Omit<TrafficEvent, 'seq'>> {
  for (let at = now - days * 24 * hour; at < now; at += hour)
    for (const placement of placed) {
      if (at < placement.since) continue
      const expected = (busiest[placement.stage] ?? 1) * busyness(at)
      const calls = Math.floor(expected + random())
      for (let n = 0; n < calls; n++) {
        const moment = Math.min(now - 1000, at + Math.floor(random() * hour))
        yield callOf(placement, moment, now, random)
      }
      yield* incidentsOf(gateway, placement, at, now, random)
    }
}

/** What the ledger explains: a client at its limit, and an operation that is served past it. */
function* incidentsOf(
  gateway: string,
  { id, version, spec }: Placed,
  at: number,
  now: number,
  random: () => number,
): Generator<Omit<TrafficEvent, 'seq'>> {
  const within = () => Math.min(now - 1000, at + Math.floor(random() * hour))
  const hours = new Date(at).getUTCHours()
  const morning = mornings[id]
  if (morning?.hour === hours)
    for (let n = 0; n < morning.calls; n++)
      yield {
        ...plainEvent(id, version, within(), random),
        ...refusal,
        ...{ operation: 'GET /interruptions', client: morning.client },
        ...{ status: 429, step: 'limit', policy: 'rate' },
      }
  const last = spec.routes.findLast(({ treatment }) => treatment.kind === 'route')
  if (id === strayed.placement && hours % 4 === 2)
    yield {
      ...plainEvent(id, version, within(), random),
      ...{ operation: strayed.operation, client: '', status: strayed.status, ms: 31 },
      ...{ upstreamMs: 30, bytesOut: 700, responseType: 'application/json' },
    }
  if (id === leaked.placement && at > now - 2 * 24 * hour)
    yield {
      ...plainEvent(id, version, within(), random),
      ...{ operation: 'GET /meters', client: leaked.client, address: leaked.address },
      ...{ status: 200, ms: 40, upstreamMs: 38, bytesOut: 9000, responseType: 'application/json' },
    }
  if (id === incomplete && last && hours % 3 === 1)
    yield {
      ...plainEvent(id, version, within(), random),
      ...{ operation: nameOf(last), client: '', status: 404, ms: 9, upstreamMs: 8 },
      ...{ bytesOut: 380, responseType: 'application/json' },
    }
  if (id === opened.placement && hours % 3 === 0 && at > now - 27 * 24 * hour) {
    const { operation, client } = opened
    const event = { ...plainEvent(id, version, within(), random), operation, client }
    yield gateway === opened.gateway
      ? {
          ...event,
          status: 200,
          ms: 610,
          upstreamMs: 604,
          bytesOut: 48_000,
          responseType: 'text/csv',
        }
      : { ...event, ...refusal, status: 404, step: 'match' }
  }
}

/** Where the demo’s callers are, as much as is kept of it. */
const home = '127.0.0.0/24'

/** A credential that somebody else has had for two days. */
const leaked = {
  placement: 'meter-readings-live-1',
  client: 'Tarn Institute',
  address: '203.0.113.0/24',
}

/** What a gateway says itself. */
const refusal = {
  ms: 1,
  bytesOut: 460,
  responseType: 'application/problem+json',
} satisfies Partial<TrafficEvent>

const plainEvent = (id: string, version: string, at: number, random: () => number) => ({
  ...{ id: '', at, placement: id, version, host: '', step: '' as const, policy: '' },
  bytesIn: 300 + Math.floor(random() * 300),
  ...{ address: home, requestType: '', query: [], members: [], breaks: '' as const },
})

/** The backend of the meters was ill for a while six days ago. */
const isIll = ({ id }: Placed, at: number, now: number) =>
  id.startsWith('meter-readings-live') && at > now - 6.2 * 24 * hour && at < now - 6.1 * 24 * hour

function callOf(
  placement: Placed,
  at: number,
  now: number,
  random: () => number,
): Omit<TrafficEvent, 'seq'> {
  const { id, version, spec, clients, successes } = placement
  const base = plainEvent(id, version, at, random)
  const api = id.replace(/-(?:trial|rehearsal|live)-\d+$/, '')
  const client = clients.length > 0 ? clients[Math.floor(clients.length * random() ** 2)]! : ''
  const stranger = strangers[api]
  if (stranger && random() < 0.3)
    return {
      ...base,
      ...stranger[Math.floor(random() * stranger.length)]!,
      ...refusal,
      status: 404,
      step: 'match',
    }
  if (spec.routes.length > 0 && clients.length > 0 && random() < 0.012)
    return {
      ...base,
      operation: nameOf(spec.routes[0]!),
      client,
      status: random() < 0.6 ? 429 : 401,
      ...refusal,
      step: random() < 0.6 ? 'limit' : 'authenticate',
    }
  // The first operations of a definition are called most, and some of the last ones never.
  const routed = spec.routes.filter(({ treatment }) => treatment.kind !== 'withheld')
  const chosen = Math.floor(routed.length * 0.85 * random() ** 2.2)
  const slow = 1 + (chosen % 5)
  const upstreamMs = Math.round(6 * slow * Math.exp(1.4 * random() + (random() < 0.03 ? 2 : 0)))
  const operation = routed[chosen] ? nameOf(routed[chosen]) : 'GET /'
  const usual = successes.get(operation) ?? 200
  const status = isIll(placement, at, now) && random() < 0.5 ? 503 : random() < 0.01 ? 404 : usual
  return {
    ...base,
    operation,
    client,
    status,
    ms: upstreamMs + 1 + Math.floor(random() * 3),
    upstreamMs,
    bytesOut: 600 + Math.floor(random() * 9000),
    responseType: 'application/json',
  }
}

const nameOf = ({ method, path }: { method: string; path: string }) => `${method} ${path}`

/** Writes down what the demo's clients go on asking for, with the keys that they were given. */
export async function writeCallers(
  services: Services,
  folder: string,
  issued: readonly { placement: string; client: string; secret: string }[],
): Promise<void> {
  const placed = await placedIn(services)
  const scopes = await Scopes.read(services.db)
  const members = await services.db.select().from(gateways).where(eq(gateways.kind, 'admin-api'))
  const callers = placed.flatMap(({ id, stage, group, spec }): Caller[] => {
    const { authentication, transport } = resolvePolicies(
      scopesOf(spec, scopes.around({ stage, group })),
    )
    const paths = spec.routes
      .filter(
        ({ method, path, treatment }) =>
          method === 'GET' && !path.includes('{') && treatment.kind !== 'withheld',
      )
      .map(({ path }) => joinPaths(spec.basePath, path))
    if (paths.length === 0 || (transport?.config.plain ?? 'served') !== 'served') return []
    const common = {
      gateways: members.filter((gateway) => gateway.group === group).map(({ dataUrl }) => dataUrl),
      host: spec.host,
      paths,
    }
    if (isOpen(authentication?.config)) return [{ ...common, headers: {} }]
    return issued
      .filter(({ placement }) => placement === id)
      .map(({ secret }) => ({
        ...common,
        headers: credentialFields(authentication?.config, secret).headers,
      }))
  })
  mkdirSync(folder, { recursive: true })
  writeFileSync(join(folder, 'callers.json'), JSON.stringify(callers), { mode: 0o600 })
}
