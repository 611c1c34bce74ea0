import { and, eq } from 'drizzle-orm'
import {
  complaintsOf,
  operationKey,
  type PlacementSpec,
  type RouteRow,
} from '../../core/routing/placement'
import { belongsTo, routesOf, writeResources, type Resource } from '../../core/routing/resources'
import { conflicts } from '../../core/routing/routes'
import type { Queries, Transaction } from '../db/database'
import { apis, backends, placements, revisions, versions } from '../db/schema'
import type { ApiRow } from './catalog'
import { compiled, type PlacementRow } from './compiled'
import type { Context } from './context'
import { conflict, Failure, invalid, notFound } from './failure'
import { writeConfiguration } from './gateway-client'
import { checkGateway, findGateway, runningFor, takeSnapshot } from './gateways'
import { record } from './ledger'

export interface Target {
  api: ApiRow
  version: string
  revision: { id: number; number: number; version: string }
  stage: string
  gateway: string
  spec: PlacementSpec
}

export async function findPlacement(db: Queries, id: string): Promise<PlacementRow> {
  const [row] = await db.select().from(placements).where(eq(placements.id, id))
  if (!row) throw notFound(`placement called "${id}"`)
  return row
}

/** The API a row belongs to. */
export const apiOf = async (db: Queries, { api }: { api: number }): Promise<ApiRow> =>
  (await db.select().from(apis).where(eq(apis.id, api)))[0]!

/** The placement that stands at the same address of a gateway, which a new version takes over. */
export async function standingAt(
  db: Queries,
  { api, stage, gateway, spec }: Omit<Target, 'version' | 'revision'>,
): Promise<PlacementRow | undefined> {
  const rows = await db
    .select()
    .from(placements)
    .where(
      and(eq(placements.api, api.id), eq(placements.stage, stage), eq(placements.gateway, gateway)),
    )
  return rows.find((row) => row.spec.host === spec.host && row.spec.basePath === spec.basePath)
}

/** Checks that every operation of the version is decided about, and that nothing foreign is routed. */
async function requirePlaceable(db: Queries, { revision, spec }: Target): Promise<void> {
  const [row] = await db
    .select({ summary: revisions.summary })
    .from(revisions)
    .where(eq(revisions.id, revision.id))
  const rows = new Map(spec.routes.map((route) => [operationKey(route), route]))
  const missing = row!.summary.operations.filter((operation) => !rows.has(operationKey(operation)))
  const operations = new Set(row!.summary.operations.map(operationKey))
  const foreign = spec.routes.filter((route) => !operations.has(operationKey(route)))
  const faults = complaintsOf({
    ...spec,
    routes: [
      ...spec.routes,
      ...missing.map(({ method, path }): RouteRow => ({
        method,
        path,
        treatment: { kind: 'undecided' },
      })),
    ],
  })
  if (foreign[0]) {
    faults.push({
      field: 'routes',
      message: `${foreign[0].method} ${foreign[0].path} is not an operation of ${revision.version}`,
    })
  }
  if (faults.length > 0) throw invalid(faults)
}

/**
 * Applies a target to its gateway and records it. The row and its ledger entry are written first and committed only
 * once the gateway confirms; a gateway that refuses or is down leaves everything as it was.
 */
