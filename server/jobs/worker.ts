import { configuration } from '../configuration'
import { openDatabase } from '../db/database'
import { threadedExaminer } from './examiner'
import { openQueue, queueOver, work } from './queue'

const { databaseUrl, gatewaySecret, allowedTargets, distribution } = configuration()
const { db } = openDatabase(databaseUrl)
const boss = await openQueue(databaseUrl, { maintains: true })
await work(boss, {
  db,
  examiner: threadedExaminer(distribution),
  queue: queueOver(boss),
  gatewaySecret,
  allowedTargets,
  now: () => new Date(),
})
process.send?.('ready')
console.log('worker ready')
