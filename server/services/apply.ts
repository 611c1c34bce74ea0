import { and, asc, eq, inArray, ne, sql } from 'drizzle-orm'
import { overlaps } from '../../core/routing/addresses'
import { readBackendAddress, whyNotAllowed } from '../../core/routing/backend-address'
import {
  complaintsOf,
  operationKey,
  type PlacementSpec,
  type RouteRow,
} from '../../core/routing/placement'
import type { Queries, Transaction } from '../db/database'
import { apiColumns } from '../db/names'
import {
  apis,
  gatewayGroups,
  gateways,
  hosts,
  placements,
  revisions,
  stages,
  type WantedPlacement,
} from '../db/schema'
import { seeingEverything } from '../db/viewer'
import type { ApiRow } from './catalog'
import type { PlacementRow } from './compiled'
import { conflict, invalid, notFound } from './failure'
import { comingPlacements } from './rollouts'

export interface Target {
  api: ApiRow
  version: string
  revision: { id: number; number: number; version: string }
  stage: string
  group: string
  spec: PlacementSpec
}

export async function findPlacement(db: Queries, id: string): Promise<PlacementRow> {
  const [row] = await db.select().from(placements).where(eq(placements.id, id))
  if (!row) throw notFound(`placement called "${id}"`)
  return row
}

async function findGroup(db: Queries, name: string) {
  const [row] = await db.select().from(gatewayGroups).where(eq(gatewayGroups.name, name))
  if (!row) throw notFound(`gateway group called "${name}"`)
  return row
}

/** The API a row belongs to. */
export const apiOf = async (db: Queries, { apiId }: { apiId: number }): Promise<ApiRow> =>
  (await db.select(apiColumns).from(apis).where(eq(apis.id, apiId)))[0]!

/** The placement that stands at the same address of a group, which a new version takes over. */
export async function placedAt(
  db: Queries,
  { api, stage, group, spec }: Omit<Target, 'version' | 'revision'>,
): Promise<PlacementRow | undefined> {
  const rows = await db
    .select()
    .from(placements)
    .where(
      and(eq(placements.apiId, api.id), eq(placements.stage, stage), eq(placements.group, group)),
    )
  return rows.find((row) => row.spec.host === spec.host && row.spec.basePath === spec.basePath)
}

/**
 * Checks that a target could be served: every operation is decided about, nothing foreign is routed, the host is the
 * stage's and for such an API, the backends are where the stage allows them, and nobody else has the address.
 */
export async function requirePlaceable(tx: Transaction, target: Target): Promise<void> {
  const faults = [
    ...(await specFaults(tx, target)),
    ...(await groupFaults(tx, target)),
    ...(await hostFaults(tx, target)),
    ...(await backendFaults(tx, target)),
  ]
  if (faults.length > 0) throw invalid(faults)
  await requireFreeAddress(tx, target)
}

interface Fault {
  field: string
  message: string
}

async function specFaults(db: Queries, { revision, spec }: Target): Promise<Fault[]> {
  const [row] = await db
    .select({ summary: revisions.summary })
    .from(revisions)
    .where(eq(revisions.id, revision.id))
  const rows = new Map(spec.routes.map((route) => [operationKey(route), route]))
  const missing = row!.summary.operations.filter((operation) => !rows.has(operationKey(operation)))
  const operations = new Set(row!.summary.operations.map(operationKey))
  const foreign = spec.routes.filter((route) => !operations.has(operationKey(route)))
  const undecided = missing.map(({ method, path }): RouteRow => ({
    method,
    path,
    treatment: { kind: 'undecided' },
  }))
  const reserved = await db.select({ url: gateways.adminUrl }).from(gateways)
  const faults = complaintsOf(
    { ...spec, routes: [...spec.routes, ...undecided] },
    reserved.map(({ url }) => url),
  )
  if (foreign[0]) {
    faults.push({
      field: 'routes',
      message: `${foreign[0].method} ${foreign[0].path} is not an operation of ${revision.version}`,
    })
  }
  return faults
}

/** Whom an API may be served to: what is for partners also inside the company, never the reverse. */
const within: Record<ApiRow['audience'], ApiRow['audience'][]> = {
  private: ['private'],
  partner: ['partner', 'private'],
  public: ['public', 'partner', 'private'],
}

/** Whether something that serves some audiences may serve an API of one. */
const mayServe = (audiences: ApiRow['audience'][], audience: ApiRow['audience']) =>
  audiences.some((served) => within[audience].includes(served))

/** The first that is for an audience, or else the first that may serve it. */
export const closestFor = <T extends { audiences: ApiRow['audience'][] }>(
  all: T[],
  audience: ApiRow['audience'],
): T | undefined =>
  all.find(({ audiences }) => audiences.includes(audience)) ??
  all.find(({ audiences }) => mayServe(audiences, audience))

async function groupFaults(db: Queries, { api, group }: Target): Promise<Fault[]> {
  const { audiences } = await findGroup(db, group)
  if (mayServe(audiences, api.audience)) return []
  const message = `${group} serves ${audiences.join(' and ')} APIs; ${api.title} is ${api.audience}`
  return [{ field: 'group', message }]
}

