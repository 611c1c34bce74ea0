import { and, asc, desc, eq, isNull, lte, ne, or, sql } from 'drizzle-orm'
import { compareCertificates } from '../../core/drift/certificates'
import { compareRoutes, targetText, type Difference } from '../../core/drift/compare'
import { sha256Hex } from '../../core/ledger/chain'
import { fromCluster } from '../../core/runtime/cluster/read'
import { ConfigurationError } from '../../core/runtime/config-values'
import { routesOf } from '../../core/runtime/read'
import { writeResources, type Resource } from '../../core/runtime/resources'
import { conditionsText } from '../../core/runtime/conditions'
import { isServed, type Route } from '../../core/runtime/routes'
import { RunningRoutes } from '../../core/runtime/running'
import { routeAddress } from '../../core/runtime/take-off'
import type {
  GatewayHealth,
  GatewayItem,
  GroupItem,
  RoutesQuery,
  RunningRouteItem,
} from '../../shared/api/gateways'
import { lockKeys } from '../db/lock-keys'
import type { Queries, Transaction } from '../db/database'
import { adapterOf } from '../gateways'
import { readHealth, readListeners } from '../gateways/admin-api'
import type { Adapter, GatewayRow, Meaning, Running } from '../gateways/adapter'
import {
  gatewayGroups,
  gateways,
  placements,
  placementSites,
  snapshots,
  uploads,
  type KeptListeners,
} from '../db/schema'
import { compiledAll, type PlacementRow } from './compiled'
import type { Context, Services } from './context'
import { circumstancesOf, followGateway, type Reading } from './drift-following'
import { conflict, Failure, invalid, notFound } from './failure'
import { announce, record } from './ledger'
import { pageFrom, type Page } from './paging'
import { can, requirePermission } from './permissions'
import { unfinishedByPlacement } from './rollouts'
import { Scopes } from './scopes'
import { isOpenDrift } from './sites'

export async function findGateway(db: Queries, name: string): Promise<GatewayRow> {
  const [row] = await db.select().from(gateways).where(eq(gateways.name, name))
  if (!row) throw notFound(`gateway called "${name}"`)
  return row
}

export async function listGateways(db: Queries): Promise<GatewayItem[]> {
  const rows = await db
    .select({
      gateway: gateways,
      placements: sql<number>`(select count(*)::int from placements where placements."group" = gateways."group")`,
      differing: sql<number>`(select count(distinct d.placement)::int from drift d where d.gateway = gateways.name and d.placement <> '' and ${isOpenDrift})`,
      claimed: sql<number>`(select coalesce(sum(site.routes), 0)::int from placement_sites site where site.gateway = gateways.name)`,
    })
    .from(gateways)
    .orderBy(asc(gateways.position))
  return rows.map(
    ({ gateway: { seenAt, listeners, unclaimed, ...gateway }, claimed, ...counts }) => ({
      name: gateway.name,
      group: gateway.group,
      kind: gateway.kind,
      serves: gateway.serves,
      dataUrl: gateway.dataUrl,
      tlsUrl: gateway.tlsUrl,
      folder: gateway.folder,
      trouble: gateway.trouble,
      passedOver: gateway.passedOver,
      certificates: listeners?.certificates ?? [],
      certificateTroubles: listeners?.troubles ?? [],
      routes: claimed + unclaimed.length,
      unclaimed,
      ...(seenAt && { seenAt: seenAt.toISOString() }),
      ...counts,
    }),
  )
}

export const listGroups = async (db: Queries): Promise<GroupItem[]> =>
  db
    .select({
      name: gatewayGroups.name,
      serves: gatewayGroups.serves,
      members: sql<
        string[]
      >`array(select member.name from gateways member where member."group" = gateway_groups.name order by member.position)`,
      placements: sql<number>`(select count(*)::int from placements where placements."group" = gateway_groups.name)`,
    })
    .from(gatewayGroups)
    .orderBy(asc(gatewayGroups.position))

/** A gateway, unless a reading that began later has told of it already. */
const notTriedSince = (name: string, triedAt: Date) =>
  and(eq(gateways.name, name), or(isNull(gateways.triedAt), lte(gateways.triedAt, triedAt)))

/** What a gateway runs, as resources and as routes. */
export interface Snapshot extends Running, Meaning {
  routes: RunningRoutes
}

