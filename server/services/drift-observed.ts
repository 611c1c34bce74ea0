import { and, eq, gte, inArray, isNull, sql } from 'drizzle-orm'
import type { Operation } from '../../core/contract/model'
import {
  behaviourOf,
  callingOf,
  spreadOf,
  type AddressUse,
  type Expected,
  type Limited,
  type Strayed,
  type DescribedResponse,
  type ObservedCalls,
  type ObservedType,
  type Observation,
} from '../../core/drift/observed'
import { grouped } from '../../core/text/grouped'
import { lastParts, periodAt } from '../../core/traffic/periods'
import { beginOf } from '../../core/traffic/spans'
import { operationKey, rowName } from '../../core/runtime/placement'
import { lockKeys } from '../db/lock-keys'
import type { Queries } from '../db/database'
import { apis, drift, parts, placements, requests, traffic, trafficSeries } from '../db/schema'
import type { PlacementRow } from './compiled'
import type { Services } from './context'
import { endDrift, followPlace, idsOf, knownAs, placeOf, type DriftRow } from './drift-following'
import { dayOf } from './known'
import { announce } from './ledger'
import { brokenIn, callsIn, within } from './traffic-spans'

const hour = 3_600_000
/** On each of so many days a client was told to wait, before that is told. */
const limitedDays = 5
const accounts = ['behaviour', 'callers'] as const

/** Holds what was counted in the last day against what is approved, placement by placement. */
export async function followTraffic(services: Services): Promise<void> {
  const { db, now } = services
  const at = now()
  const [observed, types, limited, addresses, strayed, open] = await Promise.all([
    observedCalls(db, at),
    observedTypes(db, at),
    limitedClients(db, at),
    addressUses(db, at),
    strayedKeys(db, at),
    db
      .select()
      .from(drift)
      .where(and(inArray(drift.account, [...accounts]), isNull(drift.closedAt))),
  ])
  const touched = new Set([...observed.keys(), ...open.map(({ placement }) => placement)])
  if (touched.size === 0) return
  const rows = await db
    .select({ placement: placements, lifecycle: apis.lifecycle, sunset: apis.sunset })
    .from(placements)
    .innerJoin(apis, eq(apis.id, placements.apiId))
    .where(sql`${placements.id} = any(${sql.param([...touched])}::text[])`)
  const today = dayOf(at)
  for (const { placement, lifecycle, sunset } of rows) {
    const ended = lifecycle === 'deprecated' || lifecycle === 'retired'
    const days = [ended ? sunset : null, placement.ending?.until ?? null]
    const endedOn = days.filter((day) => day !== null).sort()[0]
    const expected: Expected = {
      spec: placement.spec,
      responses: await describedResponses(db, placement),
      ...(endedOn !== undefined && endedOn < today && { endedOn }),
    }
    const calls = observed.get(placement.id) ?? []
    const known = open.filter((row) => row.placement === placement.id)
    const isKnown =
      (account: DriftRow['account']) =>
      ({ where, what }: Pick<DriftRow, 'where' | 'what'>) =>
        known.some((row) => row.account === account && row.where === where && row.what === what)
    const told = {
      behaviour: behaviourOf(expected, calls, types.get(placement.id) ?? [], isKnown('behaviour')),
      callers: callingOf(
        expected,
        calls,
        {
          limited: limited.get(placement.id) ?? [],
          spread: spreadOf(addresses.get(placement.id) ?? []),
          strayed: strayed.get(placement.id) ?? [],
        },
        isKnown('callers'),
      ),
    }
    for (const account of accounts)
      if (told[account].length > 0 || known.some((row) => row.account === account)) {
        await keep(services, placement, account, told[account])
      }
  }
  await forget(
    services,
    open,
    rows.map(({ placement }) => placement.id),
  )
}

