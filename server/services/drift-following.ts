import { and, asc, desc, eq, gte, inArray, isNull, lte, ne, or, sql, type SQL } from 'drizzle-orm'
import { causeOf, type Circumstances } from '../../core/drift/causes'
import { compareRoutes, type Difference } from '../../core/drift/compare'
import { follow, type Followed } from '../../core/drift/follow'
import { routesOf } from '../../core/runtime/read'
import { grouped } from '../../core/text/grouped'
import type { Resource } from '../../core/runtime/resources'
import type { Route } from '../../core/runtime/routes'
import type { DriftAccount, DriftResolution } from '../../shared/words'
import type { Queries, Transaction } from '../db/database'
import {
  drift,
  gateways,
  people,
  placementSites,
  rolloutPlacements,
  rollouts,
  rolloutSteps,
  snapshots,
} from '../db/schema'
import { seeingEverything } from '../db/viewer'
import { compiledAll, type PlacementRow } from './compiled'
import { byItself, type Services } from './context'
import { record } from './ledger'
import { asRow } from './rollouts'
import { Scopes } from './scopes'
import { unseenAfterMs } from './sites'

export type DriftRow = typeof drift.$inferSelect

/** Drift as differences are compared. */
export type Known = Difference & { row: DriftRow }

/** What the ledger calls the place of drift: the placement, the gateway, or the address of the source. */
export const subjectOf = ({
  placement,
  gateway,
  where,
}: Pick<DriftRow, 'placement' | 'gateway' | 'where'>): string => placement || gateway || where

/** Where drift is: at a placement, or on a gateway that nobody placed it on. */
export type Place = Pick<
  DriftRow,
  'account' | 'apiId' | 'placement' | 'version' | 'stage' | 'group' | 'gateway'
>

export const knownAs = (row: DriftRow): Known => ({
  where: row.where,
  what: row.what,
  ledger: row.ledger,
  gateway: row.runs,
  cause: row.cause.text,
  operations: row.operations,
  row,
})

/** So many differences of one place are named in an entry of the ledger. */
const mostNamed = 50

/** What a reading of a gateway found at one placement. */
export interface Reading {
  placement: PlacementRow
  running: Route[]
  differences: Difference[]
}

/** What a gateway runs otherwise, and has not ended. */
const openDrift = (db: Queries, gateway: string) =>
  db
    .select()
    .from(drift)
    .where(and(eq(drift.account, 'gateway'), eq(drift.gateway, gateway), isNull(drift.closedAt)))
    .orderBy(asc(drift.id))

export const placeOf = (
  { id, apiId, version, stage, group }: PlacementRow,
  account: DriftAccount,
  gateway = '',
): Place => ({ account, apiId, placement: id, version, stage, group, gateway })

/** Some drift by its rows. */
export const idsOf = (rows: readonly Pick<DriftRow, 'id'>[]) =>
  inArray(
    drift.id,
    rows.map(({ id }) => id),
  )

/** Ends drift, unless it has ended already. */
export const endDrift = (
  db: Queries,
  { now }: Pick<Services, 'now'>,
  which: SQL | undefined,
  how: Pick<DriftRow, 'resolution'> & Partial<Pick<DriftRow, 'closedBy' | 'rolloutId'>>,
) =>
  db
    .update(drift)
    .set({ closedAt: now(), ...how })
    .where(and(isNull(drift.closedAt), which))

/**
 * Writes down what became of the drift at one place: what is new, what changed, what is gone. One entry of the ledger
 * tells each, however many differences there are.
 */
export async function followPlace(
  tx: Transaction,
  { now }: Pick<Services, 'now'>,
  place: Place,
  known: readonly Known[],
  found: readonly Difference[],
  {
    causes,
    resolution,
  }: { causes: (difference: Difference) => DriftRow['cause']; resolution: DriftResolution },
): Promise<void> {
  const followed = follow(known, found)
  const at = now()
  const opened =
    followed.opened.length === 0
      ? []
      : await tx
          .insert(drift)
          .values(
            followed.opened.map((difference) => ({
              ...place,
              ...columnsOf(difference),
              cause: causes(difference),
              openedAt: at,
              changedAt: at,
            })),
          )
          .returning()
  for (const { before, now: difference } of followed.changed)
    await tx
      .update(drift)
      // What was accepted was accepted as it was.
      .set({ ...columnsOf(difference), changedAt: at, acceptedUntil: null, acceptedWhy: '' })
      .where(eq(drift.id, before.row.id))
  const gone = followed.gone.map(({ row }) => row)
  if (gone.length > 0) await endDrift(tx, { now }, idsOf(gone), { resolution })
  await tell(tx, { now }, place, followed, opened, resolution)
}