/** What each gateway said last: a text that is the same is not parsed again. */
const lastRead = new Map<string, Snapshot>()

function parsed(gateway: string, running: Running, adapter: Adapter): Snapshot {
  const known = lastRead.get(gateway)
  if (known?.text === running.text) return { ...known, etag: running.etag }
  return remember(gateway, running, adapter.understand(running.text))
}

/** Remembers what a gateway is about to say: reading back what was written gives the resources that it was written from. */
export const expectRunning = (gateway: string, text: string, resources: readonly Resource[]) =>
  void remember(gateway, { text, etag: '' }, { resources, passedOver: [] })

function remember(gateway: string, running: Running, meaning: Meaning): Snapshot {
  const routes = new RunningRoutes(routesOf(meaning.resources))
  const snapshot = { ...running, ...meaning, routes }
  lastRead.set(gateway, snapshot)
  return snapshot
}

/** Reads a gateway and keeps what it says; throws where it cannot be read, having kept why. */
export async function takeSnapshot(services: Services, gateway: GatewayRow): Promise<Snapshot> {
  const { db, now } = services
  const triedAt = now()
  try {
    const adapter = adapterOf(services, gateway)
    const running = await adapter.read()
    const snapshot = parsed(gateway.name, running, adapter)
    const [last] = await db
      .select({ etag: snapshots.etag })
      .from(snapshots)
      .where(eq(snapshots.gateway, gateway.name))
      .orderBy(desc(snapshots.id))
      .limit(1)
    if (last?.etag !== running.etag) {
      const { text, etag } = running
      await db.insert(snapshots).values({ gateway: gateway.name, takenAt: now(), text, etag })
    }
    return snapshot
  } catch (error) {
    const trouble =
      error instanceof Failure
        ? error.detail
        : error instanceof ConfigurationError
          ? `What it runs is not readable: ${error.message}`
          : undefined
    if (trouble === undefined) throw error
    await db.update(gateways).set({ trouble, triedAt }).where(notTriedSince(gateway.name, triedAt))
    await announce(db, 'gateway')
    throw error instanceof Failure
      ? error
      : new Failure(502, 'The gateway is not readable', trouble)
  }
}

/**
 * Reads a gateway and compares it with every placement approved for its group. What a rollout is changing is left to
 * it, and a reading never replaces a later one.
 */
export async function checkGateway(services: Services, name: string): Promise<void> {
  const { db, now } = services
  const gateway = await findGateway(db, name)
  const takenAt = now()
  const snapshot = await takeSnapshot(services, gateway)
  const listeners = await listenersOf(services, gateway)
  const adapter = adapterOf(services, gateway)
  const changing = await unfinishedByPlacement(db)
  const scopes = await Scopes.read(db)
  const placed = await db.select().from(placements).where(eq(placements.group, gateway.group))
  const claimed = new Set(snapshot.routes.all.filter((route) => changing.has(route.placement)))
  const compared: { placement: PlacementRow; running: Route[] }[] = []
  for (const placement of placed) {
    const running = snapshot.routes.of(placement)
    for (const route of running) claimed.add(route)
    if (!changing.has(placement.id)) compared.push({ placement, running })
  }
  const intended = await compiledAll(
    db,
    compared.map(({ placement }) => placement),
    { member: name, scopes },
  )
  const readings = compared.map(({ placement, running }, index) => ({
    placement,
    running,
    differences: differencesOf(adapter, intended[index]!, running),
  }))
  const unclaimed = snapshot.routes.all
    .filter((route) => isServed(route) && !claimed.has(route))
    .slice(0, mostUnclaimed)
  const reading = {
    gateway,
    takenAt,
    text: snapshot.text,
    readings,
    strangers: unclaimed.map(strangerOf),
    certificates: await certificatesThatDiffer(services, gateway, listeners, placed),
    placed: new Set(placed.map(({ id }) => id)),
  }
  const facts = await circumstancesOf(services, reading)
  await db.transaction(async (tx) => {
    await tx.execute(sql`SELECT pg_advisory_xact_lock(${lockKeys.reading}, hashtext(${name}))`)
    const told = await tx
      .update(gateways)
      .set({
        seenAt: takenAt,
        trouble: '',
        triedAt: takenAt,
        listeners,
        passedOver: snapshot.passedOver.slice(0, 200),
        unclaimed: unclaimed.map(({ method, host, path }) => `${method} ${host}${path}`),
      })
      .where(notTriedSince(name, takenAt))
      .returning({ name: gateways.name })
    // A reading that began later has told everything already.
    if (told.length === 0) return
    const kept = await keepSites(tx, name, takenAt, readings)
    await followGateway(tx, services, { ...reading, kept }, facts)
    await announce(tx, 'gateway')
  })
}