async function keep(
  { db, now }: Services,
  placement: PlacementRow,
  account: (typeof accounts)[number],
  told: readonly Observation[],
): Promise<void> {
  await db.transaction(async (tx) => {
    await tx.execute(
      sql`SELECT pg_advisory_xact_lock(${lockKeys.observed}, hashtext(${placement.id}))`,
    )
    const rows = await tx
      .select()
      .from(drift)
      .where(
        and(eq(drift.account, account), eq(drift.placement, placement.id), isNull(drift.closedAt)),
      )
    const causes = new Map(told.map(({ difference, cause }) => [difference, cause]))
    await followPlace(
      tx,
      { now },
      placeOf(placement, account),
      rows.map(knownAs),
      told.map(({ difference }) => difference),
      { causes: (difference) => causes.get(difference)!, resolution: 'gone' },
    )
  })
}

/** Ends what was seen at placements that are there no more. */
async function forget(
  { db, now }: Services,
  open: readonly DriftRow[],
  there: readonly string[],
): Promise<void> {
  const left = open.filter(({ placement }) => !there.includes(placement))
  if (left.length === 0) return
  await endDrift(db, { now }, idsOf(left), { resolution: 'removed' })
  await announce(db, 'drift')
}

/** Requests of the last day by placement, added up over gateways and clients. */
async function observedCalls(db: Queries, at: Date): Promise<Map<string, ObservedCalls[]>> {
  const period = periodAt('24h', at.getTime())
  const calls = sql<number>`sum(${callsIn(period)})::int`
  const rows = await db
    .select({
      placement: trafficSeries.placement,
      operation: trafficSeries.operation,
      status: trafficSeries.status,
      step: trafficSeries.step,
      calls,
      broken: sql<number>`sum(${brokenIn(period)})::int`,
    })
    .from(traffic)
    .innerJoin(trafficSeries, eq(trafficSeries.id, traffic.series))
    .where(and(within(period, 'operation'), sql`${trafficSeries.placement} <> ''`))
    .groupBy(
      trafficSeries.placement,
      trafficSeries.operation,
      trafficSeries.status,
      trafficSeries.step,
    )
    .having(sql`${calls} > 0`)
  return byPlacement(rows)
}

/** Media types of responses of the last day by placement, as far as single requests are kept. */
async function observedTypes(db: Queries, at: Date): Promise<Map<string, ObservedType[]>> {
  const rows = await db
    .select({
      placement: requests.placement,
      operation: requests.operation,
      status: requests.status,
      type: requests.responseType,
      calls: sql<number>`count(*)::int`,
    })
    .from(requests)
    .where(
      and(
        gte(requests.at, new Date(at.getTime() - 24 * hour)),
        eq(requests.step, ''),
        sql`${requests.responseType} <> '' and ${requests.placement} <> ''`,
      ),
    )
    .groupBy(requests.placement, requests.operation, requests.status, requests.responseType)
  return byPlacement(rows)
}

/** So far back addresses are looked at. */
const addressDays = 14

/** From where each client called each placement, by the requests that are kept. */
async function addressUses(db: Queries, at: Date): Promise<Map<string, AddressUse[]>> {
  const yesterday = new Date(at.getTime() - 24 * hour)
  const rows = await db
    .select({
      placement: requests.placement,
      client: requests.client,
      address: requests.address,
      since: sql<number>`(extract(epoch from min(${requests.at})) * 1000)::float8`,
      recent: sql<number>`(count(*) filter (where ${gte(requests.at, yesterday)}))::int`,
    })
    .from(requests)
    .where(
      and(
        gte(requests.at, new Date(at.getTime() - addressDays * 24 * hour)),
        // What was not let in was perhaps not theirs.
        eq(requests.step, ''),
        sql`${requests.client} <> '' and ${requests.address} <> '' and ${requests.placement} <> ''`,
      ),
    )
    .groupBy(requests.placement, requests.client, requests.address)
  return byPlacement(rows)
}

