import { and, desc, eq } from 'drizzle-orm'
import { riseBetween } from '../../core/compare/version'
import type { Replaced } from '../../core/pipeline/gates'
import type { Queries } from '../db/database'
import { placements } from '../db/schema'
import { findResult, resultFor, type Result } from './comparison-results'
import type { PlacementRow } from './compiled'
import type { Context } from './context'
import { filesOf } from './files'

/** A version on its way into a stage. */
export interface Promoted {
  apiId: number
  version: string
  revisionId: number
  stage: string
  /** What stands where it goes. */
  replaces: PlacementRow[]
}

/** The versions that a promoted one follows on in its next stage: those it replaces, or else the last one below it. */
async function precedingOf(
  db: Queries,
  { apiId, version, stage, replaces }: Promoted,
): Promise<PlacementRow[]> {
  const isOther = (placement: PlacementRow) => placement.version !== version
  if (replaces.length > 0)
    return [...new Map(replaces.filter(isOther).map((row) => [row.version, row])).values()]
  const standing = await db
    .select()
    .from(placements)
    .where(and(eq(placements.apiId, apiId), eq(placements.stage, stage)))
    .orderBy(desc(placements.appliedAt))
  const isBelow = (placement: PlacementRow) => {
    const rise = riseBetween(placement.version, version)
    return rise !== undefined && rise !== 'none'
  }
  return standing.filter((row) => isOther(row) && isBelow(row)).slice(0, 1)
}

/** The versions that a promoted one follows on, each with what a comparison came to; undefined where there is none yet. */
export async function comparedWith(
  db: Queries,
  promoted: Promoted,
): Promise<{ version: string; result: Result | undefined }[]> {
  const preceding = await precedingOf(db, promoted)
  if (preceding.length === 0) return []
  const after = await filesOf(db, promoted.revisionId)
  return Promise.all(
    preceding.map(async ({ version, revisionId }) => ({
      version,
      result: await findResult(db, await filesOf(db, revisionId), after),
    })),
  )
}

/** What is known of the changes from the versions that a promoted one follows on. */
export const replacedBy = async (db: Queries, promoted: Promoted): Promise<Replaced[]> =>
  (await comparedWith(db, promoted)).map(({ version, result }): Replaced => {
    if (result?.state === 'done')
      return {
        version,
        compared: {
          ...{ state: 'done', counts: result.counts },
          fitting: result.fitting ?? undefined,
        },
      }
    return {
      version,
      compared:
        result?.state === 'failed'
          ? { state: 'failed', trouble: result.trouble }
          : { state: 'going on' },
    }
  })

/** Has a promoted version compared with those it follows on, where that has not ended yet. */
export async function compareWithPreceding(
  { db, system }: Context,
  promoted: Promoted,
): Promise<void> {
  const after = await filesOf(db, promoted.revisionId)
  for (const { revisionId } of await precedingOf(db, promoted)) {
    const before = await filesOf(db, revisionId)
    const { state } = (await findResult(db, before, after)) ?? {}
    if (state !== 'done' && state !== 'failed') await resultFor(system, before, after)
  }
}
