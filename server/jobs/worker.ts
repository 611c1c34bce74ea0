import { configuration } from '../configuration'
import { openDatabase, openLocks } from '../db/database'
import { listenOn } from '../db/listen'
import type { Services } from '../services/context'
import { threadedExaminer } from './examiner'
import { openQueue, queueOver, work } from './queue'
import { RolloutRunner } from './rollouts'
import { Signer } from './signer'

const {
  databaseUrl,
  sessionSecret,
  gatewaySecret,
  heads,
  alwaysLocal,
  setupCode,
  allowedTargets,
  distribution,
} = configuration()
const { db, seenBy } = openDatabase(databaseUrl)
const boss = await openQueue(databaseUrl, { maintains: true })
const services: Services = {
  db,
  seenBy,
  examiner: threadedExaminer(distribution),
  queue: queueOver(boss, db),
  gatewaySecret,
  secret: sessionSecret,
  alwaysLocal,
  lock: openLocks(databaseUrl),
  heads,
  setupCode,
  allowedTargets,
  now: () => new Date(),
}
await work(boss, services)
const runner = new RolloutRunner(services)
const signer = new Signer(db, heads)
listenOn(databaseUrl, (topic) => {
  if (topic === 'rollout' || topic === 'reconnected') void runner.wake()
  if (topic === 'ledger' || topic === 'reconnected') signer.soon()
})
await runner.wake()
process.send?.('ready')
console.log('worker ready')
