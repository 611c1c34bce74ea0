import { eq, sql } from 'drizzle-orm'
import { apiColumns } from '../db/names'
import { apis, parts, revisions } from '../db/schema'
import type { Services } from './context'
import { insertDerived } from './catalog'
import { filesOf, loadFiles } from './files'
import { recheckAll } from './checking'
import { factsOf } from './known'
import { currentEdition } from './rulebooks'

/**
 * Derives again what is kept of revisions that an earlier version of the register saved. What is derived can always be
 * rebuilt from the texts; returns how many revisions were.
 */
export async function rebuildDerived(
  services: Pick<Services, 'db' | 'examiner' | 'now'>,
): Promise<number> {
  const { db, examiner, now } = services
  const rows = await db
    .select({ revision: revisions, api: apiColumns })
    .from(revisions)
    .innerJoin(apis, eq(apis.id, revisions.apiId))
    .where(
      sql`not jsonb_exists(${revisions.summary}, 'facts') or not jsonb_exists(${revisions.summary}, 'schemes') or jsonb_path_exists(${revisions.summary}, '$.operations[*] ? (exists(@.soap) && !exists(@.calls))') or (${apis.estate} is null and ${revisions.number} = ${apis.latestNumber})`,
    )
  for (const { revision, api } of rows) {
    const files = await loadFiles(db, await filesOf(db, revision.id))
    const edition = await currentEdition(db, api.team)
    const facts = await factsOf(db, api, now())
    const examination = await examiner.examine(files, edition, { facts }, true)
    if (!examination.readable || !examination.derived) continue
    const { summary, derived } = examination
    await db.transaction(async (tx) => {
      await tx
        .update(revisions)
        .set({
          summary: { ...summary, version: revision.version },
          format: summary.format,
          tags: summary.tags,
        })
        .where(eq(revisions.id, revision.id))
      await tx.delete(parts).where(eq(parts.revisionId, revision.id))
      const isNewest = revision.number === api.latestNumber
      await insertDerived(tx, api.id, revision.id, derived, isNewest)
      if (isNewest) {
        await tx.update(apis).set({ estate: derived.estate }).where(eq(apis.id, api.id))
      }
    })
  }
  await recheckAll(services)
  return rows.length
}