/** So many routes that belong to nobody are told of one gateway. */
const mostUnclaimed = 200

/** Drift that no placement can be blamed for. */
function strangerOf(route: Route): Difference {
  return {
    where: routeAddress(route),
    what: 'route',
    ledger: 'placed by nobody',
    gateway: targetText(route.target),
    cause: 'A route was added on the gateway by hand',
    operations: [`${route.method} ${route.path}`],
  }
}

/** Hosts of placements whose certificate at a gateway is none, not valid, or not the one that its group shows. */
async function certificatesThatDiffer(
  { db, now }: Services,
  { name, group }: GatewayRow,
  listeners: KeptListeners | null,
  placed: readonly PlacementRow[],
): Promise<Difference[]> {
  if (!listeners?.https) return []
  const others = await db
    .select({ gateway: gateways.name, listeners: gateways.listeners })
    .from(gateways)
    .where(and(eq(gateways.group, group), ne(gateways.name, name)))
  return compareCertificates(
    placed.map(({ spec }) => spec.host),
    { gateway: name, certificates: listeners.certificates },
    others.map((other) => ({
      gateway: other.gateway,
      certificates: other.listeners?.certificates ?? [],
    })),
    now().getTime(),
  )
}

/** Keeps how placements were seen, but for those that changed, or were read, in between; which were kept. */
async function keepSites(
  tx: Transaction,
  name: string,
  takenAt: Date,
  readings: readonly Reading[],
): Promise<Set<string>> {
  const seen = readings.map(({ placement: { id, generation }, running }) => ({
    ...{ id, generation },
    routes: running.filter(isServed).length,
  }))
  const { rows } = await tx.execute<{ placement_id: string }>(sql`
    insert into ${placementSites} ("placement_id", "gateway", "checked_at", "routes")
    select seen.id, ${name}, ${takenAt}, seen.routes
    from jsonb_to_recordset(${JSON.stringify(seen)}::jsonb)
      as seen (id text, generation integer, routes integer)
    join ${placements} on ${placements.id} = seen.id and ${placements.generation} = seen.generation
    order by seen.id
    on conflict ("placement_id", "gateway") do update
    set checked_at = excluded.checked_at, routes = excluded.routes
    where ${placementSites.checkedAt} <= excluded.checked_at
    returning "placement_id"`)
  return new Set(rows.map((row) => row.placement_id))
}

/** Where a gateway listens, if it is of a kind that says so; nobody's reading fails for it. */
async function listenersOf({ gatewaySecret }: Services, gateway: GatewayRow) {
  if (gateway.kind !== 'admin-api') return null
  const said = await readListeners(gateway, gatewaySecret).catch((error: unknown) => {
    if (error instanceof Failure) return undefined
    throw error
  })
  return said ?? null
}

/** What differs from what is approved, as far as this kind can be told of it. */
function differencesOf(adapter: Adapter, intended: Resource[], running: Route[]): Difference[] {
  try {
    return compareRoutes(routesOf(adapter.asRead(intended)), running)
  } catch (error) {
    if (!(error instanceof ConfigurationError)) throw error
    return [
      {
        where: 'every operation',
        what: 'what holds here',
        ledger: error.message,
        gateway: 'cannot be told of it',
        cause: 'Something holds by now that this kind of gateway cannot enforce',
        operations: [],
      },
    ]
  }
}

/** How a gateway and its targets are at this moment. */
export async function gatewayHealth(
  { db, gatewaySecret, now }: Context,
  name: string,
): Promise<GatewayHealth> {
  const gateway = await findGateway(db, name)
  const begun = performance.now()
  const took = () => Math.round(performance.now() - begun)
  const askedAt = now().toISOString()
  if (gateway.kind !== 'admin-api')
    return {
      ...{ askedAt, answers: false, ms: 0 },
      ...{ says: 'This kind of gateway cannot be asked', targets: [] },
    }
  try {
    const targets = await readHealth(gateway, gatewaySecret)
    return {
      askedAt,
      answers: true,
      ms: took(),
      says: '',
      targets: targets.map(({ url, state, trouble }) => ({ url, state, says: trouble })),
    }
  } catch (error) {
    if (!(error instanceof Failure)) throw error
    return { askedAt, answers: false, ms: took(), says: error.detail, targets: [] }
  }
}

