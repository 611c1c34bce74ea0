import { and, count, eq, inArray, sql } from 'drizzle-orm'
import { tallied, type Series } from '../../core/traffic/counts'
import type { TrafficEvent } from '../../core/traffic/event'
import { insertMany } from '../db/bulk'
import type { Queries, Transaction } from '../db/database'
import { eventCursors, gateways, placements, trafficOperations, trafficSeries } from '../db/schema'
import { takeEvents, type EventBatch, type GatewayAddress } from '../gateways/admin-api'
import type { Services } from './context'
import { Failure } from './failure'
import { sha256 } from './files'
import { announce } from './ledger'
import { keepRequests, makeRoom } from './request-keeping'
import { settingsOf } from './settings'
import { rollUp } from './traffic-rolling'
import { writeSpans, type SeriesKey } from './traffic-spans'

/** A batch of so many is followed by another one at once. */
const isMany = 10_000
/** So many events are counted at once, or a batch more. */
const mostAtOnce = 60_000
/** So many operations that nobody described are told apart at one placement; the rest are counted together. */
const mostUnknown = 500

/** Counts what gateways have had since it was done last. One that is down is asked again the next time. */
export async function countTraffic(services: Services): Promise<void> {
  const rows = await services.db
    .select({ name: gateways.name, adminUrl: gateways.adminUrl, group: gateways.group })
    .from(gateways)
    .where(eq(gateways.kind, 'admin-api'))
  const counted = await Promise.all(
    rows.map((gateway) =>
      countAll(services, gateway).catch((error: unknown) => {
        if (error instanceof Failure) return 0
        throw error
      }),
    ),
  )
  // Whoever counted before may have died before it was done.
  await rollUp(services)
  if (counted.some((events) => events > 0)) await announce(services.db, 'traffic')
}

type Gateway = GatewayAddress & { group: string }

/** How far the events of a gateway were counted. */
type Counted = Pick<typeof eventCursors.$inferSelect, 'journal' | 'seq'>

async function countAll(services: Services, gateway: Gateway): Promise<number> {
  let all = 0
  for (;;) {
    const events = await countBatch(services, gateway)
    all += events
    if (events === 0) return all
  }
}

/**
 * Counts the next events of a gateway; by how many numbers it went on. The counts and how far they go are written together: who dies
 * before has counted nothing, and of two at once the second finds that somebody went on meanwhile.
 */
export async function countBatch(services: Services, gateway: Gateway): Promise<number> {
  const { db, gatewaySecret } = services
  const [from] = await db.select().from(eventCursors).where(eq(eventCursors.gateway, gateway.name))
  let batch = await takeEvents(gateway, gatewaySecret, from)
  // Who has fallen behind counts more at once: most of it is of the same operations.
  for (let more = batch; more.events.length >= isMany && batch.events.length < mostAtOnce;) {
    more = await takeEvents(gateway, gatewaySecret, from, batch)
    if (more.journal !== batch.journal || more.upTo === 0) break
    batch = { ...more, events: [...batch.events, ...more.events] }
  }
  return countEvents(services, gateway, from, batch)
}

/** Counts a batch that follows what was counted when it was asked for; none of it where somebody went on meanwhile. */
export async function countEvents(
  { db, now }: Pick<Services, 'db' | 'now'>,
  gateway: Pick<Gateway, 'name' | 'group'>,
  from: Counted | undefined,
  { journal, events, upTo }: EventBatch,
): Promise<number> {
  if (upTo === 0) return 0
  await makeRoom(db, events)
  return db.transaction(async (tx) => {
    await tx
      .insert(eventCursors)
      .values({ gateway: gateway.name, journal, seq: 0, lost: 0, readAt: now() })
      .onConflictDoNothing()
    const [cursor] = await tx
      .select()
      .from(eventCursors)
      .where(eq(eventCursors.gateway, gateway.name))
      .for('update')
    const after = from?.journal === journal ? from.seq : 0
    const reached = cursor!.journal === journal ? cursor!.seq : 0
    if (reached !== after) return 0
    const lost = upTo - after - events.length
    await keep(tx, gateway, events, now())
    await tx
      .update(eventCursors)
      .set({
        journal,
        seq: upTo,
        readAt: now(),
        ...(lost > 0 && { lost: cursor!.lost + lost, lostAt: now() }),
      })
      .where(eq(eventCursors.gateway, gateway.name))
    return upTo - after
  })
}

async function keep(
  tx: Transaction,
  gateway: Pick<Gateway, 'name' | 'group'>,
  events: TrafficEvent[],
  now: Date,
): Promise<void> {
  const standing = await standingIn(tx, gateway.group)
  const placed = events.map((event) => attributed(event, standing))
  const places = new Map(standing.map((one) => [one.id, one]))
  const settings = await settingsOf(tx)
  if (settings) await keepRequests(tx, gateway.name, placed, (id) => places.get(id), settings, now)
  const tallies = tallied(await boundUnknown(tx, placed), now.getTime())
  const keys = await seriesKeys(
    tx,
    gateway.name,
    new Set(tallies.map(({ series }) => series)),
    places,
  )
  await writeSpans(
    tx,
    gateway.name,
    tallies.map(({ series, ...tally }) => ({ ...tally, series: keys.get(series)! })),
    (parts, kept) => parts.addWritten(kept),
  )
}

