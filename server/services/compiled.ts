import { and, asc, eq, ne } from 'drizzle-orm'
import { operationKey } from '../../core/routing/placement'
import { compilePlacement, type Resource } from '../../core/routing/resources'
import type { Queries } from '../db/database'
import { keys, placements, revisions } from '../db/schema'

export type PlacementRow = typeof placements.$inferSelect

/** What the ledger says of a placement. */
export const described = ({ version, stage, group, spec }: PlacementRow) => ({
  version,
  stage,
  group,
  spec,
})

/** The resources that would make a gateway do exactly what a placement says. */
export async function compiled(db: Queries, placement: PlacementRow): Promise<Resource[]> {
  const [revision] = await db
    .select({ number: revisions.number, summary: revisions.summary })
    .from(revisions)
    .where(eq(revisions.id, placement.revisionId))
  const issued = await db
    .select({ name: keys.name, sha256: keys.sha256 })
    .from(keys)
    .where(and(eq(keys.placementId, placement.id), ne(keys.state, 'withdrawing')))
    .orderBy(asc(keys.name))
  const mocks = new Map(
    revision!.summary.operations.map((operation) => [operationKey(operation), operation.mock]),
  )
  return compilePlacement(placement.spec, {
    name: placement.id,
    gateway: placement.group,
    version: placement.version,
    revision: revision!.number,
    keys: issued,
    mocks,
  })
}
