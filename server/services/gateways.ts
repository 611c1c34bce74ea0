import { and, asc, desc, eq, isNull, lte, or, sql } from 'drizzle-orm'
import { compareRoutes, type Difference } from '../../core/drift/compare'
import {
  ConfigurationError,
  readResources,
  routesOf,
  type Resource,
} from '../../core/routing/resources'
import { isServed, type Route } from '../../core/routing/routes'
import type { GatewayItem, GroupItem } from '../../shared/api/gateways'
import type { Queries } from '../db/database'
import { gatewayGroups, gateways, placements, placementSites, snapshots } from '../db/schema'
import { compiled, type PlacementRow } from './compiled'
import type { Context, Services } from './context'
import { Failure, notFound } from './failure'
import { readConfiguration, type Running } from './gateway-client'
import { announce } from './ledger'
import { requirePermission } from './permissions'
import { unfinishedByPlacement } from './rollouts'

export type GatewayRow = typeof gateways.$inferSelect

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
      differing: sql<number>`(select count(*)::int from placement_sites site where site.gateway = gateways.name and jsonb_array_length(site.differences) > 0)`,
      claimed: sql<number>`(select coalesce(sum(site.routes), 0)::int from placement_sites site where site.gateway = gateways.name)`,
    })
    .from(gateways)
    .orderBy(asc(gateways.position))
  return rows.map(
    ({
      gateway: { name, group, serves, dataUrl, seenAt, trouble, unclaimed },
      claimed,
      ...counts
    }) => ({
      name,
      group,
      serves,
      dataUrl,
      trouble,
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
export interface Snapshot extends Running {
  resources: Resource[]
  routes: Route[]
}

/** Reads a gateway and keeps what it says; throws where it cannot be read, having kept why. */
export async function takeSnapshot(services: Services, gateway: GatewayRow): Promise<Snapshot> {
  const { db, now } = services
  const triedAt = now()
  try {
    const running = await readConfiguration(gateway, services.gatewaySecret)
    const resources = readResources(running.text)
    const routes = routesOf(resources)
    const [last] = await db
      .select({ etag: snapshots.etag })
      .from(snapshots)
      .where(eq(snapshots.gateway, gateway.name))
      .orderBy(desc(snapshots.id))
      .limit(1)
    if (last?.etag !== running.etag) {
      await db.insert(snapshots).values({ gateway: gateway.name, takenAt: now(), ...running })
    }
    return { ...running, resources, routes }
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
  const changing = await unfinishedByPlacement(db)
  const placed = await db.select().from(placements).where(eq(placements.group, gateway.group))
  const claimed = new Set(snapshot.routes.filter((route) => changing.has(route.placement)))
  for (const placement of placed) {
    const mine = runningFor(placement, snapshot.routes)
    for (const route of mine) claimed.add(route)
    if (changing.has(placement.id)) continue
    const differences = await differencesOf(db, placement, mine)
    await db.execute(sql`
      insert into ${placementSites} ("placement_id", "gateway", "checked_at", "differences", "routes")
      select ${placement.id}, ${name}, ${takenAt}, ${JSON.stringify(differences)}::jsonb, ${mine.filter(isServed).length}
      from ${placements} where ${placements.id} = ${placement.id} and ${placements.generation} = ${placement.generation}
      on conflict ("placement_id", "gateway") do update
      set checked_at = excluded.checked_at, differences = excluded.differences, routes = excluded.routes
      where ${placementSites.checkedAt} <= excluded.checked_at`)
  }
  const unclaimed = snapshot.routes.filter((route) => isServed(route) && !claimed.has(route))
  await db
    .update(gateways)
    .set({
      seenAt: takenAt,
      trouble: '',
      triedAt: takenAt,
      unclaimed: unclaimed
        .slice(0, 200)
        .map((route) => `${route.method} ${route.host}${route.path}`),
    })
    .where(notTriedSince(name, takenAt))
  await announce(db, 'gateway')
}

/** Routes that are a placement's business: its own by label, and strangers' at its host below its base path. */
export function runningFor(
  { id, spec }: Pick<PlacementRow, 'id' | 'spec'>,
  routes: Route[],
): Route[] {
  const below = spec.basePath === '/' ? '/' : `${spec.basePath}/`
  return routes.filter(
    (route) =>
      route.placement === id ||
      (route.placement === '' &&
        route.host === spec.host &&
        (route.path === spec.basePath || route.path.startsWith(below))),
  )
}

export async function differencesOf(
  db: Queries,
  placement: PlacementRow,
  running: Route[],
): Promise<Difference[]> {
  return compareRoutes(routesOf(await compiled(db, placement)), running)
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