const columnsOf = ({ where, what, ledger, gateway, operations }: Difference) => ({
  where,
  what,
  ledger,
  runs: gateway,
  operations,
})

async function tell(
  tx: Transaction,
  { now }: Pick<Services, 'now'>,
  { apiId, placement, gateway, account }: Place,
  { changed, gone }: Followed<Known>,
  opened: readonly DriftRow[],
  resolution: DriftResolution,
): Promise<void> {
  const [first = gone[0]?.row ?? changed[0]?.before.row] = opened
  const where = first?.where ?? ''
  const said = (action: 'opened' | 'changed' | 'resolved', before: object[], after: object[]) =>
    before.length + after.length === 0
      ? undefined
      : record(
          tx,
          { actor: byItself, now },
          {
            action: `drift.${action}`,
            api: apiId,
            subject: subjectOf({ placement, gateway, where }),
            before: before.length > 0 ? before.slice(0, mostNamed) : undefined,
            after: {
              account,
              ...(gateway !== '' && { gateway }),
              differences: Math.max(before.length, after.length),
              ...(action === 'resolved' ? { resolution } : { are: after.slice(0, mostNamed) }),
            },
          },
        )
  const named = ({ id, where, what, ledger, runs }: DriftRow) => ({
    ...{ drift: id, where, what, ledger, runs },
  })
  await said('opened', [], opened.map(named))
  await said(
    'changed',
    changed.map(({ before: { row } }) => named(row)),
    changed.map(({ before: { row }, now: { where, what, ledger, gateway: runs } }) => ({
      ...{ drift: row.id, where, what, ledger, runs },
    })),
  )
  await said(
    'resolved',
    gone.map(({ row }) => named(row)),
    [],
  )
}

/** What a reading of a gateway says to the drift that was known there. */
export interface GatewayReading {
  gateway: { name: string; group: string }
  takenAt: Date
  /** What it runs, to the letter. */
  text: string
  readings: Reading[]
  /** Routes that belong to no placement. */
  strangers: Difference[]
  /** Certificates of its hosts; they tell themselves what they are for. */
  certificates: Difference[]
  /** The placements of the group, also those that a rollout is changing. */
  placed: ReadonlySet<string>
  /** Placements whose reading was not overtaken by a later one, or by a change of what is approved. */
  kept: ReadonlySet<string>
}

/** Follows drift of a gateway from one reading to the next, in the transaction that keeps the reading. */
export async function followGateway(
  tx: Transaction,
  services: Pick<Services, 'now'>,
  { gateway, readings, strangers, certificates, placed, kept }: GatewayReading,
  facts: ReadonlyMap<string, Circumstances>,
): Promise<void> {
  const known = grouped(
    (await openDrift(tx, gateway.name)).map(knownAs),
    ({ row }) => row.placement,
  )
  const causes = (placement: string) => (difference: Difference) => {
    const circumstances = facts.get(placement)
    return circumstances
      ? causeOf(difference, circumstances)
      : { kind: 'edited' as const, text: `${difference.cause}.`, evidence: [] }
  }
  for (const { placement, differences } of readings) {
    if (!kept.has(placement.id)) continue
    const place = placeOf(placement, 'gateway', gateway.name)
    await followPlace(tx, services, place, known.get(placement.id) ?? [], differences, {
      causes: causes(placement.id),
      resolution: 'by-hand',
    })
  }
  const nobody = { apiId: null, placement: '', version: '', stage: '' }
  const here = { ...nobody, account: 'gateway' as const, group: gateway.group }
  await followPlace(
    tx,
    services,
    { ...here, gateway: gateway.name },
    known.get('') ?? [],
    [...strangers, ...certificates],
    {
      causes: (difference) =>
        certificates.includes(difference)
          ? { kind: 'observed', text: `${difference.cause}.`, evidence: [] }
          : causes('')(difference),
      resolution: 'by-hand',
    },
  )
  const left = [...known].filter(([id]) => id !== '' && !placed.has(id)).flatMap(([, all]) => all)
  if (left.length > 0)
    await endDrift(tx, services, idsOf(left.map(({ row }) => row)), { resolution: 'removed' })
}

