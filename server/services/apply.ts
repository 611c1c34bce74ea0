import type { Fault } from '../../shared/api/problem'
import { sha256Hex } from '../../core/ledger/chain'
import { canonical } from '../../core/text/canonical'
import { and, asc, eq, inArray, ne, sql } from 'drizzle-orm'
import { overlaps } from '../../core/runtime/addresses'
import { readBackendAddress, whyNotAllowed } from '../../core/runtime/backend-address'
import { unenforceable, type Member } from '../../core/runtime/cluster/enforceable'
import {
  basePathsOf,
  complaintsOf,
  operationKey,
  targetsOf,
  type PlacementSpec,
  type RouteRow,
} from '../../core/runtime/placement'
import type { DefinitionSummary } from '../../core/definition'
import { isOff } from '../../core/runtime/policies'
import type { Scope } from '../../core/runtime/resolve'
import { methodsOf } from '../../core/runtime/policies/authenticate'
import { lockKeys } from '../db/lock-keys'
import type { Queries, Transaction } from '../db/database'
import { apiColumns } from '../db/names'
import {
  apis,
  gatewayGroups,
  gateways,
  hosts,
  placements,
  revisions,
  rolloutPlacements,
  rollouts,
  stages,
  type WantedPlacement,
} from '../db/schema'
import { seeingEverything } from '../db/viewer'
import type { ApiRow } from './catalog'
import type { PlacementRow } from './compiled'
import { conflict, invalid, notFound } from './failure'
import { comingPlacements } from './rollouts'
import { Scopes } from './scopes'

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
export const placedAt = (
  placed: readonly PlacementRow[],
  { stage, group, spec }: Pick<Target, 'stage' | 'group' | 'spec'>,
): PlacementRow | undefined =>
  placed.find(
    (row) =>
      row.stage === stage &&
      row.group === group &&
      row.spec.host === spec.host &&
      row.spec.basePath === spec.basePath,
  )

/**
 * Checks that a target could be served: every operation is decided about, nothing foreign is routed, the host is the
 * stage's and for such an API, the backends are where the stage allows them, and nobody else has the address.
 */
export async function requirePlaceable(tx: Transaction, target: Target): Promise<void> {
  const [row] = await tx
    .select({ summary: revisions.summary })
    .from(revisions)
    .where(eq(revisions.id, target.revision.id))
  const { operations } = row!.summary
  const outer = (await Scopes.read(tx)).around(target)
  const faults = [
    ...(await specFaults(tx, target, operations, outer)),
    ...(await groupFaults(tx, target)),
    ...(await hostFaults(tx, target)),
    ...(await backendFaults(tx, target)),
    ...(await kindFaults(tx, target, operations, outer)),
  ]
  if (faults.length > 0) throw invalid(faults)
  await requireFreeAddress(tx, target)
}

type Operations = DefinitionSummary['operations']

