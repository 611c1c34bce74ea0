import { and, count, eq, inArray, sql } from 'drizzle-orm'
import {
  addCounts,
  bucketsOf,
  keptDays,
  lengthOf,
  type Bucket,
  type Counts,
  type Resolution,
  type Series,
} from '../../core/traffic/buckets'
import type { TrafficEvent } from '../../core/traffic/event'
import { Histogram } from '../../core/traffic/histogram'
import { insertMany } from '../db/bulk'
import type { Queries, Transaction } from '../db/database'
import { eventCursors, gateways, placements, traffic, trafficSeries } from '../db/schema'
import { takeEvents, type EventBatch, type GatewayAddress } from '../gateways/admin-api'
import type { Services } from './context'
import { Failure } from './failure'
import { sha256 } from './files'
import { announce } from './ledger'
import { keepRequests, makeRoom } from './request-keeping'
import { settingsOf } from './settings'

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
  return countEvents(services, gateway, from, await takeEvents(gateway, gatewaySecret, from))
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
  // What is older than it would be kept for is not written to be removed.
  const isKept = (resolution: Resolution, at: number) =>
    now.getTime() - at < keptDays[resolution] * lengthOf.day
  const digests = new Map<Series, string>()
  const digested = bucketsOf(await boundUnknown(tx, placed), isKept).map((bucket) => {
    const { series } = bucket
    const digest = digests.get(series) ?? digestOf(gateway.name, series)
    digests.set(series, digest)
    return { ...bucket, digest }
  })
  const ids = await seriesIds(tx, gateway.name, digested, standing)
  await writeBuckets(
    tx,
    digested.map((bucket) => ({ ...bucket, id: ids.get(bucket.digest)! })),
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

/** The ids of series by their digests; those that are new are made. */
async function seriesIds(
  tx: Transaction,
  gateway: string,
  buckets: readonly (Bucket & { digest: string })[],
  standing: readonly Standing[],
): Promise<Map<string, number>> {
  const wanted = new Map(buckets.map(({ digest, series }) => [digest, series]))
  const known = async () =>
    new Map(
      (
        await tx
          .select({ id: trafficSeries.id, digest: trafficSeries.digest })
          .from(trafficSeries)
          .where(sql`${trafficSeries.digest} = any(${sql.param([...wanted.keys()])}::text[])`)
      ).map(({ digest, id }) => [digest, id]),
    )
  const found = await known()
  const missing = [...wanted].filter(([digest]) => !found.has(digest))
  if (missing.length === 0) return found
  const places = new Map(standing.map((one) => [one.id, one]))
  await insertMany(
    tx,
    trafficSeries,
    missing.map(([digest, series]) => {
      const at = places.get(series.placement)
      return { ...series, digest, gateway, apiId: at?.apiId ?? null, stage: at?.stage ?? '' }
    }),
  )
  return known()
}

type Kept = Bucket & { id: number }

/** Adds counts to those that are there. Nobody else counts for this gateway meanwhile: its cursor is held. */
async function writeBuckets(tx: Transaction, buckets: readonly Kept[]): Promise<void> {
  const keyOf = (resolution: string, at: number, series: number) => `${resolution} ${at} ${series}`
  const { rows } = await tx.execute<{
    resolution: string
    at: Date
    series: number
    calls: string
    broken: string
    bytes_in: string
    bytes_out: string
    durations: Buffer
    upstream: Buffer
  }>(sql`
    select t.* from unnest(
      ${sql.param(buckets.map(({ resolution }) => resolution))}::text[],
      ${sql.param(buckets.map(({ at }) => new Date(at).toISOString()))}::timestamptz[],
      ${sql.param(buckets.map(({ id }) => id))}::int[]) as wanted (resolution, at, series)
    join ${traffic} t on t.resolution = wanted.resolution and t.at = wanted.at and t.series = wanted.series`)
  const before = new Map(
    rows.map((row) => [
      keyOf(row.resolution, new Date(row.at).getTime(), row.series),
      {
        calls: Number(row.calls),
        broken: Number(row.broken),
        bytesIn: Number(row.bytes_in),
        bytesOut: Number(row.bytes_out),
        durations: Histogram.decode(row.durations),
        upstream: Histogram.decode(row.upstream),
      } satisfies Counts,
    ]),
  )
  for (const bucket of buckets) {
    const kept = before.get(keyOf(bucket.resolution, bucket.at, bucket.id))
    if (kept) addCounts(bucket, kept)
  }
  const column = <T>(pick: (bucket: Kept) => T) => sql.param(buckets.map(pick))
  await tx.execute(sql`
    insert into ${traffic} (resolution, at, series, calls, broken, bytes_in, bytes_out, durations, upstream)
    select * from unnest(
      ${column(({ resolution }) => resolution)}::text[],
      ${column(({ at }) => new Date(at).toISOString())}::timestamptz[],
      ${column(({ id }) => id)}::int[],
      ${column(({ calls }) => calls)}::bigint[],
      ${column(({ broken }) => broken)}::bigint[],
      ${column(({ bytesIn }) => bytesIn)}::bigint[],
      ${column(({ bytesOut }) => bytesOut)}::bigint[],
      ${column(({ durations }) => Buffer.from(durations.encode()))}::bytea[],
      ${column(({ upstream }) => Buffer.from(upstream.encode()))}::bytea[])
    on conflict (series, resolution, at) do update set
      calls = excluded.calls, broken = excluded.broken, bytes_in = excluded.bytes_in,
      bytes_out = excluded.bytes_out, durations = excluded.durations, upstream = excluded.upstream`)
}
