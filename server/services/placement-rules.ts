import { and, asc, eq, gte, isNull, or } from 'drizzle-orm'
import type { GatewayNode } from '../../core/rules/facts/runtime'
import { atVersion, type ApiFacts, type Edition } from '../../core/rules/model'
import { checkPlacement, type RuntimeFinding } from '../../core/rules/runtime'
import type { PlacementSpec } from '../../core/runtime/placement'
import type { PlacementCheck, PlacementFinding } from '../../shared/api/placements'
import type { Queries } from '../db/database'
import { gateways, stages, waivers } from '../db/schema'
import { apiOf, findPlacement } from './apply'
import { findApi, type ApiRow } from './catalog'
import type { Context } from './context'
import { notFound } from './failure'
import { dayOf, factsOf } from './known'
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

/** The rules about what runs as they are for one API now, to hold any of its placements against. */
export class PlacementRules {
  private constructor(
    private readonly api: ApiRow,
    private readonly edition: Edition,
    private readonly facts: ApiFacts,
    private readonly scopes: Scopes,
    private readonly stages: readonly string[],
    private readonly gateways: readonly GatewayNode[],
    private readonly excused: readonly WaiverRow[],
  ) {}

  /** By the edition in force, or by another one. */
  static async read(
    db: Queries,
    api: ApiRow,
    now: Date,
    another?: Edition,
  ): Promise<PlacementRules> {
    const [edition, facts, scopes, order, members, excused] = await Promise.all([
      another ?? currentEdition(db, api.team),
      factsOf(db, api, now),
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
      waiversOf(db, api, dayOf(now)),
    ])
    const names = order.map(({ name }) => name)
    const known = members.map(({ listeners, ...gateway }) => ({ ...gateway, ...listeners }))
    return new PlacementRules(api, edition, facts, scopes, names, known, excused)
  }

  /** What of a placement breaks them, the gravest first; what a waiver excuses says so. */
  findingsOf({ version, stage, group, spec }: Placing): PlacementFinding[] {
    const node = {
      spec,
      outer: this.scopes.around({ stage, group }),
      version,
      stage,
      stages: this.stages,
      group,
      gateways: this.gateways.filter((gateway) => gateway.group === group),
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

/** Exceptions that hold today, for an API or for all. */
const waiversOf = (db: Queries, api: ApiRow, today: string): Promise<WaiverRow[]> =>
  db
    .select()
    .from(waivers)
    .where(
      and(
        eq(waivers.state, 'approved'),
        gte(waivers.until, today),
        or(isNull(waivers.apiId), eq(waivers.apiId, api.id)),
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
