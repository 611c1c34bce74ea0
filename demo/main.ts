import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import pg from 'pg'
import { configuration } from '../server/configuration'
import { openDatabase } from '../server/db/database'
import { servicesOver } from '../server/jobs/services'
import { followTraffic } from '../server/services/drift-observed'
import { checkAllGateways } from '../server/services/gateways'
import { seal } from '../server/services/sealing'
import { issueCertificates } from './certificates'
import { makeCluster } from './cluster'
import { DemoSeed, idleQueue, isEmpty } from './seed'
import { signOnAt } from './sign-on'
import { seedAlerts } from './alerts'
import { seedPipelines } from './pipelines'
import { seedRepositories } from './repositories'
import { seedTraffic, writeCallers } from './traffic'
import { groupOf } from './world'

/** Fills an empty product with the demo. */
const configured = configuration()
const { databaseUrl, sessionSecret } = configured
const root = process.env['ELM_ROOT'] ?? process.cwd()
const store = openDatabase(databaseUrl)
const services = servicesOver(configured, store, idleQueue)
if (await isEmpty(store.db)) {
  const gateways = (process.env['ELM_GATEWAYS'] ?? '').split(',').map((entry) => {
    const [name = '', dataPort, adminPort, tlsPort] = entry.split(':')
    return {
      name,
      group: groupOf[name] ?? name,
      dataUrl: `http://127.0.0.1:${dataPort}`,
      tlsUrl: tlsPort ? `https://127.0.0.1:${tlsPort}` : '',
      adminUrl: `http://127.0.0.1:${adminPort}`,
    }
  })
  const standins = `http://127.0.0.1:${process.env['ELM_STANDIN_PORT'] ?? 7501}`
  const folders = process.env['ELM_GATEWAY_FOLDERS'] ?? ''
  const { authority } = await issueCertificates(process.env['ELM_GATEWAY_DATA'] ?? 'gateways')
  if (folders) await makeCluster(join(folders, 'treatment-works'))
  const options = {
    gateways,
    authority,
    standins,
    definitions: join(root, 'demo/definitions'),
    rulebook: readFileSync(join(root, 'rulebooks/house.yaml'), 'utf8'),
    signOn: signOnAt(
      standins,
      seal(sessionSecret, process.env['ELM_STANDIN_CLIENT_SECRET'] ?? 'standin'),
    ),
  }
  try {
    const seed = new DemoSeed(services, options, (step) => console.log(`  ${step}`))
    await seed.run()
    console.log('  Thirty days of traffic')
    await seedTraffic(services)
    await seedAlerts(services)
    await seedPipelines(services)
    await seedRepositories(services, standins)
    const kept = process.env['ELM_STANDIN_DATA']
    if (kept) await writeCallers(services, kept, seed.issued)
  } catch (error) {
    // Half a demo would pass for a whole one at the next start.
    const owner = new pg.Client({
      connectionString: process.env['ELM_OWNER_URL'] ?? databaseUrl,
    })
    await owner.connect()
    await owner.query(
      'DROP SCHEMA public CASCADE; DROP SCHEMA drizzle CASCADE; CREATE SCHEMA public',
    )
    await owner.end()
    throw error
  }
  await checkAllGateways(services)
  await followTraffic(services)
}
await services.examiner.close()
await store.pool.end()
