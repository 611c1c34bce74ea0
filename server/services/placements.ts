import { createHash, randomBytes } from 'node:crypto'
import { and, asc, eq } from 'drizzle-orm'
import { adoptRunning, NotAdoptable } from '../../core/drift/adopt'
import {
  complaintsOf,
  operationKey,
  type Backend,
  type PlacementSpec,
  type RouteRow,
} from '../../core/routing/placement'
import { belongsTo, routesOf, writeResources } from '../../core/routing/resources'
import { conflicts } from '../../core/routing/routes'
import type {
  DraftQuery,
  HandEdit,
  IssuedKey,
  PlacementDraft,
  PlacementItem,
  PlacementQuery,
  PlacementRequest,
  SpecBody,
} from '../../shared/api/runtime'
import type { Queries, Transaction } from '../db/database'
import {
  apis,
  backends,
  keys,
  people,
  placements,
  revisions,
  settings,
  stages,
  versions,
} from '../db/schema'
import { findApi, findRevision, revisionOfVersion, type ApiRow } from './catalog'
import { compiled, type PlacementRow } from './compiled'
import type { Context } from './context'
import { conflict, Failure, invalid, notFound, requireMatch } from './failure'
import { writeConfiguration } from './gateway-client'
import { checkGateway, findGateway, runningFor, takeSnapshot } from './gateways'
import { handEdited } from './hand-edit'
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

export async function findPlacement(db: Queries, id: string): Promise<PlacementRow> {
  const [row] = await db.select().from(placements).where(eq(placements.id, id))
  if (!row) throw notFound(`placement called "${id}"`)
  return row
}

const apiOf = async (db: Queries, { api }: PlacementRow): Promise<ApiRow> =>
  (await db.select().from(apis).where(eq(apis.id, api)))[0]!

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

export interface Target {
  api: ApiRow
  version: string
  revision: { id: number; number: number; version: string }
  stage: string
  gateway: string
  spec: PlacementSpec
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

const described = ({ version, stage, gateway, spec }: PlacementRow) => ({
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
async function writePlacement(
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
function isStrangerOf(
  { spec }: PlacementRow,
  resource: {
    kind: string
    metadata: { labels?: Record<string, string> }
    spec: Record<string, unknown>
  },
): boolean {
  if (resource.kind !== 'HTTPRoute' || resource.metadata.labels) return false
  const hosts = resource.spec['hostnames']
  const rules = resource.spec['rules']
  if (!Array.isArray(hosts) || !hosts.includes(spec.host) || !Array.isArray(rules)) return false
  return rules.every((rule) => JSON.stringify(rule).includes(`${spec.basePath}/`))
}

/** Makes the gateway run what was approved again. */
export async function putBack(context: Context, id: string): Promise<PlacementItem> {
  const { db } = context
  const row = await findPlacement(db, id)
  requirePermission(context.actor, 'resolve')
  await db.transaction(async (tx) => {
    await record(tx, context, {
      action: 'drift.put-back',
      subject: id,
      before: { gateway: row.differences },
      after: described(row),
    })
    await writePlacement(context, tx, row, row.gateway)
  })
  await checkGateway(context, row.gateway)
  return readPlacement(context, id)
}

/** Approves what the gateway runs as the placement from now on. */
export async function keepRunning(context: Context, id: string): Promise<PlacementItem> {
  const { db } = context
  const row = await findPlacement(db, id)
  requirePermission(context.actor, 'resolve')
  const gateway = await findGateway(db, row.gateway)
  const running = runningFor(row, (await takeSnapshot(context, gateway)).routes)
  let spec: PlacementSpec
  try {
    spec = adoptRunning(row.spec, running)
  } catch (error) {
    if (error instanceof NotAdoptable) throw conflict(`${error.message}.`)
    throw error
  }
  const api = await apiOf(db, row)
  const [revision] = await db.select().from(revisions).where(eq(revisions.id, row.revision))
  const { version, stage } = row
  await applyTarget(
    context,
    { api, version, revision: revision!, stage, gateway: row.gateway, spec },
    row,
    'drift.kept',
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

/** Issues a key for a placement; only its digest is kept, so it is shown this once. */
export async function issueKey(context: Context, id: string, name: string): Promise<IssuedKey> {
  const { db } = context
  const row = await findPlacement(db, id)
  requirePermission(context.actor, 'place', (await apiOf(db, row)).team)
  if (!row.spec.key.required)
    throw conflict('This placement asks for no key. Change the placement first.')
  const secret = `elm_${randomBytes(24).toString('base64url')}`
  const sha256 = createHash('sha256').update(secret).digest('hex')
  await db.transaction(async (tx) => {
    const made = await tx
      .insert(keys)
      .values({ placement: id, name, sha256 })
      .onConflictDoNothing()
      .returning()
    if (made.length === 0)
      throw conflict(`${name} has a key here already. Withdraw it first or choose another name.`)
    await record(tx, context, { action: 'key.issued', subject: id, after: { name, sha256 } })
    await writePlacement(context, tx, row, row.gateway)
  })
  await checkGateway(context, row.gateway)
  return { name, secret }
}

export async function withdrawKey(context: Context, id: string, name: string): Promise<void> {
  const { db } = context
  const row = await findPlacement(db, id)
  requirePermission(context.actor, 'place', (await apiOf(db, row)).team)
  await db.transaction(async (tx) => {
    const gone = await tx
      .delete(keys)
      .where(and(eq(keys.placement, id), eq(keys.name, name)))
      .returning()
    if (gone.length === 0) throw notFound(`key of ${name} at this placement`)
    await record(tx, context, { action: 'key.withdrawn', subject: id, before: { name } })
    await writePlacement(context, tx, row, row.gateway)
  })
  await checkGateway(context, row.gateway)
}

/** The demo's hand on the gateway: changes what runs through the admin API, past the ledger. */
export async function editByHand(
  context: Context,
  id: string,
  { kind }: HandEdit,
): Promise<PlacementItem> {
  requirePermission(context.actor, 'handEdit')
  const { db } = context
  const [{ demo } = { demo: false }] = await db.select({ demo: settings.demo }).from(settings)
  if (!demo) throw conflict('Only a demo has a hand on the gateway.')
  const row = await findPlacement(db, id)
  const gateway = await findGateway(db, row.gateway)
  const snapshot = await takeSnapshot(context, gateway)
  const body = writeResources(handEdited(snapshot.resources, row, kind))
  const outcome = await writeConfiguration(gateway, context.gatewaySecret, body, snapshot.etag)
  if (outcome !== 'written') throw conflict('The gateway was changed in between. Try again.')
  await checkGateway(context, row.gateway)
  return readPlacement(context, id)
}