async function hostFaults(db: Queries, { api, stage, spec }: Target): Promise<Fault[]> {
  const [host] = await db.select().from(hosts).where(eq(hosts.name, spec.host))
  const fault = (message: string) => [{ field: 'host', message }]
  if (!host) {
    const own = await db.select({ name: hosts.name }).from(hosts).where(eq(hosts.stage, stage))
    const names = own.map(({ name }) => name).join(', ') || 'none yet'
    return fault(`"${spec.host}" is not a host of ${stage}; its hosts are ${names}`)
  }
  if (host.stage !== stage) return fault(`${spec.host} belongs to ${host.stage}, not to ${stage}`)
  if (!mayServe(host.audiences, api.audience)) {
    return fault(
      `${spec.host} is for ${host.audiences.join(' and ')} APIs; ${api.title} is ${api.audience}`,
    )
  }
  return []
}

async function backendFaults(db: Queries, { stage, spec }: Target): Promise<Fault[]> {
  const [row] = await db
    .select({ allowed: stages.backends })
    .from(stages)
    .where(eq(stages.name, stage))
  return spec.backends.flatMap(({ name, url }) => {
    const read = readBackendAddress(url)
    const why = 'refused' in read ? undefined : whyNotAllowed(read.url, row!.allowed)
    if (why === undefined) return []
    const message = `The backend ${name}, ${url}, ${why}, which ${stage} does not allow`
    return [{ field: 'backends', message }]
  })
}

/**
 * No other API has the address, one inside of it or one around it, on the same host: whoever writes first has it. Held
 * against others by a lock of the host until the transaction ends.
 */
async function requireFreeAddress(
  tx: Transaction,
  { api, group, spec: { host, basePath } }: Target,
): Promise<void> {
  await tx.execute(sql`SELECT pg_advisory_xact_lock(7120413, hashtext(${host}))`)
  const { placed, coming } = await seeingEverything(tx, async () => ({
    placed: await tx
      .select({ apiId: placements.apiId, spec: placements.spec })
      .from(placements)
      .where(and(sql`${placements.spec} ->> 'host' = ${host}`, ne(placements.apiId, api.id))),
    coming: (await comingPlacements(tx)).filter((wanted) => wanted.spec.host === host),
  }))
  const same = coming.find(
    (wanted) =>
      wanted.apiId === api.id &&
      wanted.generation === 0 &&
      wanted.group === group &&
      wanted.spec.basePath === basePath,
  )
  if (same) throw conflict(`${same.id} is being placed there at this moment. Wait for its rollout.`)
  const clash = [...placed, ...coming.filter((wanted) => wanted.apiId !== api.id)].find(
    ({ spec }) => overlaps(spec.basePath, basePath),
  )
  if (!clash) return
  const [other] = await tx.select({ title: apis.title }).from(apis).where(eq(apis.id, clash.apiId))
  if (!other)
    throw conflict(
      `https://${host}${basePath} is taken already, or a part of it is. Choose another host or base path.`,
    )
  throw conflict(
    `https://${host}${clash.spec.basePath} belongs to ${other.title} already, and ${basePath} would ${
      clash.spec.basePath === basePath ? 'be the same address' : 'answer in part of it'
    }. Choose another host or base path.`,
  )
}

/** What a target becomes once the gateways have confirmed it. */
export const wantedBy = (
  { api, version, revision, stage, group, spec }: Target,
  id: string,
  generation: number,
): WantedPlacement => ({
  id,
  generation,
  apiId: api.id,
  version,
  revisionId: revision.id,
  stage,
  group,
  spec,
})

/** A name for a placement that nothing has or is about to have. */
export async function newPlacementId(
  tx: Transaction,
  { api, stage }: Target,
  besides: WantedPlacement[] = [],
): Promise<string> {
  await tx.execute(sql`SELECT pg_advisory_xact_lock(7120414, ${api.id}::int)`)
  const base = `${api.slug}-${stage.toLowerCase().replace(/[^a-z0-9]+/g, '-')}`
  const [placed, coming] = [
    await tx.select({ id: placements.id }).from(placements).where(eq(placements.apiId, api.id)),
    await comingPlacements(tx),
  ]
  const taken = new Set([...placed, ...coming, ...besides].map(({ id }) => id))
  for (let n = 1; ; n++) if (!taken.has(`${base}-${n}`)) return `${base}-${n}`
}

/** Where a new placement of an API in a stage would be reached: the stage's host for its audience. */
export async function usualHost(db: Queries, stage: string, audience: ApiRow['audience']) {
  const rows = await db.select().from(hosts).where(eq(hosts.stage, stage)).orderBy(asc(hosts.name))
  return closestFor(rows, audience)
}

/** The gateways of some groups, in order. */
export const membersOf = async (db: Queries, groups: string[]): Promise<string[]> =>
  (
    await db
      .select({ name: gateways.name })
      .from(gateways)
      .where(inArray(gateways.group, groups))
      .orderBy(asc(gateways.position))
  ).map(({ name }) => name)