async function specFaults(
  db: Queries,
  { revision, spec }: Target,
  described: Operations,
  outer: readonly Scope[],
): Promise<Fault[]> {
  const rows = new Map(spec.routes.map((route) => [operationKey(route), route]))
  const missing = described.filter((operation) => !rows.has(operationKey(operation)))
  const operations = new Set(described.map(operationKey))
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
    outer,
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

async function backendFaults(db: Queries, { stage, group, spec }: Target): Promise<Fault[]> {
  const [row] = await db
    .select({ allowed: stages.backends })
    .from(stages)
    .where(eq(stages.name, stage))
  const members = await membersOf(db, [group])
  const refusedAt = (url: string) => {
    const read = readBackendAddress(url)
    return 'refused' in read ? undefined : whyNotAllowed(read.url, row!.allowed)
  }
  const faults = spec.backends.flatMap((backend) => {
    const targets = [backend, ...(backend.others ?? [])]
    const foreign = targets.find(
      ({ gateway }) => gateway !== undefined && !members.includes(gateway),
    )
    const unreached = members.find((member) => targetsOf(backend, member).length === 0)
    const messages = targets.flatMap(({ url }) => {
      const why = refusedAt(url)
      return why === undefined
        ? []
        : [`The backend ${backend.name}, ${url}, ${why}, which ${stage} does not allow`]
    })
    if (foreign) messages.push(`${foreign.gateway} is not a gateway of ${group}`)
    if (unreached !== undefined)
      messages.push(`The backend ${backend.name} has no target for ${unreached}`)
    return messages.map((message) => ({ field: 'backends', message }))
  })
  const issuers = [spec.policies, ...spec.routes.flatMap(({ policies }) => policies ?? [])]
    .map(({ authentication }) => authentication)
    .flatMap((said) => (said && !isOff(said) ? methodsOf(said) : []))
    .flatMap((method) => (method.kind === 'jwt' ? [method.jwks] : []))
  for (const url of new Set(issuers)) {
    const why = refusedAt(url)
    if (why !== undefined)
      faults.push({
        field: 'policies.authentication',
        message: `The JWKS address ${url} ${why}, which ${stage} does not allow`,
      })
  }
  return faults
}

/** What some gateway of the group cannot do, by what kind it is of. */
async function kindFaults(
  db: Queries,
  { group, spec }: Target,
  described: Operations,
  outer: readonly Scope[],
): Promise<Fault[]> {
  const isSoap = described.some(({ calls }) => calls?.length)
  if (spec.face && !isSoap)
    return [{ field: 'face', message: 'Only operations of SOAP have a REST face' }]
  return unenforceable(spec, outer, (await kindsByGroup(db)).get(group) ?? [], isSoap)
}

/** Every gateway by its group, and by what it can do. */
export async function kindsByGroup(db: Queries): Promise<Map<string, Member[]>> {
  const rows = await db
    .select({
      name: gateways.name,
      kind: gateways.kind,
      group: gateways.group,
      listeners: gateways.listeners,
    })
    .from(gateways)
    .orderBy(asc(gateways.position))
  const members = new Map<string, Member[]>()
  for (const { name, kind, group, listeners } of rows)
    members.set(group, [
      ...(members.get(group) ?? []),
      { name, kind, ...(listeners && { https: listeners.https }) },
    ])
  return members
}

/** A gateway as a change reaches it. */
export interface Reached {
  name: string
  group: string
  /** Of everything that decides where a write goes; the addresses themselves are not for everybody. */
  digest: string
}

/** How each gateway is reached, in their order. */
export async function reachedIn(db: Queries): Promise<Reached[]> {
  const { name, group, kind, adminUrl, dataUrl, tlsUrl, folder } = gateways
  const rows = await db
    .select({ name, group, kind, adminUrl, dataUrl, tlsUrl, folder })
    .from(gateways)
    .orderBy(asc(gateways.position))
  return rows.map((row) => ({
    ...{ name: row.name, group: row.group },
    digest: sha256Hex(canonical(row)).slice(0, 16),
  }))
}

/** The gateways of some groups, each with how it is reached. */
export const gatewaysOf = (
  reached: readonly Reached[],
  groups: readonly string[],
): Record<string, string> =>
  Object.fromEntries(
    reached.filter(({ group }) => groups.includes(group)).map(({ name, digest }) => [name, digest]),
  )

/**
 * No other API has the address, one inside of it or one around it, on the same host: whoever writes first has it. Held
 * against others by a lock of the host until the transaction ends.
 */
async function requireFreeAddress(tx: Transaction, { api, group, spec }: Target): Promise<void> {
  const { host, basePath } = spec
  await tx.execute(sql`SELECT pg_advisory_xact_lock(${lockKeys.host}, hashtext(${host}))`)
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
  const others = [...placed, ...coming.filter((wanted) => wanted.apiId !== api.id)]
  const clash = basePathsOf(spec).flatMap((mine) =>
    others.flatMap((other) =>
      basePathsOf(other.spec)
        .filter((theirs) => overlaps(theirs, mine))
        .map((theirs) => ({ apiId: other.apiId, mine, theirs })),
    ),
  )[0]
  if (!clash) return
  const [other] = await tx.select({ title: apis.title }).from(apis).where(eq(apis.id, clash.apiId))
  if (!other)
    throw conflict(
      `https://${host}${clash.mine} is taken already, or a part of it is. Choose another host or base path.`,
    )
  throw conflict(
    `https://${host}${clash.theirs} belongs to ${other.title} already, and ${clash.mine} would ${
      clash.theirs === clash.mine ? 'be the same address' : 'answer in part of it'
    }. Choose another host or base path.`,
  )
}

/** What a target becomes once the gateways have confirmed it; what stands there ends as it was going to. */
export const wantedBy = (
  { api, version, revision, stage, group, spec }: Target,
  id: string,
  there: PlacementRow | undefined,
): WantedPlacement => ({
  id,
  generation: there?.generation ?? 0,
  apiId: api.id,
  version,
  revisionId: revision.id,
  stage,
  group,
  spec,
  ending: there?.ending ?? null,
})

/** A name for a placement that nothing has, had or is about to have: its traffic and its history are its own. */
export async function newPlacementId(
  tx: Transaction,
  { api, stage }: Target,
  besides: WantedPlacement[] = [],
): Promise<string> {
  await tx.execute(sql`SELECT pg_advisory_xact_lock(${lockKeys.placementIds}, ${api.id}::int)`)
  const base = `${api.slug}-${stage.toLowerCase().replace(/[^a-z0-9]+/g, '-')}`
  const placed = await tx
    .select({ id: placements.id })
    .from(placements)
    .where(eq(placements.apiId, api.id))
  const stood = await tx
    .selectDistinct({ id: rolloutPlacements.placementId })
    .from(rolloutPlacements)
    .innerJoin(rollouts, eq(rollouts.id, rolloutPlacements.rolloutId))
    .where(and(eq(rollouts.apiId, api.id), eq(rollouts.state, 'done')))
  const coming = await comingPlacements(tx)
  const taken = new Set([...placed, ...stood, ...coming, ...besides].map(({ id }) => id))
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
