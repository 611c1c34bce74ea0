import { instanceToPlain } from 'class-transformer'
import { placementEtag } from '../../shared/etags'
import { and, asc, desc, eq, sql } from 'drizzle-orm'
import type { DefinitionSummary } from '../../core/definition'
import {
  operationKey,
  scopesOf,
  type Backend,
  type PlacementSpec,
  type RouteRow,
  type Treatment,
} from '../../core/runtime/placement'
import { backendsFor } from '../../core/runtime/named-backends'
import { readPolicySet, wordsOf, type PolicySet } from '../../core/runtime/policies'
import {
  apiKeyIn,
  methodsOf,
  takesKeys,
  type Authentication,
} from '../../core/runtime/policies/authenticate'
import { resolvePolicies, type Scope } from '../../core/runtime/resolve'
import { disagreements, proposedAuthentication } from '../../core/runtime/security'
import type { Pace } from '../../core/pipeline/carrying-out'
import type { ApiAction } from '../../core/ledger/actions'
import type {
  DraftQuery,
  PlacementDraft,
  PlacementDetail,
  PlacementItem,
  PlacementQuery,
  PlacementRequest,
  SoapRoute,
  SpecBody,
  TreatmentTally,
} from '../../shared/api/placements'
import type { RolloutItem } from '../../shared/api/rollouts'
import type { Queries, Transaction } from '../db/database'
import { apiColumns } from '../db/names'
import {
  apis,
  backends,
  gatewayGroups,
  keys,
  people,
  placements,
  revisions,
  stages,
} from '../db/schema'
import {
  apiOf,
  closestFor,
  findPlacement,
  newPlacementId,
  requirePlaceable,
  placedAt,
  usualHost,
  wantedBy,
  type Target,
} from './apply'
import { findApi, findRevision, revisionOfVersion, type ApiRow } from './catalog'
import { described, type PlacementRow } from './compiled'
import type { Context } from './context'
import { conflict, invalid, notFound, requireMatch } from './failure'
import { pageFrom, type Page } from './paging'
import { requirePermission } from './permissions'
import { markOf } from './register'
import { carryOut, intend, readRollout, unfinishedByPlacement } from './rollouts'
import { Scopes } from './scopes'
import { seen } from './sites'

/** A request body as a specification, which is kept and compared by its members alone. */
export function toSpec(body: SpecBody): PlacementSpec {
  const spec = instanceToPlain(body, { exposeUnsetFields: false }) as PlacementSpec
  const policies = toPolicies(body.policies, 'spec.policies')
  const routes = spec.routes.map(({ policies: own, ...row }, index) => {
    const read = own && toPolicies(own, `spec.routes.${index}.policies`)
    return read && Object.keys(read).length > 0 ? { ...row, policies: read } : row
  })
  const host = spec.host.trim().toLowerCase()
  return { ...spec, host, basePath: spec.basePath.trim(), policies, routes }
}

/** Policies with their defaults, or the refusal that names everything at fault below a field. */
export function toPolicies(written: unknown, field: string): PolicySet {
  const read = readPolicySet(written)
  if (read.misfits)
    throw invalid(
      read.misfits.map((misfit) => ({
        field: [field, misfit.field].filter(Boolean).join('.'),
        message: misfit.message,
      })),
    )
  return read.value
}