export async function applyTarget(
  context: Context,
  target: Target,
  before: PlacementRow | undefined,
  action: string,
  inSameAct?: (tx: Transaction, placement: string) => Promise<void>,
): Promise<string> {
  const { db, now, actor } = context
  await requirePlaceable(db, target)
  const gateway = await findGateway(db, target.gateway)
  const id = before?.id ?? (await newPlacementId(db, target))
  await db.transaction(async (tx) => {
    const [locked] = before
      ? await tx.select().from(placements).where(eq(placements.id, id)).for('update')
      : []
    if (before && locked?.edition !== before.edition)
      throw conflict('Somebody changed this placement in between. Look at it again.')
    const row: PlacementRow = {
      id,
      edition: (before?.edition ?? 0) + 1,
      api: target.api.id,
      version: target.version,
      revision: target.revision.id,
      stage: target.stage,
      gateway: target.gateway,
      spec: target.spec,
      appliedAt: now(),
      appliedBy: actor.name,
      checkedAt: now(),
      differences: [],
    }
    await tx.insert(placements).values(row).onConflictDoUpdate({ target: placements.id, set: row })
    await tx
      .insert(versions)
      .values({ api: target.api.id, version: target.version, revision: target.revision.id })
      .onConflictDoNothing()
    for (const backend of target.spec.backends) {
      const known = { api: target.api.slug, stage: target.stage, ...backend }
      await tx
        .insert(backends)
        .values(known)
        .onConflictDoUpdate({
          target: [backends.api, backends.stage, backends.name],
          set: { url: backend.url, timeoutMs: backend.timeoutMs },
        })
    }
    await record(tx, context, {
      action,
      subject: id,
      before: before && described(before),
      after: { ...described(row), revision: target.revision.number, api: target.api.slug },
    })
    await inSameAct?.(tx, id)
    await writePlacement(context, tx, row, gateway.name)
  })
  await checkGateway(context, target.gateway)
  return id
}

export const described = ({ version, stage, gateway, spec }: PlacementRow) => ({
  version,
  stage,
  gateway,
  spec,
})

async function newPlacementId(db: Queries, { api, stage }: Target): Promise<string> {
  const base = `${api.slug}-${stage.toLowerCase()}`
  const taken = new Set(
    (await db.select({ id: placements.id }).from(placements).where(eq(placements.api, api.id))).map(
      (row) => row.id,
    ),
  )
  for (let n = 1; ; n++) if (!taken.has(`${base}-${n}`)) return `${base}-${n}`
}

/** Writes a placement's resources in place of its earlier ones, leaves all others alone, and confirms what runs. */
export async function writePlacement(
  context: Context,
  tx: Queries,
  row: PlacementRow,
  gatewayName: string,
  remove = false,
): Promise<void> {
  const gateway = await findGateway(context.db, gatewayName)
  const mine = remove ? [] : await compiled(tx, row)
  for (let attempt = 1; attempt <= 3; attempt++) {
    const snapshot = await takeSnapshot(context, gateway)
    const others = snapshot.resources.filter((resource) => !belongsTo(resource, row.id))
    if (!remove) {
      const own = new Set(runningFor(row, snapshot.routes))
      const taken = conflicts(
        routesOf(mine),
        snapshot.routes.filter((route) => !own.has(route)),
      )
      if (taken[0]) {
        const { other } = taken[0]
        throw conflict(
          `${other.method} https://${other.host}${other.path} is served on ${gateway.name} already, by ${other.placement || 'a route nobody placed'}. Choose another host or base path.`,
        )
      }
    }
    const kept = others.filter((resource) => !isStrangerOf(row, resource))
    const body = writeResources([...kept, ...mine])
    if (
      (await writeConfiguration(gateway, context.gatewaySecret, body, snapshot.etag)) === 'written'
    )
      break
    if (attempt === 3)
      throw conflict(`${gateway.name} is being changed by somebody else. Try again.`)
  }
  const after = await takeSnapshot(context, gateway)
  const running = after.resources.filter((resource) => belongsTo(resource, row.id))
  if (writeResources(running) !== writeResources(mine)) {
    throw new Failure(
      502,
      'The gateway did not confirm',
      `${gateway.name} took the configuration, but does not run it as written. Read it under Gateways.`,
    )
  }
}

/** Routes somebody added by hand inside a placement's own address space go when the ledger is put back. */
function isStrangerOf({ spec }: PlacementRow, resource: Resource): boolean {
  if (resource.kind !== 'HTTPRoute' || resource.metadata.labels) return false
  const hosts = resource.spec['hostnames']
  const rules = resource.spec['rules']
  if (!Array.isArray(hosts) || !hosts.includes(spec.host) || !Array.isArray(rules)) return false
  return rules.every((rule) => JSON.stringify(rule).includes(`${spec.basePath}/`))
}
