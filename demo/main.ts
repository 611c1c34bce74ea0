import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import { configuration } from '../server/configuration'
import { migrateDatabase, openDatabase } from '../server/db/database'
import { threadedExaminer } from '../server/jobs/examiner'
import { checkAllGateways } from '../server/services/gateways'
import { rebuildDerived } from '../server/services/rebuild'
import { beginRulebook } from '../server/services/rulebooks'
import { DemoSeed, idleQueue, isEmpty } from './seed'

/** Brings the schema up to date and fills an empty database with the demo. */
const { databaseUrl, gatewaySecret, allowedTargets, distribution } = configuration()
const root = process.env['ELM_ROOT'] ?? process.cwd()
const { db, pool } = openDatabase(databaseUrl)
const house = readFileSync(join(root, 'rulebooks/house.yaml'), 'utf8')
await migrateDatabase(db, join(root, 'server/db/migrations'))
const examiner = threadedExaminer(distribution)
const services = {
  db,
  examiner,
  queue: idleQueue,
  gatewaySecret,
  allowedTargets,
  now: () => new Date(),
}
if (await isEmpty(db)) {
  const gateways = (process.env['ELM_GATEWAYS'] ?? '').split(',').map((entry) => {
    const [name = '', dataPort, adminPort] = entry.split(':')
    return {
      name,
      dataUrl: `http://127.0.0.1:${dataPort}`,
      adminUrl: `http://127.0.0.1:${adminPort}`,
    }
  })
  const standins = `http://127.0.0.1:${process.env['ELM_STANDIN_PORT'] ?? 7501}`
  const options = {
    gateways,
    standins,
    definitions: join(root, 'demo/definitions'),
    rulebook: house,
  }
  try {
    await new DemoSeed(services, options, (step) => console.log(`  ${step}`)).run()
  } catch (error) {
    // Half a demo would pass for a whole one at the next start.
    await pool.query(
      'DROP SCHEMA public CASCADE; DROP SCHEMA drizzle CASCADE; CREATE SCHEMA public',
    )
    throw error
  }
  await checkAllGateways(services)
} else {
  const actor = {
    name: 'elm',
    displayName: 'Elm Ledger',
    role: 'governance' as const,
    team: undefined,
  }
  await db.transaction((tx) => beginRulebook(tx, house, { ...services, actor }))
  const rebuilt = await rebuildDerived(services)
  if (rebuilt > 0) console.log(`  ${rebuilt} revisions read anew`)
}
await examiner.close()
await pool.end()