/** Placements with what differs, those that need attention first. */
export async function listPlacements(
  context: Pick<Context, 'db' | 'now'>,
  query: PlacementQuery & { id?: string },
): Promise<Page<PlacementItem>> {
  const { db, now } = context
  const rows = await db
    .select({
      placement: placements,
      api: apiColumns,
      revision: revisions.number,
      appliedBy: people.displayName,
      ...seen,
    })
    .from(placements)
    .innerJoin(apis, eq(apis.id, placements.apiId))
    .innerJoin(revisions, eq(revisions.id, placements.revisionId))
    .innerJoin(stages, eq(stages.name, placements.stage))
    .innerJoin(people, eq(people.id, placements.appliedById))
    .where(
      and(
        query.id ? eq(placements.id, query.id) : undefined,
        query.api ? eq(apis.slug, query.api) : undefined,
        query.stage ? eq(placements.stage, query.stage) : undefined,
      ),
    )
    .orderBy(asc(apis.title), asc(stages.position), asc(placements.id))
  const issued = await db
    .select({ placement: keys.placementId, name: keys.name })
    .from(keys)
    .orderBy(asc(keys.name))
  const names = new Map<string, string[]>()
  for (const { placement, name } of issued)
    names.set(placement, [...(names.get(placement) ?? []), name])
  const changing = await unfinishedByPlacement(db)
  const scopes = await Scopes.read(db)
  const items = rows.map(({ placement, api, revision, appliedBy, checkedAt, differences }) => {
    const { id, generation, version, stage, group, spec, appliedAt } = placement
    const { authentication, rate } = resolvePolicies(scopesOf(spec, scopes.around(placement)))
    const credential = authentication?.config
    const rollout = changing.get(id)
    const item: PlacementItem = {
      id,
      generation,
      api: api.slug,
      title: api.title,
      team: api.team,
      version,
      revision,
      stage,
      group,
      host: spec.host,
      basePath: spec.basePath,
      routes: countTreatments(spec),
      credential: credential ? wordsOf('authentication', credential).text : 'none',
      takesKeys: takesKeys(credential),
      ...(rate && { limit: wordsOf('rate', rate.config).text }),
      mark: markOf({ checkedAt, differences }, now()),
      ...(checkedAt && { checkedAt: checkedAt.toISOString() }),
      ...(rollout !== undefined && { rollout }),
      differences,
      appliedAt: appliedAt.toISOString(),
      appliedBy,
      keys: names.get(id) ?? [],
      ...(placement.ending && { ending: placement.ending }),
    }
    return item
  })
  return pageFrom(query.mark ? items.filter((item) => item.mark === query.mark) : items, query, 500)
}

export async function readPlacement(
  context: Pick<Context, 'db' | 'now'>,
  id: string,
): Promise<PlacementDetail> {
  const { db } = context
  const [{ items }, row] = await Promise.all([
    listPlacements(context, { id }),
    findPlacement(db, id),
  ])
  const [revision] = await db
    .select({
      operations: sql<DefinitionSummary['operations']>`${revisions.summary} -> 'operations'`,
      schemes: sql<DefinitionSummary['schemes']>`coalesce(${revisions.summary} -> 'schemes', '[]')`,
    })
    .from(revisions)
    .where(eq(revisions.id, row.revisionId))
  const outer = (await Scopes.read(db)).around(row)
  const { authentication } = resolvePolicies(scopesOf(row.spec, outer))
  return {
    ...items[0]!,
    spec: row.spec,
    soap: soapRoutes(revision!),
    outer,
    disagreements: disagreements(revision!, authentication?.config),
  }
}

/** What SOAP clients call the operations of a definition, where it has any. */
export const soapRoutes = ({ operations }: Pick<DefinitionSummary, 'operations'>): SoapRoute[] =>
  operations.flatMap(({ method, path, soap }) => (soap ? [{ method, path, ...soap }] : []))

function countTreatments({ routes }: PlacementSpec): TreatmentTally {
  const counts = { route: 0, mock: 0, withheld: 0, undecided: 0 }
  for (const { treatment } of routes) counts[treatment.kind]++
  return counts
}

/** The first group that serves an audience. */
async function usualGroup(db: Queries, audience: ApiRow['audience']): Promise<string> {
  const groups = await db.select().from(gatewayGroups).orderBy(asc(gatewayGroups.position))
  const usual = closestFor(groups, audience)
  if (!usual)
    throw conflict(
      `There is no gateway for ${audience} APIs yet. An administrator adds one under Gateways.`,
    )
  return usual.name
}

export const firstStage = async (db: Queries) =>
  (await db.select().from(stages).orderBy(asc(stages.position)).limit(1))[0]!

/** The stage that consumers use; undefined before there is any. */
export const lastStage = async (db: Queries): Promise<string | undefined> =>
  (await db.select({ name: stages.name }).from(stages).orderBy(desc(stages.position)).limit(1))[0]
    ?.name

