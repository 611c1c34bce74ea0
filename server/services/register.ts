import type { Authentication } from '../../core/runtime/policies/authenticate'
import { resolvePolicies, type Scope } from '../../core/runtime/resolve'
import { asc, eq, sql } from 'drizzle-orm'
import semver from 'semver'
import { teamNames } from './teams'
import type { PageQuery, RegisterPage, RegisterRow, StageCell } from '../../shared/api/catalog'
import type { Shell } from '../../shared/api/shell'
import type { Queries } from '../db/database'
import { isNewest } from '../db/newest'
import { teamName } from '../db/names'
import {
  apis,
  drift,
  editions,
  gateways,
  people,
  placements,
  promotions,
  proposals,
  revisions,
  settings,
  stages,
} from '../db/schema'
import { countEndingWaivers } from './checking'
import type { Services } from './context'
import { notFound } from './failure'
import { offsetOf, pageOf } from './paging'
import { houseSlug } from './rulebooks'
import { Scopes } from './scopes'
import { isOpenDrift, seen, unseenAfterMs } from './sites'

export type Mark = StageCell['mark']

/** How a placement stands: `≠` where it differs, `?` where the gateway was not read since it was due. */
export function markOf(
  placement: { checkedAt: Date | null; differences: unknown[] },
  now: Date,
): Mark {
  const { checkedAt, differences } = placement
  if (!checkedAt || now.getTime() - checkedAt.getTime() > unseenAfterMs) return 'unseen'
  return differences.length > 0 ? 'differs' : 'in-step'
}

/** Higher first; texts that are no versions sort last, by themselves. */
export function compareVersions(a: string, b: string): number {
  const [x, y] = [semver.parse(a), semver.parse(b)]
  if (x && y) return semver.rcompare(x, y)
  return x ? -1 : y ? 1 : b.localeCompare(a)
}

const worst: Mark[] = ['differs', 'unseen', 'in-step']

/** Where versions live, by API: for each stage the newest version placed there; of all APIs, or of some. */
export async function cellsByApi(
  db: Queries,
  now: Date,
  of?: number[],
): Promise<Map<number, StageCell[]>> {
  const rows = await db
    .select({
      api: placements.apiId,
      stage: placements.stage,
      position: stages.position,
      version: placements.version,
      ...seen,
      mocks: sql<boolean>`not jsonb_path_exists(${placements.spec}, '$.routes[*].treatment.kind ? (@ == "route")')`,
      group: placements.group,
      // Its own, and those of its operations that are served.
      authentication: sql<Authentication | null>`${placements.spec} #> '{policies,authentication}'`,
      ofOperations: sql<
        Authentication[]
      >`jsonb_path_query_array(${placements.spec}, '$.routes[*] ? (@.treatment.kind != "withheld").policies.authentication')`,
      audience: apis.audience,
    })
    .from(placements)
    .innerJoin(stages, eq(stages.name, placements.stage))
    .innerJoin(apis, eq(apis.id, placements.apiId))
    .where(of && sql`${placements.apiId} = any(${sql.param(of)}::int[])`)
    .orderBy(asc(stages.position))
  const scopes = await Scopes.read(db)
  const grouped = new Map<number, Map<string, typeof rows>>()
  for (const row of rows) {
    const byStage = grouped.get(row.api) ?? new Map<string, typeof rows>()
    grouped.set(row.api, byStage)
    byStage.set(row.stage, [...(byStage.get(row.stage) ?? []), row])
  }
  return new Map(
    [...grouped].map(([id, byStage]) => [
      id,
      [...byStage].map(([stage, list]) => toCell(stage, list, now, scopes)),
    ]),
  )
}

interface PlacedRow {
  version: string
  checkedAt: Date | null
  differences: unknown[]
  mocks: boolean
  stage: string
  group: string
  authentication: Authentication | null
  ofOperations: Authentication[]
  audience: string
}

const asking = (kind: 'placement' | 'operation', authentication: Authentication | null): Scope => ({
  ...{ kind, name: '', binding: [] },
  policies: authentication ? { authentication } : {},
})

/** Whether some operation of a placement is served to whoever calls, as the scopes around it have it. */
function isOpen({ stage, group, authentication, ofOperations }: PlacedRow, scopes: Scopes) {
  const here = [...scopes.around({ stage, group }), asking('placement', authentication)]
  const asksNobody = (all: readonly Scope[]) => {
    const config = resolvePolicies(all).authentication?.config
    return config === undefined || config.kind === 'none'
  }
  return (
    asksNobody(here) || ofOperations.some((own) => asksNobody([...here, asking('operation', own)]))
  )
}

