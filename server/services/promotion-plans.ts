import { and, asc, eq, getTableColumns, inArray } from 'drizzle-orm'
import { compareOperations } from '../../core/compare/operations'
import { compareRoutes } from '../../core/drift/compare'
import { paceOf, stageNamed } from '../../core/pipeline/pipeline'
import { specDigest, type PlanBasis } from '../../core/pipeline/plan'
import {
  endingOn,
  endingText,
  predecessorText,
  succeededBy,
  type Ending,
  type Predecessor,
} from '../../core/pipeline/succession'
import type { Backend, PlacementSpec } from '../../core/runtime/placement'
import type { Scope } from '../../core/runtime/resolve'
import { routesOf } from '../../core/runtime/read'
import { canonical } from '../../core/text/canonical'
import { grouped } from '../../core/text/grouped'
import { sha256Hex } from '../../core/ledger/chain'
import type { PlacementPlan } from '../../shared/api/promotions'
import type { Queries } from '../db/database'
import type { RequestKind } from '../../shared/words'
import { apiColumns } from '../db/names'
import { apis, backends, hosts, placements, promotions, revisions } from '../db/schema'
import { closestFor, gatewaysOf, placedAt, reachedIn, type Reached } from './apply'
import { revisionOfVersion, type ApiRow } from './catalog'
import { compiled, type PlacementRow } from './compiled'
import { dayOf } from './known'
import { isAutomatic, Pipelines } from './pipelines'
import { backendOf, soapRoutes } from './placements'
import { Scopes } from './scopes'
import { seen } from './sites'
import { type Promoted } from './version-gate'

export type PromotionRow = typeof promotions.$inferSelect

/** What requests ask for, as their titles begin. */
const titles: Record<Exclude<RequestKind, 'promotion'>, string> = {
  change: 'Change',
  removal: 'Remove',
  'put-back': 'Put back',
  keep: 'Keep what runs of',
  ending: 'End',
}

/** A request in a line. */
export const requestTitle = (
  { kind, version, toStage }: Pick<PromotionRow, 'kind' | 'version' | 'toStage'>,
  { title }: { title: string },
): string =>
  kind === 'promotion'
    ? `Promote ${title} ${version} into ${toStage}`
    : `${titles[kind]} ${title} ${version} in ${toStage}`

const { id, number, version, digest, counts, savedById } = getTableColumns(revisions)
/** What is asked of the revision that a request is about. */
const revisionColumns = { id, number, version, digest, counts, savedById }
type RevisionRow = Pick<typeof revisions.$inferSelect, keyof typeof revisionColumns>

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
  /** Earlier versions beside it, and what becomes of them. */
  succeeded: { there: PlacementRow; becomes: Predecessor }[]
  basis: PlanBasis
}

/** What a specification comes to in the scopes around it, whatever these are called. */
const writtenDigest = (spec: PlacementSpec, around: readonly Scope[]) =>
  around.length === 0
    ? specDigest(spec)
    : sha256Hex(canonical({ spec, around: around.map(({ name: _, ...scope }) => scope) }))

/** What a request would do as things stand. */
export const planOf = async (db: Queries, row: PromotionRow): Promise<Plan> =>
  (await plansOf(db, [row]))[0]!

/** What requests would do as things stand, in their order; what they have in common is read once. */
export async function plansOf(db: Queries, rows: readonly PromotionRow[]): Promise<Plan[]> {
  if (rows.length === 0) return []
  const ids = [...new Set(rows.map(({ apiId }) => apiId))]
  const [owners, placed, known, everyHost, members, scopes, pipelines] = await Promise.all([
    db.select(apiColumns).from(apis).where(inArray(apis.id, ids)),
    db.select().from(placements).where(inArray(placements.apiId, ids)).orderBy(asc(placements.id)),
    db.select().from(backends).where(inArray(backends.apiId, ids)),
    db.select().from(hosts).orderBy(asc(hosts.name)),
    reachedIn(db),
    Scopes.read(db),
    Pipelines.read(db),
  ])
  const placedOf = grouped(placed, ({ apiId }) => apiId)
  const starts = rows.map((row) =>
    (placedOf.get(row.apiId) ?? []).filter((placement) =>
      row.kind === 'promotion'
        ? placement.version === row.version && placement.stage === row.fromStage
        : placement.id === row.placementId,
    ),
  )
  const used = starts.flatMap(([first]) => first?.revisionId ?? [])
  const texts = await db.select(revisionColumns).from(revisions).where(inArray(revisions.id, used))
  return Promise.all(
    rows.map(async (row, n) => {
      const api = owners.find(({ id }) => id === row.apiId)!
      const from = starts[n]!
      const revision =
        texts.find(({ id }) => id === from[0]?.revisionId) ??
        (await revisionOfVersion(db, api, row.version))
      const ground = {
        placed: placedOf.get(api.id) ?? [],
        hosts: everyHost,
        members,
        scopes,
        pipelines,
      }
      const own = known.filter(({ apiId }) => apiId === api.id)
      return planFrom(row, { api, revision, from }, { ...ground, backends: own })
    }),
  )
}

/** What a plan depends on besides what is promoted. */
interface Ground {
  /** All placements of the API. */
  placed: readonly PlacementRow[]
  backends: readonly (typeof backends.$inferSelect)[]
  hosts: (typeof hosts.$inferSelect)[]
  members: readonly Reached[]
  scopes: Scopes
  pipelines: Pipelines
}

