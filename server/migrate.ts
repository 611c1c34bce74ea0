import { join } from 'node:path'
import { configuration } from './configuration'
import { migrateDatabase, openAsOwner } from './db/database'
import { grantTo, roleOf } from './db/grants'
import { rulebooks } from './db/schema'
import { threadedExaminer } from './jobs/examiner'
import { growTree } from './services/ledger'
import { rebuildDerived } from './services/rebuild'

/** Brings the schema up to date as its owner, and what is derived up to date with it. */
const { databaseUrl, distribution } = configuration()
const root = process.env['ELM_ROOT'] ?? process.cwd()
const { db, pool } = openAsOwner(process.env['ELM_OWNER_URL'] ?? databaseUrl)
await migrateDatabase(db, join(root, 'server/db/migrations'))
await grantTo(pool, roleOf(databaseUrl))
await growTree(db)
const examiner = threadedExaminer(distribution)
// Nothing has been set up yet: there is nothing to derive.
const begun = (await db.$count(rulebooks)) > 0
const rebuilt = begun ? await rebuildDerived({ db, examiner, now: () => new Date() }) : 0
if (rebuilt > 0) console.log(`  ${rebuilt} revisions read anew`)
await examiner.close()
await pool.end()