interface Standing {
  id: string
  apiId: number
  stage: string
  version: string
  host: string
  basePath: string
}

/** Placements at a group, those with the longest base path first. */
async function standingIn(db: Queries, group: string): Promise<Standing[]> {
  const rows = await db
    .select({
      id: placements.id,
      apiId: placements.apiId,
      stage: placements.stage,
      version: placements.version,
      host: sql<string>`${placements.spec} ->> 'host'`,
      basePath: sql<string>`${placements.spec} ->> 'basePath'`,
    })
    .from(placements)
    .where(eq(placements.group, group))
  return rows.sort((one, other) => other.basePath.length - one.basePath.length)
}

/** An event that no placement took counts for the one whose address it was sent to, with the rest of its path. */
function attributed(event: TrafficEvent, standing: readonly Standing[]): TrafficEvent {
  if (event.placement !== '') return event
  const [method, path = ''] = event.operation.split(' ')
  const at = standing.find(
    ({ host, basePath }) =>
      host === event.host &&
      (basePath === '/' || `${path}/`.startsWith(`${basePath.replace(/\/$/, '')}/`)),
  )
  if (!at) return event
  const below = at.basePath === '/' ? path : path.slice(at.basePath.replace(/\/$/, '').length)
  return {
    ...event,
    placement: at.id,
    version: at.version,
    operation: `${method} ${below || '/'}`,
  }
}

/** Counts made-up paths together, once there are many of one placement. */
async function boundUnknown(tx: Transaction, events: TrafficEvent[]): Promise<TrafficEvent[]> {
  const unknown = events.filter(({ step }) => step === 'match')
  if (unknown.length === 0) return events
  const rows = await tx
    .select({ placement: trafficSeries.placement, known: count() })
    .from(trafficSeries)
    .where(
      and(
        eq(trafficSeries.grain, 'operation'),
        eq(trafficSeries.step, 'match'),
        inArray(trafficSeries.placement, [...new Set(unknown.map(({ placement }) => placement))]),
      ),
    )
    .groupBy(trafficSeries.placement)
  const full = new Set(rows.filter(({ known }) => known >= mostUnknown).map((row) => row.placement))
  return events.map((event) =>
    event.step === 'match' && full.has(event.placement) ? { ...event, operation: 'others' } : event,
  )
}

const digestOf = (gateway: string, series: Series): string =>
  sha256(Buffer.from(JSON.stringify([gateway, ...Object.values<string | number>({ ...series })])))

/** What series are kept as; those that are new are made. */
async function seriesKeys(
  tx: Transaction,
  gateway: string,
  wanted: ReadonlySet<Series>,
  places: ReadonlyMap<string, Standing>,
): Promise<Map<Series, SeriesKey>> {
  const digests = new Map([...wanted].map((series) => [digestOf(gateway, series), series]))
  const keys = new Map<Series, SeriesKey>()
  const find = async () => {
    const rows = await tx
      .select({
        series: trafficSeries.id,
        digest: trafficSeries.digest,
        operation: trafficSeries.operationId,
      })
      .from(trafficSeries)
      .where(sql`${trafficSeries.digest} = any(${sql.param([...digests.keys()])}::text[])`)
    for (const { digest, ...key } of rows) {
      const series = digests.get(digest)!
      keys.set(series, { ...key, grain: series.grain })
    }
  }
  await find()
  const missing = [...digests]
    .filter(([, series]) => !keys.has(series))
    .map(([digest, series]) => {
      const at = places.get(series.placement)
      return { ...series, digest, gateway, apiId: at?.apiId ?? null, stage: at?.stage ?? '' }
    })
  if (missing.length === 0) return keys
  const operations = await operationIds(
    tx,
    missing.filter(({ grain }) => grain === 'operation'),
  )
  await insertMany(
    tx,
    trafficSeries,
    missing.map((series) => ({
      ...series,
      operationId: series.grain === 'operation' ? operations.get(calledDigest(series))! : null,
    })),
  )
  await find()
  return keys
}

type Called = Pick<typeof trafficSeries.$inferSelect, 'apiId' | 'operation'>

const calledDigest = ({ apiId, operation }: Called): string =>
  sha256(Buffer.from(JSON.stringify([apiId, operation])))

/** The ids of operations, by what they are told apart by; those that are new are made. */
async function operationIds(
  tx: Transaction,
  called: readonly Called[],
): Promise<Map<string, number>> {
  const known = new Map(called.map((one) => [calledDigest(one), one]))
  // Two gateways may bring the same ones at once: in one order neither waits for the other.
  const rows = [...known]
    .map(([digest, { apiId, operation }]) => ({ digest, apiId, name: operation }))
    .sort((one, other) => (one.digest < other.digest ? -1 : 1))
  await insertMany(tx, trafficOperations, rows, { skipsKnown: true })
  const found = await tx
    .select({ id: trafficOperations.id, digest: trafficOperations.digest })
    .from(trafficOperations)
    .where(sql`${trafficOperations.digest} = any(${sql.param([...known.keys()])}::text[])`)
  return new Map(found.map(({ id, digest }) => [digest, id]))
}