/** Ends the drift of placements that a rollout has made as they are approved. */
export async function resolveDrift(
  tx: Transaction,
  services: Pick<Services, 'now'>,
  of: { placements: string[]; gateways?: string[] },
  by: { rollout: number; name: string; resolution: DriftResolution },
): Promise<void> {
  await endDrift(
    tx,
    services,
    and(
      eq(drift.account, 'gateway'),
      inArray(drift.placement, of.placements),
      of.gateways && inArray(drift.gateway, of.gateways),
    ),
    { resolution: by.resolution, closedBy: by.name, rolloutId: by.rollout },
  )
}

/** Ends the drift of a gateway that serves the placements no more. */
export async function forgetDrift(
  tx: Transaction,
  services: Pick<Services, 'now'>,
  gateway: string,
): Promise<void> {
  await seeingEverything(tx, () =>
    endDrift(tx, services, eq(drift.gateway, gateway), { resolution: 'gone' }),
  )
}

/** Beyond so many placements that differ at once, each is not compared with what it was before. */
const mostCompared = 20

/** What was the case around each place where something new was seen. */
export async function circumstancesOf(
  services: Services,
  reading: Omit<GatewayReading, 'kept'>,
): Promise<Map<string, Circumstances>> {
  const { db } = services
  const { gateway, takenAt, text, readings, strangers } = reading
  const known = await openDrift(db, gateway.name)
  const isNew = (placement: string, differences: readonly Difference[]) =>
    follow(known.filter((row) => row.placement === placement).map(knownAs), differences).opened
      .length > 0
  const news = readings.filter(({ placement, differences }) => isNew(placement.id, differences))
  const facts = new Map<string, Circumstances>()
  const strange = isNew('', strangers)
  if (news.length === 0 && !strange) return facts
  const common = {
    gateway: gateway.name,
    at: takenAt.toISOString(),
    ...(await ranBefore(db, gateway.name, text)),
  }
  const differing = new Set(known.map((row) => row.placement))
  for (const { placement, running } of news) {
    const [before, rollout, others, earlier] = await Promise.all([
      sightOf(db, placement.id, gateway.name),
      lastRollout(db, placement.id),
      othersOf(db, placement, gateway.name, takenAt),
      news.length <= mostCompared ? earlierThat(services, placement, running, gateway.name) : {},
    ])
    facts.set(placement.id, {
      ...common,
      ...(before && { before: { at: before, inStep: !differing.has(placement.id) } }),
      ...rollout,
      others,
      ...earlier,
    })
  }
  if (strange) {
    const [row] = await db
      .select({ at: gateways.seenAt })
      .from(gateways)
      .where(eq(gateways.name, gateway.name))
    const before = row?.at && { before: { at: row.at.toISOString(), inStep: true } }
    facts.set('', { ...common, ...before, others: [] })
  }
  return facts
}

/** When a gateway was last read for a placement. */
async function sightOf(db: Queries, placement: string, gateway: string) {
  const [site] = await db
    .select({ at: placementSites.checkedAt })
    .from(placementSites)
    .where(and(eq(placementSites.placementId, placement), eq(placementSites.gateway, gateway)))
  return site?.at.toISOString()
}

/** When a gateway ran what it runs now, before something else, and was as approved then. */
async function ranBefore(
  db: Queries,
  gateway: string,
  text: string,
): Promise<Pick<Circumstances, 'ranBefore'>> {
  const of = (wanted: ReturnType<typeof and>) =>
    db
      .select({ id: snapshots.id, at: snapshots.takenAt })
      .from(snapshots)
      .where(and(eq(snapshots.gateway, gateway), wanted))
      .orderBy(desc(snapshots.id))
      .limit(1)
  const isSame = sql`octet_length(${snapshots.text}) = ${Buffer.byteLength(text)} and ${snapshots.text} = ${text}`
  const [other] = await of(sql`not (${isSame})`)
  if (!other) return {}
  const [same] = await of(and(isSame, sql`${snapshots.id} < ${other.id}`))
  if (!same) return {}
  const [after] = await db
    .select({ at: snapshots.takenAt })
    .from(snapshots)
    .where(and(eq(snapshots.gateway, gateway), sql`${snapshots.id} > ${same.id}`))
    .orderBy(asc(snapshots.id))
    .limit(1)
  // What was drift then as well is the same edit once more.
  const wasDrift = await db.$count(
    drift,
    and(
      eq(drift.gateway, gateway),
      lte(drift.openedAt, new Date(same.at.getTime() + 1000)),
      or(isNull(drift.closedAt), gte(drift.closedAt, after!.at)),
    ),
  )
  if (wasDrift > 0) return {}
  return { ranBefore: { from: same.at.toISOString(), until: after!.at.toISOString() } }
}