/** Keys of other placements that were tried in the last day, by the placement where they were. */
async function strayedKeys(db: Queries, at: Date): Promise<Map<string, StrayedAt[]>> {
  const rows = await db
    .select({
      placement: requests.placement,
      client: requests.triedClient,
      title: apis.title,
      version: placements.version,
      stage: placements.stage,
      isHidden: sql<boolean>`${apis.confidential} and ${apis.id} is distinct from ${requests.apiId}`,
      calls: sql<number>`count(*)::int`,
    })
    .from(requests)
    .innerJoin(placements, eq(placements.id, requests.triedPlacement))
    .innerJoin(apis, eq(apis.id, placements.apiId))
    .where(
      and(
        gte(requests.at, new Date(at.getTime() - 24 * hour)),
        sql`${requests.triedClient} <> '' and ${requests.placement} not in ('', ${requests.triedPlacement})`,
      ),
    )
    .groupBy(requests.placement, requests.triedClient, requests.apiId, apis.id, placements.id)
  return byPlacement(
    rows.map(({ title, version, stage, isHidden, ...row }) => ({
      ...row,
      given: isHidden ? `another API in ${stage}` : `${title} ${version} in ${stage}`,
    })),
  )
}

type StrayedAt = Strayed & { placement: string }

/** Clients that were told to wait on every one of the last days, by placement. */
async function limitedClients(db: Queries, at: Date): Promise<Map<string, Limited[]>> {
  const today = beginOf('day', at.getTime())
  const period = lastParts('day', limitedDays, today - 1)
  const begins = sql`${traffic.span} + (part - 1) * interval '24 hours'`
  const days = sql<number>`count(distinct ${begins})::int`
  const rows = await db
    .select({ placement: trafficSeries.placement, client: trafficSeries.client, days })
    .from(traffic)
    .innerJoin(trafficSeries, eq(trafficSeries.id, traffic.series))
    .crossJoin(sql`lateral generate_subscripts(${traffic.line}, 1) part`)
    .where(
      and(
        within(period, 'client'),
        sql`${traffic.line}[part] > coalesce(${traffic.line}[part - 1], 0) and ${begins} >= ${new Date(period.from)} and ${begins} < ${new Date(period.to)}`,
        eq(trafficSeries.status, 429),
        sql`${trafficSeries.placement} <> ''`,
      ),
    )
    .groupBy(trafficSeries.placement, trafficSeries.client)
    .having(sql`${days} >= ${limitedDays}`)
  return byPlacement(rows)
}

const byPlacement = <T extends { placement: string }>(rows: readonly T[]): Map<string, T[]> =>
  grouped(rows, ({ placement }) => placement)

/** Responses by operation, by revision: a revision never changes. */
const described = new Map<number, ReadonlyMap<string, readonly DescribedResponse[]>>()
const mostDescribed = 1000

async function describedResponses(
  db: Queries,
  { revisionId, spec }: PlacementRow,
): Promise<Expected['responses']> {
  // A REST face answers by the rules of the face.
  if (spec.face) return new Map()
  let known = described.get(revisionId)
  if (!known) {
    if (described.size >= mostDescribed) described.clear()
    const rows = await db
      .select({ detail: parts.detail })
      .from(parts)
      .where(and(eq(parts.revisionId, revisionId), eq(parts.kind, 'operation')))
    known = new Map(
      rows.flatMap(({ detail }) => {
        const { method, path, responses, soap } = detail as Operation
        const key = operationKey({ method: method.toUpperCase(), path })
        const told = responses.map(({ status, content }) => ({
          status,
          types: content.map(({ type }) => type),
        }))
        return soap?.length ? [] : [[key, told] as const]
      }),
    )
    described.set(revisionId, known)
  }
  const named = spec.routes.flatMap((row) => {
    const statuses = known.get(operationKey(row))
    return statuses ? [[rowName(row), statuses] as const] : []
  })
  return new Map(named)
}