/** Proposes a placement: where the definition, the stage and earlier placements leave no doubt, it is filled in. */
export async function draftPlacement(
  { db }: Context,
  slug: string,
  query: DraftQuery,
): Promise<PlacementDraft> {
  const api = await findApi(db, slug)
  const revision = query.version
    ? await revisionOfVersion(db, api, query.version)
    : await findRevision(db, api, api.latestNumber)
  const first = await firstStage(db)
  const stage = query.stage
    ? (await db.select().from(stages).where(eq(stages.name, query.stage)))[0]
    : first
  if (!stage) throw notFound(`stage called "${query.stage}"`)
  const earlier = await db
    .select()
    .from(placements)
    .where(and(eq(placements.apiId, api.id), eq(placements.stage, stage.name)))
  const before =
    earlier.find((placement) => query.group === undefined || placement.group === query.group) ??
    earlier[0]
  const group = query.group ?? before?.group ?? (await usualGroup(db, api.audience))
  const known = await db
    .select()
    .from(backends)
    .where(and(eq(backends.apiId, api.id), eq(backends.stage, stage.name)))
  const around = (await Scopes.read(db)).around({ stage: stage.name, group })
  const upstream = backendsFor(
    before?.spec.backends ?? known.map(backendOf),
    revision.summary.backends ?? [],
  )
  return {
    version: revision.version,
    revision: revision.number,
    stage: stage.name,
    group,
    spec: {
      host: before?.spec.host ?? (await usualHost(db, stage.name, api.audience))?.name ?? '',
      basePath: basePathOf(revision.summary.servers[0]) ?? `/${slug}`,
      prefix: before?.spec.prefix ?? { kind: 'strip' },
      backends: upstream,
      routes: routesFor(revision.summary, before?.spec.routes ?? []),
      ...(before?.spec.furtherRoutes && { furtherRoutes: before.spec.furtherRoutes }),
      ...(before?.spec.face && { face: before.spec.face }),
      policies: before?.spec.policies ?? proposedPolicies(api, revision.summary, around),
    },
    outer: around,
  }
}

/** What is decided about the operations of a definition: as before, or as the definition names it. */
export function routesFor({ operations }: DefinitionSummary, before: readonly RouteRow[]) {
  const decided = new Map(before.map((row) => [operationKey(row), row]))
  return operations.map(({ method, path, backend }): RouteRow => {
    const row = decided.get(operationKey({ method, path }))
    const isDecided = row !== undefined && row.treatment.kind !== 'undecided'
    const named: Treatment =
      backend === undefined ? { kind: 'undecided' } : { kind: 'route', backend }
    return { ...row, treatment: isDecided ? row.treatment : named, method, path }
  })
}

/** A backend as a stage keeps it for the next placement. */
export const backendOf = ({
  name,
  url,
  timeoutMs,
  more,
}: typeof backends.$inferSelect): Backend => ({
  name,
  url,
  timeoutMs,
  ...more,
})

/** What a new placement asks for where nothing around it does: what the definition speaks of, and some limit. */
function proposedPolicies(
  { audience }: ApiRow,
  summary: DefinitionSummary,
  around: readonly Scope[],
): PolicySet {
  const held = resolvePolicies(around)
  const proposed: Authentication =
    audience === 'public'
      ? { kind: 'none', reason: 'Open to everybody' }
      : keyIn(proposedAuthentication(summary))
  return {
    ...(!held.authentication && { authentication: proposed }),
    ...(!held.rate && { rate: { requests: 120, seconds: 60, per: 'client' } }),
  }
}

/** What a definition asks for as far as it can be filled in; a token’s issuer is nothing to guess. */
const keyIn = (proposed: Authentication | undefined): Authentication => {
  const isWhole = methodsOf(proposed).every((method) => method.kind !== 'jwt')
  return proposed && isWhole ? proposed : apiKeyIn('X-Api-Key')
}

function basePathOf(server: string | undefined): string | undefined {
  const path =
    server === undefined
      ? undefined
      : (URL.parse(server, 'https://relative.example')?.pathname ?? undefined)
  const trimmed = path?.replace(/\/+$/, '')
  return trimmed === undefined || trimmed === '' || /[{}%]/.test(trimmed) ? undefined : trimmed
}

/** A placement as it runs, or the rollout that is still bringing it about. */
export type Placed = PlacementDetail | RolloutItem

/** What a rollout came to in the time a request waits. */
export async function placedBy(context: Context, rollout: number, id: string): Promise<Placed> {
  return (await carryOut(context, rollout))
    ? readPlacement(context, id)
    : readRollout(context.db, rollout)
}

/** Puts a version into the first stage. Later stages are reached by promotion only. */
export async function place(context: Context, body: PlacementRequest): Promise<Placed> {
  const { db } = context
  const api = await findApi(db, body.api)
  requirePermission(context.actor, 'place', api.team)
  const revision = await revisionOfVersion(db, api, body.version)
  const stage = await firstStage(db)
  const { rollout, id } = await intendPlacing(context, {
    api,
    version: body.version,
    revision,
    stage: stage.name,
    group: body.group,
    spec: toSpec(body.spec),
  })
  return placedBy(context, rollout, id)
}

