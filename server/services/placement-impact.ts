import { asc, eq } from 'drizzle-orm'
import { changedRules } from '../../core/rules/changes'
import type { Edition } from '../../core/rules/model'
import { isAboutRuntime } from '../../core/rules/runtime'
import type { PlacementFinding } from '../../shared/api/placements'
import type { Queries } from '../db/database'
import { placements, revisions } from '../db/schema'
import type { ApiRow } from './catalog'
import { PlacementRules } from './placement-rules'
import { lastStage } from './placements'

/** Something at a placement that would be found, not be found any more, or weigh otherwise. */
export interface PlacementDifference {
  kind: 'fails' | 'passes' | 'weighs'
  finding: PlacementFinding
  placement: string
  revision: number
  /** Whether it stands in the last stage. */
  live: boolean
}

/** The rules about what runs of two editions that are not in both as they are; none where all are. */
function runtimeRulesOf(now: Edition, next: Edition): [Edition, Edition] | undefined {
  const changed = changedRules(now, next).filter(isAboutRuntime)
  const ids = new Set(changed.map(({ id }) => id))
  const kept = new Set(next.rules.map(({ id }) => id))
  const old = now.rules.filter(
    (rule) => isAboutRuntime(rule) && (ids.has(rule.id) || !kept.has(rule.id)),
  )
  if (changed.length + old.length === 0) return undefined
  return [
    { ...now, rules: old },
    { ...next, rules: changed },
  ]
}

/** What an edition would change at the placements of an API, as they stand now. */
export async function placementDifferences(
  db: Queries,
  api: ApiRow,
  at: Date,
  now: Edition,
  next: Edition,
): Promise<PlacementDifference[]> {
  const editions = runtimeRulesOf(now, next)
  if (!editions) return []
  const last = await lastStage(db)
  const standing = await db
    .select({ placement: placements, revision: revisions.number })
    .from(placements)
    .innerJoin(revisions, eq(revisions.id, placements.revisionId))
    .where(eq(placements.apiId, api.id))
    .orderBy(asc(placements.id))
  if (standing.length === 0) return []
  const [before, after] = [
    await PlacementRules.read(db, api, at, editions[0]),
    await PlacementRules.read(db, api, at, editions[1]),
  ]
  return standing.flatMap(({ placement, revision }) => {
    const here = { placement: placement.id, revision, live: placement.stage === last }
    const known = new Map(before.findingsOf(placement).map((one) => [one.key, one]))
    const found = after.findingsOf(placement)
    const still = new Set(found.map(({ key }) => key))
    return [
      ...found.flatMap((finding): PlacementDifference[] => {
        const was = known.get(finding.key)
        if (was?.level === finding.level) return []
        return [{ ...here, kind: was ? 'weighs' : 'fails', finding }]
      }),
      ...[...known.values()]
        .filter(({ key }) => !still.has(key))
        .map((finding): PlacementDifference => ({ ...here, kind: 'passes', finding })),
    ]
  })
}
