import { and, asc, eq, gte, inArray, isNull, or } from 'drizzle-orm'
import type { GatewayNode } from '../../core/rules/facts/runtime'
import { atVersion, type ApiFacts, type Edition, type Level } from '../../core/rules/model'
import { checkPlacement, type RuntimeFinding } from '../../core/rules/runtime'
import type { PlacementSpec } from '../../core/runtime/placement'
import type {
  PlacementCheck,
  PlacementFinding,
  PlacementFindingItem,
  PlacementFindingPage,
  PlacementFindingQuery,
} from '../../shared/api/placements'
import type { Queries } from '../db/database'
import { apiColumns, teamName } from '../db/names'
import { apis, gateways, placements, stages, waivers } from '../db/schema'
import { apiOf, findPlacement } from './apply'
import { findApi, type ApiRow } from './catalog'
import type { Context } from './context'
import { notFound } from './failure'
import { dayOf, factsOfAll } from './known'
import { pageFrom } from './paging'
import { toSpec } from './placements'
import { currentEdition } from './rulebooks'
import { Scopes } from './scopes'

/** A version at one place, as it is or as somebody wants it. */
export interface Placing {
  version: string
  stage: string
  group: string
  spec: PlacementSpec
}

const rank = { MUST: 0, SHOULD: 1, MAY: 2 }

/** What stands around all placements. */
interface Ground {
  scopes: Scopes
  /** From the first to the last. */
  stages: readonly string[]
  gateways: readonly GatewayNode[]
}

async function readGround(db: Queries): Promise<Ground> {
  const [scopes, order, members] = await Promise.all([
    Scopes.read(db),
    db.select({ name: stages.name }).from(stages).orderBy(asc(stages.position)),
    db
      .select({
        name: gateways.name,
        group: gateways.group,
        trouble: gateways.trouble,
        listeners: gateways.listeners,
      })
      .from(gateways)
      .orderBy(asc(gateways.position)),
  ])
  return {
    scopes,
    stages: order.map(({ name }) => name),
    gateways: members.map(({ listeners, ...gateway }) => ({ ...gateway, ...listeners })),
  }
}

/** The rules about what runs as they are for one API now, to hold any of its placements against. */
export class PlacementRules {
  private constructor(
    private readonly api: ApiRow,
    private readonly edition: Edition,
    private readonly facts: ApiFacts,
    private readonly ground: Ground,
    private readonly excused: readonly WaiverRow[],
  ) {}

  /** By the edition in force, or by another one. */
  static async read(
    db: Queries,
    api: ApiRow,
    now: Date,
    another?: Edition,
  ): Promise<PlacementRules> {
    return (await PlacementRules.readAll(db, [api], now, another)).get(api.id)!
  }

  /** Those of several APIs by the ids of these, each by the edition in force for its team, or all by another one. */
  static async readAll(
    db: Queries,
    list: readonly ApiRow[],
    now: Date,
    another?: Edition,
  ): Promise<Map<number, PlacementRules>> {
    const teams = [...new Set(list.map(({ team }) => team))]
    const [editions, facts, ground, excused] = await Promise.all([
      Promise.all(teams.map(async (team) => another ?? (await currentEdition(db, team)))),
      factsOfAll(db, list, now),
      readGround(db),
      waiversOf(db, list, dayOf(now)),
    ])
    return new Map(
      list.map((api) => [
        api.id,
        new PlacementRules(
          api,
          editions[teams.indexOf(api.team)]!,
          facts.get(api.id)!,
          ground,
          excused.filter(({ apiId }) => apiId === null || apiId === api.id),
        ),
      ]),
    )
  }

  /** What of a placement breaks them, the gravest first; what a waiver excuses says so. */
  findingsOf({ version, stage, group, spec }: Placing): PlacementFinding[] {
    const node = {
      spec,
      outer: this.ground.scopes.around({ stage, group }),
      version,
      stage,
      stages: this.ground.stages,
      group,
      gateways: this.ground.gateways.filter((gateway) => gateway.group === group),
      owner: this.api.owner ?? '',
    }
    const { findings } = checkPlacement(node, this.edition, atVersion(this.facts, version))
    const titles = new Map(this.edition.rules.map(({ id, title }) => [id, title]))
    return findings
      .map((finding): PlacementFinding => {
        const waiver = this.excused.find((one) => excuses(one, finding))
        return {
          ...finding,
          title: titles.get(finding.rule) ?? finding.rule,
          ...(waiver && { waiver: waiver.id, until: waiver.until }),
        }
      })
      .sort((one, other) => rank[one.level] - rank[other.level])
  }
}

