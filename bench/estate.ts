import type { DefinitionSummary } from '../core/definition'
import { teams } from '../demo/world'
import { migrateDatabase, openAsOwner } from '../server/db/database'
import { apis, revisions, people } from '../server/db/schema'
import { storeBlob } from '../server/services/files'
import { setTeams } from '../server/services/teams'

export const nouns = [
  'valve',
  'hydrant',
  'meter',
  'reading',
  'tariff',
  'bill',
  'sample',
  'sensor',
  'crew',
  'order',
  'permit',
  'notice',
  'area',
  'reservoir',
  'main',
  'pump',
  'tanker',
  'customer',
  'premises',
  'leak',
]
export const verbs = [
  'list',
  'read',
  'create',
  'change',
  'remove',
  'close',
  'assign',
  'confirm',
  'export',
  'estimate',
]
export const titleOf = (n: number) => `${nouns[n % nouns.length]} ${verbs[n % 7]} ${n}`

/** APIs of a large register. */
export const apiCount = 5000

/** A database of the demo's kind with a register of {@link apiCount} APIs; their identifiers in order. */
export async function largeRegister() {
  const url = process.env['ELM_BENCH_DATABASE']
  if (!url) throw new Error('ELM_BENCH_DATABASE is not set; run "npm run bench"')
  const { db, pool } = openAsOwner(url)
  await migrateDatabase(db, 'server/db/migrations')
  await db.transaction((tx) => setTeams(tx, teams))
  await db
    .insert(people)
    .values({ name: 'bench', displayName: 'Bench', role: 'governance', passwordHash: '' })
  const sha256 = await storeBlob(db, new TextEncoder().encode('bench'))
  const ids: { api: number; revision: number }[] = []
  for (let start = 0; start < apiCount; start += 250) {
    const made = await db
      .insert(apis)
      .values(
        Array.from({ length: 250 }, (_, i) => ({
          slug: `api-${start + i}`,
          title: titleOf(start + i),
          teamId: ((start + i) % teams.length) + 1,
          audience: 'partner' as const,
          lifecycle: 'active' as const,
          latestNumber: 1,
        })),
      )
      .returning({ id: apis.id })
    const rows = await db
      .insert(revisions)
      .values(
        made.map(({ id }) => ({
          apiId: id,
          number: 1,
          version: '1.0.0',
          file: 'a.yaml',
          sha256,
          digest: sha256,
          format: 'OpenAPI 3.1',
          bytes: 5,
          summary: {} as DefinitionSummary,
          counts: { must: id % 2, should: id % 5, may: id % 9 },
          edition: 1,
          savedAt: new Date(),
          savedById: 1,
        })),
      )
      .returning({ id: revisions.id })
    ids.push(...made.map(({ id }, i) => ({ api: id, revision: rows[i]!.id })))
  }
  return { db, pool, ids }
}