/** The rollout of a placement that ended last. */
async function lastRollout(
  db: Queries,
  placement: string,
): Promise<Pick<Circumstances, 'rollout'>> {
  const [row] = await db
    .select({ rollout: rollouts, by: people.displayName })
    .from(rolloutPlacements)
    .innerJoin(rollouts, eq(rollouts.id, rolloutPlacements.rolloutId))
    .innerJoin(people, eq(people.id, rollouts.byId))
    .where(and(eq(rolloutPlacements.placementId, placement), sql`${rollouts.endedAt} is not null`))
    .orderBy(desc(rollouts.endedAt))
    .limit(1)
  if (!row) return {}
  const { id, title, state, endedAt } = row.rollout
  const steps = await db
    .select({ gateway: rolloutSteps.gateway })
    .from(rolloutSteps)
    .where(eq(rolloutSteps.rolloutId, id))
    .orderBy(asc(rolloutSteps.position))
  return {
    rollout: {
      ...{ id, title, by: row.by },
      endedAt: endedAt!.toISOString(),
      state: state === 'done' ? 'done' : 'rolled-back',
      gateways: steps.map(({ gateway }) => gateway),
    },
  }
}

/** How the other gateways of the group stood to a placement when they were last read. */
async function othersOf(
  db: Queries,
  { id, group }: PlacementRow,
  gateway: string,
  at: Date,
): Promise<Circumstances['others']> {
  const rows = await db
    .select({
      gateway: gateways.name,
      checkedAt: placementSites.checkedAt,
      differs: sql<boolean>`exists (select 1 from ${drift} d where d.placement = ${id}
        and d.gateway = ${gateways.name} and d.account = 'gateway' and d.closed_at is null)`,
    })
    .from(gateways)
    .leftJoin(
      placementSites,
      and(eq(placementSites.gateway, gateways.name), eq(placementSites.placementId, id)),
    )
    .where(and(eq(gateways.group, group), ne(gateways.name, gateway)))
    .orderBy(asc(gateways.position))
  return rows.map(({ gateway: name, checkedAt, differs }) => {
    const isKnown = checkedAt !== null && at.getTime() - checkedAt.getTime() < unseenAfterMs
    return { gateway: name, ...(isKnown && { inStep: !differs }) }
  })
}

/** So many earlier states are looked at. */
const mostEarlier = 5

/** What was approved before and is exactly what runs. */
async function earlierThat(
  { db }: Services,
  placement: PlacementRow,
  running: Route[],
  member: string,
): Promise<Pick<Circumstances, 'earlier'>> {
  if (running.length === 0) return {}
  const rows = await db
    .select({ id: rollouts.id, change: rollouts.change, endedAt: rollouts.endedAt })
    .from(rolloutPlacements)
    .innerJoin(rollouts, eq(rollouts.id, rolloutPlacements.rolloutId))
    .where(and(eq(rolloutPlacements.placementId, placement.id), eq(rollouts.state, 'done')))
    .orderBy(desc(rollouts.endedAt))
    .limit(50)
  const states = rows.flatMap(({ id, change, endedAt }) => {
    const wanted =
      change.kind === 'place' ? change.wanted.find((one) => one.id === placement.id) : undefined
    return wanted ? [{ id, wanted, endedAt: endedAt! }] : []
  })
  // The newest is what is approved now; each was replaced by the one before it in this list.
  const before = states.slice(1, 1 + mostEarlier)
  const made: Resource[][] = await compiledAll(
    db,
    before.map(({ wanted }) => asRow(wanted)),
    { member, scopes: await Scopes.read(db) },
  )
  const match = made.findIndex(
    (resources) => compareRoutes(routesOf(resources), running).length === 0,
  )
  if (match === -1) return {}
  const by = states[match]!
  return {
    earlier: {
      version: before[match]!.wanted.version,
      until: by.endedAt.toISOString(),
      rollout: by.id,
    },
  }
}