/** What a gateway ran when it was read last; routes of placements that somebody may not see are not there for them. */
export async function listGatewayRoutes(
  { db, system }: Context,
  name: string,
  query: RoutesQuery,
): Promise<Page<RunningRouteItem>> {
  const gateway = await findGateway(db, name)
  const [last] = await system.db
    .select({ text: snapshots.text, etag: snapshots.etag })
    .from(snapshots)
    .where(eq(snapshots.gateway, name))
    .orderBy(desc(snapshots.id))
    .limit(1)
  if (!last) return pageFrom([], query)
  const { routes } = parsed(name, last, adapterOf(system, gateway))
  const seen = new Set(
    (await db.select({ id: placements.id }).from(placements)).map(({ id }) => id),
  )
  const all = await system.db.select({ id: placements.id }).from(placements)
  const hidden = new Set(all.map(({ id }) => id).filter((id) => !seen.has(id)))
  const words = (query.q ?? '').toLowerCase().split(/\s+/).filter(Boolean)
  const items = routes.all
    .filter((route) => isServed(route) && !hidden.has(route.placement))
    .map(({ method, host, path, open, listener, conditions, target, placement }) => ({
      ...{ method, host, path: open ? `${path === '/' ? '' : path}/…` : path, placement },
      also: [listener && `${listener} only`, conditionsText(conditions).trim()]
        .filter(Boolean)
        .join(', '),
      goesTo: targetText(target),
    }))
    .filter((item) => {
      const text = Object.values(item).join(' ').toLowerCase()
      return words.every((word) => text.includes(word))
    })
  return pageFrom(items, query)
}

/** What a gateway is meant to run, of the placements that whoever asks may see, as resources of Gateway API. */
export async function readIntent(context: Context, name: string): Promise<string> {
  const { db, actor } = context
  if (!can(actor, 'administer')) requirePermission(actor, 'read')
  const { group } = await findGateway(db, name)
  const rows = await db
    .select()
    .from(placements)
    .where(eq(placements.group, group))
    .orderBy(asc(placements.id))
  return writeResources((await compiledAll(db, rows, { member: name })).flat())
}

/** Somebody uploads what a gateway runs that is only read; it is compared at once. */
export async function uploadSnapshot(
  context: Context,
  name: string,
  text: string,
): Promise<GatewayItem> {
  const { db, actor, now } = context
  requirePermission(actor, 'upload')
  const gateway = await findGateway(db, name)
  if (gateway.kind !== 'uploaded')
    throw conflict(
      `${name} is read by the ledger itself; uploads are for gateways that it cannot reach.`,
    )
  let meaning: Meaning
  try {
    meaning = fromCluster(text)
  } catch (error) {
    if (!(error instanceof ConfigurationError)) throw error
    throw invalid([{ field: 'text', message: error.message }])
  }
  const etag = sha256Hex(text).slice(0, 32)
  await db.transaction(async (tx) => {
    const row = { text, etag, uploadedAt: now(), uploadedById: actor.id }
    await tx
      .insert(uploads)
      .values({ gateway: name, ...row })
      .onConflictDoUpdate({ target: uploads.gateway, set: row })
    await record(tx, context, {
      action: 'gateway.uploaded',
      subject: name,
      after: { sha256: etag, resources: meaning.resources.length },
    })
  })
  await checkGateway(context.system, name)
  return (await listGateways(db)).find((one) => one.name === name)!
}

/** A person asks for a reading now. */
export async function readGatewayNow(context: Context, name: string): Promise<GatewayItem> {
  requirePermission(context.actor, 'read')
  await checkGateway(context.system, name)
  return (await listGateways(context.db)).find((gateway) => gateway.name === name)!
}

/** The scheduled reading: every gateway, each on its own, so that one that is down does not hide the others. */
export async function checkAllGateways(services: Services): Promise<void> {
  const rows = await services.db.select({ name: gateways.name }).from(gateways)
  for (const { name } of rows) {
    await checkGateway(services, name).catch((error: Error) => {
      if (!(error instanceof Failure)) throw error
    })
  }
}