type WaiverRow = typeof waivers.$inferSelect

/** Exceptions that hold today, for some APIs or for all. */
const waiversOf = (db: Queries, list: readonly ApiRow[], today: string): Promise<WaiverRow[]> =>
  db
    .select()
    .from(waivers)
    .where(
      and(
        eq(waivers.state, 'approved'),
        gte(waivers.until, today),
        or(
          isNull(waivers.apiId),
          inArray(
            waivers.apiId,
            list.map(({ id }) => id),
          ),
        ),
      ),
    )

/** Whether a waiver is for a finding: of its rule, and of its operation or itself where it names one. */
const excuses = (
  { rule, operation, key }: WaiverRow,
  finding: Pick<RuntimeFinding, 'rule' | 'key' | 'subject'>,
) =>
  rule === finding.rule &&
  (operation === null || operation === finding.subject) &&
  (key === null || key === finding.key)

/** What stands at MUST and is not excused. */
export const standing = (findings: readonly PlacementFinding[]) =>
  findings.filter(({ level, waiver }) => level === 'MUST' && waiver === undefined)

/** The findings of a placement as it is approved. */
export async function placementFindings(
  { db, now }: Context,
  id: string,
): Promise<PlacementFinding[]> {
  const row = await findPlacement(db, id)
  return (await PlacementRules.read(db, await apiOf(db, row), now())).findingsOf(row)
}

/** Findings at placements, the gravest first, then by API and place; all that who asks may see. */
export async function findingsAtPlacements(
  { db, now }: Context,
  query: PlacementFindingQuery,
): Promise<PlacementFindingPage> {
  const rows = await db
    .select({ placement: placements, api: apiColumns })
    .from(placements)
    .innerJoin(apis, eq(apis.id, placements.apiId))
    .where(
      and(
        query.api ? eq(apis.slug, query.api) : undefined,
        query.team ? eq(teamName(apis.teamId), query.team) : undefined,
        query.stage ? eq(placements.stage, query.stage) : undefined,
        query.group ? eq(placements.group, query.group) : undefined,
      ),
    )
    .orderBy(asc(apis.title), asc(placements.id))
  const list = [...new Map(rows.map(({ api }) => [api.id, api])).values()]
  const rules = await PlacementRules.readAll(db, list, now())
  const found = rows.flatMap(({ placement, api }) =>
    rules
      .get(api.id)!
      .findingsOf(placement)
      .map((finding): PlacementFindingItem => ({
        ...finding,
        api: api.slug,
        apiTitle: api.title,
        team: api.team,
        placement: placement.id,
        version: placement.version,
        stage: placement.stage,
        group: placement.group,
      })),
  )
  const { level, rule, status } = query
  const ofRule = rule ? found.filter((one) => one.rule === rule) : found
  const open = ofRule.filter(({ waiver }) => waiver === undefined)
  const at = (asked: Level) => open.filter((one) => one.level === asked).length
  const shown = ofRule
    .filter(
      (one) =>
        (!level || one.level === level) &&
        (!status || (status === 'waived') === (one.waiver !== undefined)),
    )
    .sort((one, other) => rank[one.level] - rank[other.level])
  return {
    placements: rows.length,
    must: at('MUST'),
    should: at('SHOULD'),
    may: at('MAY'),
    ...pageFrom(shown, query),
  }
}

/** The findings of a placement that somebody thinks of; nothing is kept. */
export async function checkPlacing(
  { db, now }: Context,
  { api, version, stage, group, spec }: PlacementCheck,
): Promise<PlacementFinding[]> {
  const [first] = await db.select({ name: stages.name }).from(stages).orderBy(asc(stages.position))
  const at = stage ?? first!.name
  const [known] = await db.select().from(stages).where(eq(stages.name, at))
  if (!known) throw notFound(`stage called "${at}"`)
  const rules = await PlacementRules.read(db, await findApi(db, api), now())
  return rules.findingsOf({ version, stage: at, group, spec: toSpec(spec) })
}