/** Writes down that a version is wanted in the first stage, in place of what stands at the same address. */
export const intendPlacing = (
  context: Context,
  target: Target,
): Promise<{ rollout: number; id: string }> =>
  context.db.transaction(async (tx) => {
    await requirePlaceable(tx, target)
    const placed = await tx.select().from(placements).where(eq(placements.apiId, target.api.id))
    const same = placedAt(placed, target)
    const id = same?.id ?? (await newPlacementId(tx, target))
    const title = `Place ${target.api.title} ${target.version} in ${target.stage}`
    const intent = { action: 'placement.applied' as const, title }
    return { id, rollout: await intendTarget(tx, context, target, same, id, intent) }
  })

/** Writes down that a target is wanted in place of what stands there. */
export function intendTarget(
  tx: Transaction,
  context: Context,
  target: Target,
  before: PlacementRow | undefined,
  id: string,
  intent: { action: ApiAction; title: string },
): Promise<number> {
  const wanted = wantedBy(target, id, before)
  return intend(tx, context, {
    ...intent,
    change: { kind: 'place', wanted: [wanted] },
    groups: [target.group],
    acts: [
      {
        ...{ api: target.api.id, subject: id, before: before && described(before) },
        after: { version: target.version, stage: target.stage, group: target.group },
      },
    ],
  })
}

/** Locks a placement, which must still be as it was seen; it must stand in the first stage to be changed directly. */
export async function lockPlacement(tx: Transaction, seen: PlacementRow): Promise<PlacementRow> {
  const [row] = await tx.select().from(placements).where(eq(placements.id, seen.id)).for('update')
  if (!row) throw notFound(`placement called "${seen.id}"`)
  if (row.generation !== seen.generation)
    throw conflict('Somebody changed this placement in between. Look at it again.')
  return row
}

/** Beyond the first stage nothing changes without review. */
export async function requireFirstStage(db: Queries, { stage }: PlacementRow): Promise<void> {
  const first = await firstStage(db)
  if (first.name === stage) return
  throw conflict(
    `${stage} is changed by review only: ask for the change, and somebody else approves it.`,
  )
}

/** The target that a placement is, with another specification. */
export async function targetOf(
  db: Queries,
  row: PlacementRow,
  spec: PlacementSpec,
): Promise<Target> {
  const [revision] = await db.select().from(revisions).where(eq(revisions.id, row.revisionId))
  const { version, stage, group } = row
  return { api: await apiOf(db, row), version, revision: revision!, stage, group, spec }
}

/** Changes how a version is served where it stands. */
export async function changePlacement(
  context: Context,
  id: string,
  body: SpecBody,
  ifMatch: string | undefined,
): Promise<Placed> {
  const { db } = context
  const row = await findPlacement(db, id)
  const target = await targetOf(db, row, toSpec(body))
  requirePermission(context.actor, 'place', target.api.team)
  requireMatch(ifMatch, placementEtag(row), 'the placement')
  await requireFirstStage(db, row)
  const rollout = await db.transaction(async (tx) => {
    const locked = await lockPlacement(tx, row)
    await requirePlaceable(tx, target)
    const title = `Change ${target.api.title} ${row.version} in ${row.stage}`
    return intendTarget(tx, context, target, locked, id, { action: 'placement.changed', title })
  })
  return placedBy(context, rollout, id)
}

/** Writes down that a placement, which the transaction holds locked, is taken off its gateways. */
export const intendRemoval = (
  tx: Transaction,
  context: Pick<Context, 'actor' | 'now'>,
  row: PlacementRow,
  { title, pace }: { title: string; pace?: Pace },
): Promise<number> =>
  intend(tx, context, {
    ...{ action: 'placement.removed', title },
    change: { kind: 'remove', placement: row.id, generation: row.generation },
    groups: [row.group],
    ...(pace && { pace }),
    acts: [{ api: row.apiId, subject: row.id, before: described(row) }],
  })

/** Takes a placement off its gateways; says the rollout where that takes longer. */
export async function removePlacement(
  context: Context,
  id: string,
): Promise<RolloutItem | undefined> {
  const { db } = context
  const row = await findPlacement(db, id)
  const api = await apiOf(db, row)
  requirePermission(context.actor, 'place', api.team)
  await requireFirstStage(db, row)
  const rollout = await db.transaction(async (tx) => {
    const locked = await lockPlacement(tx, row)
    const title = `Remove ${api.title} ${row.version} from ${row.stage}`
    return intendRemoval(tx, context, locked, { title })
  })
  return (await carryOut(context, rollout)) ? undefined : readRollout(db, rollout)
}
