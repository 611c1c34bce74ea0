import { and, asc, eq } from 'drizzle-orm'
import {
  operationKey,
  type Backend,
  type PlacementSpec,
  type RouteRow,
} from '../../core/routing/placement'
import type {
  DraftQuery,
  PlacementDraft,
  PlacementItem,
  PlacementQuery,
  PlacementRequest,
  SpecBody,
} from '../../shared/api/placements'
import type { Queries } from '../db/database'
import { apis, backends, keys, people, placements, revisions, stages } from '../db/schema'
import {
  apiOf,
  applyTarget,
  described,
  findPlacement,
  standingAt,
  writePlacement,
  type Target,
} from './apply'
import { findApi, findRevision, revisionOfVersion } from './catalog'
import type { Context } from './context'
import { notFound, requireMatch } from './failure'
import { checkGateway } from './gateways'
import { record } from './ledger'
import { pageFrom, type Page } from './paging'
import { requirePermission } from './permissions'
import { markOf } from './register'

export const placementEtag = (edition: number) => `"placement-${edition}"`

/** A request body as a specification, its choices made into the cases they stand for. */
export function toSpec({
  host,
  basePath,
  prefix,
  backends: upstream,
  routes,
  key,
  limit,
}: SpecBody): PlacementSpec {
  const spec: PlacementSpec = {
    host: host.trim().toLowerCase(),
    basePath: basePath.trim(),
    prefix:
      prefix.kind === 'replace'
        ? { kind: 'replace', with: prefix.with ?? '' }
        : { kind: prefix.kind },
    backends: upstream.map(({ name, url, timeoutMs }) => ({ name, url, timeoutMs })),
    routes: routes.map(({ method, path, treatment }): RouteRow => {
      const row = { method, path }
      if (treatment.kind === 'route')
        return { ...row, treatment: { kind: 'route', backend: treatment.backend ?? '' } }
      if (treatment.kind === 'withheld')
        return { ...row, treatment: { kind: 'withheld', reason: treatment.reason ?? '' } }
      return { ...row, treatment: { kind: treatment.kind } }
    }),
    key: key.required
      ? { required: true, header: key.header ?? 'X-Api-Key' }
      : { required: false, reason: key.reason ?? '' },
  }
  return limit ? { ...spec, limit: { requests: limit.requests, seconds: limit.seconds } } : spec
}

/** Placements with what differs, those that need attention first. */
export async function listPlacements(
  context: Pick<Context, 'db' | 'now'>,
  query: PlacementQuery,
): Promise<Page<PlacementItem>> {
  const rows = await context.db
    .select({
      placement: placements,
      api: apis,
      revision: revisions.number,
      appliedBy: people.displayName,
    })
    .from(placements)
    .innerJoin(apis, eq(apis.id, placements.api))
    .innerJoin(revisions, eq(revisions.id, placements.revision))
    .innerJoin(stages, eq(stages.name, placements.stage))
    .leftJoin(people, eq(people.name, placements.appliedBy))
    .where(
      and(
        query.api ? eq(apis.slug, query.api) : undefined,
        query.stage ? eq(placements.stage, query.stage) : undefined,
      ),
    )
    .orderBy(asc(apis.title), asc(stages.position), asc(placements.id))
  const issued = await context.db
    .select({ placement: keys.placement, name: keys.name })
    .from(keys)
    .orderBy(asc(keys.name))
  const names = new Map<string, string[]>()
  for (const { placement, name } of issued)
    names.set(placement, [...(names.get(placement) ?? []), name])
  const items = rows.map(({ placement, api, revision, appliedBy }): PlacementItem => {
    const { id, edition, version, stage, gateway, spec, differences, checkedAt, appliedAt } =
      placement
    return {
      id,
      edition,
      api: api.slug,
      title: api.title,
      team: api.team,
      version,
      revision,
      stage,
      gateway,
      spec,
      mark: markOf(placement, context.now()),
      ...(checkedAt && { checkedAt: checkedAt.toISOString() }),
      differences,
      appliedAt: appliedAt.toISOString(),
      appliedBy: appliedBy ?? placement.appliedBy,
      keys: names.get(id) ?? [],
    }
  })
  return pageFrom(query.mark ? items.filter((item) => item.mark === query.mark) : items, query, 500)
}

export async function readPlacement(
  context: Pick<Context, 'db' | 'now'>,
  id: string,
): Promise<PlacementItem> {
  const row = await findPlacement(context.db, id)
  const api = await apiOf(context.db, row)
  const { items } = await listPlacements(context, { api: api.slug, limit: 1000 })
  return items.find((item) => item.id === id)!
}

