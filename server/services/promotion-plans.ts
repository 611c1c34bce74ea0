import { and, asc, eq } from 'drizzle-orm'
import { compareOperations } from '../../core/compare/operations'
import { compareRoutes } from '../../core/drift/compare'
import { specDigest, type PlanBasis } from '../../core/pipeline/plan'
import type { Backend, PlacementSpec } from '../../core/runtime/placement'
import type { Scope } from '../../core/runtime/resolve'
import { routesOf } from '../../core/runtime/read'
import { canonical } from '../../core/text/canonical'
import { sha256Hex } from '../../core/ledger/chain'
import type { PlacementPlan } from '../../shared/api/promotions'
import type { Queries } from '../db/database'
import { backends, hosts, placements, promotions, revisions } from '../db/schema'
import { apiOf, membersOf, placedAt, usualHost } from './apply'
import { revisionOfVersion, type ApiRow } from './catalog'
import { compiled, type PlacementRow } from './compiled'
import { backendOf, soapRoutes } from './placements'
import { Scopes } from './scopes'
import { seen } from './sites'
import { type Promoted } from './version-gate'

export type PromotionRow = typeof promotions.$inferSelect

type RevisionRow = typeof revisions.$inferSelect

/** The placements of a version in a stage. */
export const placedIn = (
  db: Queries,
  { apiId, version, fromStage }: Pick<PromotionRow, 'apiId' | 'version' | 'fromStage'>,
): Promise<PlacementRow[]> =>
  db
    .select()
    .from(placements)
    .where(
      and(
        eq(placements.apiId, apiId),
        eq(placements.version, version),
        eq(placements.stage, fromStage),
      ),
    )
    .orderBy(asc(placements.id))

export const promotedIn = (
  { toStage }: PromotionRow,
  { api, revision, writes }: Plan,
): Promoted => ({
  apiId: api.id,
  version: revision.version,
  revisionId: revision.id,
  stage: toStage,
  replaces: writes.flatMap(({ there }) => there ?? []),
})

/** One placement as it would be written; nothing where it is taken off. */
interface Write {
  group: string
  there: PlacementRow | undefined
  spec: PlacementSpec | undefined
}

/** What a request would do now, and everything that depends on. */
export interface Plan {
  api: ApiRow
  revision: RevisionRow
  from: PlacementRow[]
  writes: Write[]
  basis: PlanBasis
}

/** What a specification comes to in the scopes around it. */
const writtenDigest = (spec: PlacementSpec, around: readonly Scope[]) =>
  around.length === 0 ? specDigest(spec) : sha256Hex(canonical({ spec, around }))

export async function planOf(db: Queries, row: PromotionRow): Promise<Plan> {
  const api = await apiOf(db, row)
  const from =
    row.kind === 'promotion'
      ? await placedIn(db, row)
      : await db.select().from(placements).where(eq(placements.id, row.placementId!))
  const revision = from[0]
    ? (await db.select().from(revisions).where(eq(revisions.id, from[0].revisionId)))[0]!
    : await revisionOfVersion(db, api, row.version)
  const writes: Write[] = []
  for (const placement of from) {
    const { group } = placement
    if (row.kind !== 'promotion') {
      const spec = row.kind === 'removal' ? undefined : (row.wanted ?? placement.spec)
      writes.push({ group, there: placement, spec })
      continue
    }
    const spec = await nextSpec(db, row, api, placement)
    const there = await placedAt(db, { api, stage: row.toStage, group, spec })
    writes.push({ group, there, spec })
  }
  const generations = (rows: PlacementRow[]) =>
    Object.fromEntries(rows.map(({ id, generation }) => [id, generation]))
  const scopes = await Scopes.read(db)
  const basis: PlanBasis = {
    version: row.version,
    revision: revision.digest,
    from: generations(from),
    there: generations(writes.flatMap(({ there }) => there ?? [])),
    gateways: await membersOf(
      db,
      writes.map(({ group }) => group),
    ),
    writes: Object.fromEntries(
      writes.map(({ group, there, spec }) => [
        `${group} ${addressOf(spec ?? there!.spec)}`,
        spec ? writtenDigest(spec, scopes.around({ stage: row.toStage, group })) : 'removed',
      ]),
    ),
  }
  return { api, revision, from, writes, basis }
}

const addressOf = ({ host, basePath }: PlacementSpec) => `https://${host}${basePath}`

/** The specification in the next stage: the same, at that stage's host, sent to that stage's backends. */
async function nextSpec(
  db: Queries,
  row: PromotionRow,
  api: ApiRow,
  from: PlacementRow,
): Promise<PlacementSpec> {
  const known = await db
    .select()
    .from(backends)
    .where(and(eq(backends.apiId, api.id), eq(backends.stage, row.toStage)))
  const [here] = await db.select().from(hosts).where(eq(hosts.name, from.spec.host))
  const audience = here?.audiences.includes(api.audience) ? api.audience : here?.audiences[0]
  const there = await usualHost(db, row.toStage, audience ?? api.audience)
  const upstream = from.spec.backends.map((backend): Backend => {
    const own = known.find(({ name }) => name === backend.name)
    return own ? backendOf(own) : backend
  })
  return { ...from.spec, host: there?.name ?? '', backends: upstream }
}

/** What each placement becomes, and what that changes there. */
export async function shownPlan(
  db: Queries,
  row: PromotionRow,
  { writes, from, revision }: Plan,
): Promise<PlacementPlan[]> {
  const soap = soapRoutes(revision.summary)
  const shown: PlacementPlan[] = []
  for (const [index, { group, there, spec }] of writes.entries()) {
    const served = ({ routes }: PlacementSpec) =>
      routes.filter(({ treatment: { kind } }) => kind === 'route' || kind === 'mock')
    const { added, removed } = compareOperations(
      there ? served(there.spec) : [],
      spec ? served(spec) : [],
    )
    const changes =
      row.kind === 'put-back' || row.kind === 'keep'
        ? await driftOf(db, there!.id)
        : there && spec
          ? await settingChanges(db, there, { ...from[index]!, id: there.id, spec })
          : []
    shown.push({
      group,
      address: addressOf(spec ?? there!.spec),
      replaces: there?.version ?? '',
      added,
      removed,
      changes,
      ...(soap.length > 0 && { soap }),
      ...(spec && { spec }),
    })
  }
  return shown
}

/** What differs at a placement now, as it was last seen. */
async function driftOf(db: Queries, id: string) {
  const [row] = await db
    .select({ differences: seen.differences })
    .from(placements)
    .where(eq(placements.id, id))
  return row?.differences ?? []
}

/** Settings of operations served before and after that will be different. */
async function settingChanges(db: Queries, there: PlacementRow, next: PlacementRow) {
  const before = routesOf(await compiled(db, there))
  const after = routesOf(await compiled(db, { ...next, id: there.id }))
  const differences = compareRoutes(before, after)
  return differences.filter(({ what }) => what !== 'route' && what !== 'version')
}