function toCell(stage: string, rows: PlacedRow[], now: Date, scopes: Scopes): StageCell {
  const all = [...new Set(rows.map((row) => row.version))].sort(compareVersions)
  const version = all[0]!
  const shown = rows.filter((row) => row.version === version)
  const marks = shown.map((row) => markOf(row, now))
  return {
    stage,
    version,
    mark: worst.find((mark) => marks.includes(mark))!,
    differences: shown.reduce((sum, row) => sum + row.differences.length, 0),
    mocked: shown.every((row) => row.mocks),
    unprotected: rows.some((row) => row.audience !== 'public' && isOpen(row, scopes)),
    others: all.length - 1,
  }
}

/** The register: every API with its newest revision, its findings, and where its versions live. */
export async function readRegister(
  db: Queries,
  now: Date,
  query: PageQuery,
): Promise<RegisterPage> {
  const limit = query.limit ?? 1000
  const offset = offsetOf(query)
  const [rows, cells, waiting, names] = await Promise.all([
    db
      .select({
        id: apis.id,
        api: apis.slug,
        title: apis.title,
        team: teamName(apis.teamId),
        audience: apis.audience,
        lifecycle: apis.lifecycle,
        format: revisions.format,
        version: revisions.version,
        revision: revisions.number,
        savedAt: revisions.savedAt,
        confidential: apis.confidential,
        findings: revisions.counts,
      })
      .from(apis)
      .innerJoin(revisions, isNewest)
      .orderBy(asc(apis.title), asc(apis.id))
      .limit(limit + 1)
      .offset(offset),
    cellsByApi(db, now),
    db
      .select({ api: promotions.apiId, count: sql<number>`count(*)::int` })
      .from(promotions)
      .where(eq(promotions.state, 'waiting'))
      .groupBy(promotions.apiId),
    stageNames(db),
  ])
  const waits = new Map(waiting.map(({ api, count }) => [api, count]))
  const items = rows.map(({ id, savedAt, ...row }): RegisterRow => {
    const own = cells.get(id) ?? []
    return {
      ...row,
      savedAt: savedAt.toISOString(),
      cells: own,
      waiting: waits.get(id) ?? 0,
      draft: !own.some((cell) => cell.version === row.version),
    }
  })
  return { stages: names, ...pageOf(items, limit, offset) }
}

export async function stageNames(db: Queries): Promise<string[]> {
  const rows = await db.select({ name: stages.name }).from(stages).orderBy(asc(stages.position))
  return rows.map(({ name }) => name)
}

/** What stands around every screen: the organisation, the numbers on the tabs. */
export async function readShell({
  db,
  allowedTargets,
  now,
}: Pick<Services, 'db' | 'allowedTargets' | 'now'>): Promise<Shell> {
  const [row] = await db.select().from(settings)
  if (!row) throw notFound('organisation')
  const count = sql<number>`count(*)::int`
  const [[all], [differing], [waiting], [gates], [edition], names, named, ending, [fixes]] =
    await Promise.all([
      db
        .select({
          count,
          must: sql<number>`coalesce(sum((${revisions.counts} ->> 'must')::int), 0)::int`,
        })
        .from(apis)
        .leftJoin(revisions, isNewest),
      db.select({ count }).from(drift).where(isOpenDrift),
      db.select({ count }).from(promotions).where(eq(promotions.state, 'waiting')),
      db.select({ count }).from(gateways),
      db
        .select({ count: sql<number>`jsonb_array_length(${editions.content} -> 'rules')` })
        .from(editions)
        .where(eq(editions.rulebook, houseSlug))
        .orderBy(sql`${editions.number} desc`)
        .limit(1),
      stageNames(db),
      db
        .select({ name: people.name, displayName: people.displayName })
        .from(people)
        .orderBy(asc(people.displayName)),
      countEndingWaivers(db, now()),
      db.select({ count }).from(proposals).where(eq(proposals.state, 'waiting')),
    ])
  return {
    organisation: row.organisation,
    demo: row.demo,
    ...(row.demo &&
      allowedTargets[0] && {
        tryAddress: `http://${allowedTargets[0]}/definitions/leak-sensors.yaml`,
      }),
    teams: await teamNames(db),
    people: named,
    stages: names,
    counts: {
      apis: all!.count,
      findings: all!.must,
      drift: differing!.count,
      promotions: waiting!.count,
      gateways: gates!.count,
      rules: edition?.count ?? 0,
      endingWaivers: ending,
      proposals: fixes!.count,
    },
  }
}