function planFrom(
  row: PromotionRow,
  { api, revision, from }: Pick<Plan, 'api' | 'revision' | 'from'>,
  ground: Ground,
): Plan {
  const writes = from.map((placement): Write => {
    const { group } = placement
    if (row.kind !== 'promotion') {
      const spec = row.kind === 'removal' ? undefined : (row.wanted ?? placement.spec)
      return { group, there: placement, spec }
    }
    const spec = nextSpec(row, api, placement, ground)
    return { group, there: placedAt(ground.placed, { stage: row.toStage, group, spec }), spec }
  })
  const generations = (rows: PlacementRow[]) =>
    Object.fromEntries(rows.map(({ id, generation }) => [id, generation]))
  const groups = writes.map(({ group }) => group)
  const succeeded = succeededIn(row, api, writes, ground)
  const ends = row.kind === 'ending' ? ` ${endingText(row.ending)}` : ''
  const basis: PlanBasis = {
    version: row.version,
    revision: revision.digest,
    from: generations(from),
    there: generations([
      ...writes.flatMap(({ there }) => there ?? []),
      ...succeeded.map(({ there }) => there),
    ]),
    gateways: gatewaysOf(ground.members, groups),
    pace: paceIn(row, api, ground),
    writes: Object.fromEntries<string>([
      ...writes.map(({ group, there, spec }): [string, string] => [
        `${group} ${addressOf(spec ?? there!.spec)}`,
        spec
          ? `${writtenDigest(spec, ground.scopes.around({ stage: row.toStage, group }))}${ends}`
          : 'removed',
      ]),
      // The days, not the day: what is approved today is the same tomorrow.
      ...succeeded.map(({ there, becomes }): [string, string] => [
        `${there.group} ${addressOf(there.spec)}`,
        predecessorText(becomes),
      ]),
    ]),
  }
  return { api, revision, from, writes, succeeded, basis }
}

/** A digest of how it is carried out: the pace, and whether somebody has to begin it. */
function paceIn(row: PromotionRow, api: ApiRow, { pipelines }: Ground): string {
  const holding = pipelines.for(api)
  const stage = stageNamed(holding.content, row.toStage)
  const pace = stage ? paceOf(stage, row.kind === 'promotion') : {}
  return sha256Hex(canonical({ pace, automatic: isAutomatic(holding, row) })).slice(0, 16)
}

/** What becomes of the earlier versions beside a promoted one, where its pipeline says so. */
function succeededIn(
  row: PromotionRow,
  api: ApiRow,
  writes: readonly Write[],
  { placed, pipelines }: Ground,
): Plan['succeeded'] {
  if (row.kind !== 'promotion') return []
  const becomes = stageNamed(pipelines.for(api).content, row.toStage)?.predecessor
  if (!becomes) return []
  const groups = writes.map(({ group }) => group)
  const entered = { version: row.version, stage: row.toStage, groups }
  const taken = writes.flatMap(({ there }) => there ?? [])
  return succeededBy(entered, placed, taken).map((there) => ({ there, becomes }))
}

const addressOf = ({ host, basePath }: PlacementSpec) => `https://${host}${basePath}`

/** The specification in the next stage: the same, at that stage's host, sent to that stage's backends. */
function nextSpec(
  { toStage }: PromotionRow,
  api: ApiRow,
  from: PlacementRow,
  ground: Ground,
): PlacementSpec {
  const known = ground.backends.filter(({ stage }) => stage === toStage)
  const here = ground.hosts.find(({ name }) => name === from.spec.host)
  const audience = here?.audiences.includes(api.audience) ? api.audience : here?.audiences[0]
  const there = closestFor(
    ground.hosts.filter(({ stage }) => stage === toStage),
    audience ?? api.audience,
  )
  const upstream = from.spec.backends.map((backend): Backend => {
    const own = known.find(({ name }) => name === backend.name)
    return own ? backendOf(own) : backend
  })
  return { ...from.spec, host: there?.name ?? '', backends: upstream }
}

/** What an end is told as. */
const becomingOf = (ending: Ending | null | undefined) =>
  ending ? { as: ending.as, until: ending.until } : undefined

/** What each placement becomes, and what that changes there. */
export async function shownPlan(
  db: Queries,
  row: PromotionRow,
  { writes, from, revision, succeeded }: Plan,
  now: Date,
): Promise<PlacementPlan[]> {
  const [text] = await db
    .select({ summary: revisions.summary })
    .from(revisions)
    .where(eq(revisions.id, revision.id))
  const soap = soapRoutes(text!.summary)
  const shown: PlacementPlan[] = []
  const served = ({ routes }: PlacementSpec) =>
    routes.filter(({ treatment: { kind } }) => kind === 'route' || kind === 'mock')
  for (const [index, { group, there, spec }] of writes.entries()) {
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
      ...(row.kind === 'ending' && { becomes: becomingOf(row.ending) ?? { as: 'served' } }),
    })
  }
  for (const { there, becomes } of succeeded) {
    const ending = becomingOf(endingOn(becomes, dayOf(now)))
    shown.push({
      ...{ group: there.group, address: addressOf(there.spec), replaces: there.version },
      ...{ added: [], changes: [], becomes: ending ?? { as: 'removed' } },
      removed: ending ? [] : compareOperations(served(there.spec), []).removed,
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
