import { configuration } from '../configuration'
import { openDatabase } from '../db/database'
import { threadedExaminer } from './examiner'
import {
  openQueue,
  sendCheck,
  sendMeasure,
  sendPlan,
  sendReadIntake,
  sendRecheck,
  sendWorkBatch,
  work,
} from './queue'

const { databaseUrl, gatewaySecret, allowedTargets, distribution } = configuration()
const { db } = openDatabase(databaseUrl)
const boss = await openQueue(databaseUrl, { maintains: true })
await work(boss, {
  db,
  examiner: threadedExaminer(distribution),
  queue: {
    readIntake: (id) => sendReadIntake(boss, id),
    workBatch: (id) => sendWorkBatch(boss, id),
    recheck: () => sendRecheck(boss),
    measure: (id) => sendMeasure(boss, id),
    check: (id) => sendCheck(boss, id),
    plan: () => sendPlan(boss),
  },
  gatewaySecret,
  allowedTargets,
  now: () => new Date(),
})
process.send?.('ready')
console.log('worker ready')
