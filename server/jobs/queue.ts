import PgBoss from 'pg-boss'
import type { Database } from '../db/database'
import type { Queue, Services } from '../services/context'
import { checkAllGateways } from '../services/gateways'
import { workBatch } from '../services/batches'
import { recheckAll } from '../services/checking'
import { workCheck } from '../services/checks'
import { workComparison } from '../services/comparison-results'
import { workImpact } from '../services/impact'
import { workIntake } from '../services/intake-work'
import { announce } from '../services/ledger'
import { planProposals } from '../services/proposals'
import { removeOld } from '../services/retention'

const readIntakeQueue = 'read-intake'
const workBatchQueue = 'work-batch'
const readGatewaysQueue = 'read-gateways'
const recheckQueue = 'recheck'
const measureQueue = 'measure-impact'
const checkQueue = 'check-text'
const compareQueue = 'compare'
const planQueue = 'plan-proposals'
const removeOldQueue = 'remove-old'

/** Seconds after which a job whose worker is gone is given to another. */
const expireSeconds = Number(process.env['ELM_JOB_EXPIRE_SECONDS'] ?? 150)

/** A connection to the queue; it reconnects by itself after a database restart. */
export async function openQueue(
  url: string,
  { maintains }: { maintains: boolean },
): Promise<PgBoss> {
  const boss = new PgBoss({
    connectionString: url,
    supervise: maintains,
    schedule: maintains,
    maintenanceIntervalSeconds: Number(process.env['ELM_JOB_MAINTENANCE_SECONDS'] ?? 20),
  })
  boss.on('error', (error) => console.warn('queue:', error.message))
  await boss.start()
  await boss.createQueue(readIntakeQueue)
  await boss.createQueue(workBatchQueue)
  await boss.createQueue(recheckQueue)
  await boss.createQueue(measureQueue)
  await boss.createQueue(checkQueue)
  await boss.createQueue(compareQueue)
  await boss.createQueue(planQueue)
  await boss.createQueue(removeOldQueue, { name: removeOldQueue, policy: 'singleton' })
  await boss.createQueue(readGatewaysQueue, { name: readGatewaysQueue, policy: 'singleton' })
  return boss
}

const sendReadIntake = async (boss: PgBoss, id: string) => {
  await boss.send(
    readIntakeQueue,
    { id },
    { retryLimit: 2, retryDelay: 1, expireInSeconds: expireSeconds, singletonKey: id },
  )
}

/** A batch is one job for as long as it takes; its steps are safe to repeat. */
const sendWorkBatch = async (boss: PgBoss, id: string) => {
  await boss.send(workBatchQueue, { id }, { retryLimit: 2, retryDelay: 1, expireInSeconds: 3600 })
}

/** Checks again what an edition or a day may have changed; what is up to date already is left alone. */
const sendRecheck = async (boss: PgBoss) => {
  await boss.send(recheckQueue, {}, { retryLimit: 3, retryDelay: 1, expireInSeconds: 3600 })
}

/** A run over the estate; begun again where its worker is gone. */
const sendMeasure = async (boss: PgBoss, id: string) => {
  await boss.send(
    measureQueue,
    { id },
    { retryLimit: 3, retryDelay: 1, expireInSeconds: Math.max(expireSeconds, 20) },
  )
}

/** Texts that are too large to be waited for. */
const sendLarge = async (boss: PgBoss, queue: string, id: string) => {
  await boss.send(queue, { id }, { retryLimit: 2, retryDelay: 1, expireInSeconds: expireSeconds })
}

/** Works out what proposed fixes do; those that are worked out are left alone. */
const sendPlan = async (boss: PgBoss) => {
  await boss.send(planQueue, {}, { retryLimit: 3, retryDelay: 1, expireInSeconds: 3600 })
}

/** Everything that a service may put into the queue. Rollouts stand in a table of their own and are only announced. */
export const queueOver = (boss: PgBoss, db: Database): Queue => ({
  readIntake: (id) => sendReadIntake(boss, id),
  workBatch: (id) => sendWorkBatch(boss, id),
  recheck: () => sendRecheck(boss),
  measure: (id) => sendMeasure(boss, id),
  check: (id) => sendLarge(boss, checkQueue, id),
  compare: (result) => sendLarge(boss, compareQueue, String(result)),
  plan: () => sendPlan(boss),
  rollOut: async () => {
    await announce(db, 'rollout')
  },
})

/** Takes jobs: reading what was brought in, checking again, and reading the gateways every minute. */
export async function work(boss: PgBoss, services: Services): Promise<void> {
  const each = (queue: string, act: (services: Services, id: string) => Promise<void>) =>
    boss.work<{ id: string }>(
      queue,
      { pollingIntervalSeconds: 0.5, batchSize: 1 },
      async ([job]) => {
        if (job) await act(services, job.data.id)
      },
    )
  await each(readIntakeQueue, workIntake)
  await each(workBatchQueue, workBatch)
  await boss.work(readGatewaysQueue, { pollingIntervalSeconds: 5 }, () =>
    checkAllGateways(services),
  )
  await boss.schedule(readGatewaysQueue, '* * * * *')
  await boss.work(recheckQueue, { pollingIntervalSeconds: 0.5 }, async () => {
    await recheckAll(services)
    await announce(services.db, 'finding')
  })
  await each(measureQueue, workImpact)
  await each(checkQueue, workCheck)
  await each(compareQueue, (all, id) => workComparison(all, Number(id)))
  await boss.work(planQueue, { pollingIntervalSeconds: 0.5 }, () => planProposals(services))
  await boss.work(removeOldQueue, { pollingIntervalSeconds: 5 }, () => removeOld(services))
  await boss.schedule(removeOldQueue, '17 3 * * *')
  // Rules begin to bind, and waivers end, with the day.
  await boss.schedule(recheckQueue, '2 0 * * *')
  await sendRecheck(boss)
}
