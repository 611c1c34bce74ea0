import { configuration } from '../configuration'
import { openDatabase } from '../db/database'
import { listenOn } from '../db/listen'
import { openQueue, queueOver, work } from './queue'
import { repeat } from './repeat'
import { Runner } from './runner'
import { servicesOver } from './services'
import { exchangeQuotas } from '../services/quotas'
import { deliverNotices } from '../services/notices'
import { tellTasks } from '../services/notifications'
import { watchAlerts } from '../services/alert-watching'
import { followTraffic } from '../services/drift-observed'
import { followSources } from '../services/drift-source'
import { reactToDrift } from '../services/drift-reactions'
import { takeOffRetired } from '../services/endings'
import { sendDueProbes } from '../services/probes'
import { promoteOpen } from '../services/promotions'
import { promoteOpenReleases } from '../services/releases'
import { rolloutTable } from '../services/rollout-work'
import { reportCommits } from '../services/commit-status'
import { followRepositories } from '../services/repositories'
import { jobTable } from '../services/repository-work'
import { countTraffic } from '../services/traffic-intake'
import { Signer } from './signer'

const configured = configuration()
const { databaseUrl, heads } = configured
const store = openDatabase(databaseUrl)
const boss = await openQueue(databaseUrl, { maintains: true })
const services = servicesOver(configured, store, queueOver(boss, store.db))
await work(boss, services)
const runner = new Runner(rolloutTable(services))
const pushes = new Runner(jobTable(services))
const signer = new Signer(store.db, heads)
listenOn(databaseUrl, (topic) => {
  if (topic === 'rollout' || topic === 'reconnected') void runner.wake()
  if (topic === 'repository' || topic === 'reconnected') void pushes.wake()
  if (topic === 'ledger' || topic === 'reconnected') signer.soon()
})
await Promise.all([runner.wake(), pushes.wake()])
repeat(5000, () => exchangeQuotas(services))
repeat(2000, () => countTraffic(services))
repeat(5000, () => reactToDrift(services))
repeat(60_000, () => followTraffic(services))
repeat(600_000, () => followSources(services))
repeat(15_000, () => watchAlerts(services))
repeat(2000, () => deliverNotices(services))
repeat(5000, () => promoteOpen(services))
repeat(5000, () => promoteOpenReleases(services))
repeat(30_000, () => takeOffRetired(services))
repeat(10_000, () => sendDueProbes(services))
repeat(15_000, () => tellTasks(services))
repeat(60_000, () => followRepositories(services))
repeat(1000, () => reportCommits(services))
process.send?.('ready')
console.log('worker ready')