const firstStage = async (db: Queries) =>
  (await db.select().from(stages).orderBy(asc(stages.position)).limit(1))[0]!

/** Proposes a placement: where the definition, the stage and earlier placements leave no doubt, it is filled in. */
export async function draftPlacement(
  { db }: Context,
  slug: string,
  query: DraftQuery,
): Promise<PlacementDraft> {
  const api = await findApi(db, slug)
  const revision = query.version
    ? await revisionOfVersion(db, api, query.version)
    : await findRevision(db, api, api.latestRevision)
  const first = await firstStage(db)
  const stage = query.stage
    ? (await db.select().from(stages).where(eq(stages.name, query.stage)))[0]
    : first
  if (!stage) throw notFound(`stage called "${query.stage}"`)
  const gateway = query.gateway ?? (api.audience === 'private' ? 'inner' : 'north-edge')
  const earlier = await db
    .select()
    .from(placements)
    .where(and(eq(placements.api, api.id), eq(placements.stage, stage.name)))
  const before = earlier.find((placement) => placement.gateway === gateway) ?? earlier[0]
  const known = await db
    .select()
    .from(backends)
    .where(and(eq(backends.api, slug), eq(backends.stage, stage.name)))
  const upstream: Backend[] =
    before?.spec.backends ?? known.map(({ name, url, timeoutMs }) => ({ name, url, timeoutMs }))
  const decided = new Map(before?.spec.routes.map((row) => [operationKey(row), row.treatment]))
  return {
    version: revision.version,
    revision: revision.number,
    stage: stage.name,
    gateway,
    spec: {
      host: before?.spec.host ?? stage.hosts[api.audience],
      basePath: basePathOf(revision.summary.servers[0]) ?? `/${slug}`,
      prefix: before?.spec.prefix ?? { kind: 'strip' },
      backends: upstream,
      routes: revision.summary.operations.map(({ method, path }) => ({
        method,
        path,
        treatment: decided.get(operationKey({ method, path })) ?? { kind: 'undecided' },
      })),
      key:
        before?.spec.key ??
        (api.audience === 'public'
          ? { required: false, reason: 'Open to everybody' }
          : { required: true, header: 'X-Api-Key' }),
      ...(before
        ? before.spec.limit && { limit: before.spec.limit }
        : { limit: { requests: 120, seconds: 60 } }),
    },
  }
}

function basePathOf(server: string | undefined): string | undefined {
  const path =
    server === undefined
      ? undefined
      : (URL.parse(server, 'https://relative.example')?.pathname ?? undefined)
  const trimmed = path?.replace(/\/+$/, '')
  return trimmed === undefined || trimmed === '' || /[{}%]/.test(trimmed) ? undefined : trimmed
}

/** Puts a version into the first stage. Later stages are reached by promotion only. */
export async function place(context: Context, body: PlacementRequest): Promise<PlacementItem> {
  const { db } = context
  const api = await findApi(db, body.api)
  requirePermission(context.actor, 'place', api.team)
  const revision = await revisionOfVersion(db, api, body.version)
  const stage = await firstStage(db)
  const spec = toSpec(body.spec)
  const target: Target = {
    api,
    version: body.version,
    revision,
    stage: stage.name,
    gateway: body.gateway,
    spec,
  }
  const same = await standingAt(db, target)
  const id = await applyTarget(context, target, same, 'placement.applied')
  return readPlacement(context, id)
}

/** Changes how a version is served where it stands. */
export async function changePlacement(
  context: Context,
  id: string,
  body: SpecBody,
  ifMatch: string | undefined,
): Promise<PlacementItem> {
  const { db } = context
  const row = await findPlacement(db, id)
  const api = await apiOf(db, row)
  requirePermission(context.actor, 'place', api.team)
  requireMatch(ifMatch, placementEtag(row.edition), 'the placement')
  const [revision] = await db.select().from(revisions).where(eq(revisions.id, row.revision))
  const { version, stage, gateway } = row
  await applyTarget(
    context,
    { api, version, revision: revision!, stage, gateway, spec: toSpec(body) },
    row,
    'placement.changed',
  )
  return readPlacement(context, id)
}

/** Takes a placement off its gateway. */
export async function removePlacement(context: Context, id: string): Promise<void> {
  const { db } = context
  const row = await findPlacement(db, id)
  requirePermission(context.actor, 'place', (await apiOf(db, row)).team)
  await db.transaction(async (tx) => {
    await tx.delete(placements).where(eq(placements.id, id))
    await record(tx, context, { action: 'placement.removed', subject: id, before: described(row) })
    await writePlacement(context, tx, row, row.gateway, true)
  })
  await checkGateway(context, row.gateway)
}
