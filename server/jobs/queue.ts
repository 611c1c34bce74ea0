import PgBoss from 'pg-boss'
import type { Services } from '../services/context'
import { checkAllGateways } from '../services/gateways'
import { workBatch } from '../services/batches'
import { recheckAll } from '../services/checking'
import { workCheck } from '../services/checks'
import { workImpact } from '../services/impact'
import { workIntake } from '../services/intakes'
import { announce } from '../services/ledger'
import { planProposals } from '../services/proposals'

const readIntakeQueue = 'read-intake'
const workBatchQueue = 'work-batch'
const readGatewaysQueue = 'read-gateways'
const recheckQueue = 'recheck'
const measureQueue = 'measure-impact'
const checkQueue = 'check-text'
const planQueue = 'plan-proposals'

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
  await boss.createQueue(planQueue)
  await boss.createQueue(readGatewaysQueue, { name: readGatewaysQueue, policy: 'singleton' })
  return boss
}

export const sendReadIntake = async (boss: PgBoss, id: string) => {
  await boss.send(
    readIntakeQueue,
    { id },
    { retryLimit: 2, retryDelay: 1, expireInSeconds: expireSeconds, singletonKey: id },
  )
}

/** A batch is one job for as long as it takes; its steps are safe to repeat. */
export const sendWorkBatch = async (boss: PgBoss, id: string) => {
  await boss.send(workBatchQueue, { id }, { retryLimit: 2, retryDelay: 1, expireInSeconds: 3600 })
}

/** Checks again what an edition or a day may have changed; what is up to date already is left alone. */
export const sendRecheck = async (boss: PgBoss) => {
  await boss.send(recheckQueue, {}, { retryLimit: 3, retryDelay: 1, expireInSeconds: 3600 })
}

/** A run over the estate; begun again where its worker is gone. */
export const sendMeasure = async (boss: PgBoss, id: string) => {
  await boss.send(
    measureQueue,
    { id },
    { retryLimit: 3, retryDelay: 1, expireInSeconds: Math.max(expireSeconds, 20) },
  )
}

/** A text that is too large to be waited for. */
export const sendCheck = async (boss: PgBoss, id: string) => {
  await boss.send(
    checkQueue,
    { id },
    { retryLimit: 2, retryDelay: 1, expireInSeconds: expireSeconds },
  )
}

/** Works out what proposed fixes do; those that are worked out are left alone. */
export const sendPlan = async (boss: PgBoss) => {
  await boss.send(planQueue, {}, { retryLimit: 3, retryDelay: 1, expireInSeconds: 3600 })
}

/** Takes jobs: reading what was brought in, checking again, and reading the gateways every minute. */
export async function work(boss: PgBoss, services: Services): Promise<void> {
  await boss.work<{ id: string }>(
    readIntakeQueue,
    { pollingIntervalSeconds: 0.5, batchSize: 1 },
    async ([job]) => {
      if (job) await workIntake(services, job.data.id)
    },
  )
  await boss.work<{ id: string }>(
    workBatchQueue,
    { pollingIntervalSeconds: 0.5, batchSize: 1 },
    async ([job]) => {
      if (job) await workBatch(services, job.data.id)
    },
  )
  await boss.work(readGatewaysQueue, { pollingIntervalSeconds: 5 }, () =>
    checkAllGateways(services),
  )
  await boss.schedule(readGatewaysQueue, '* * * * *')
  await boss.work(recheckQueue, { pollingIntervalSeconds: 0.5 }, async () => {
    await recheckAll(services)
    await announce(services.db, 'finding')
  })
  await boss.work<{ id: string }>(
    measureQueue,
    { pollingIntervalSeconds: 0.5, batchSize: 1 },
    async ([job]) => {
      if (job) await workImpact(services, job.data.id)
    },
  )
  await boss.work<{ id: string }>(
    checkQueue,
    { pollingIntervalSeconds: 0.5, batchSize: 1 },
    async ([job]) => {
      if (job) await workCheck(services, job.data.id)
    },
  )
  await boss.work(planQueue, { pollingIntervalSeconds: 0.5 }, () => planProposals(services))
  // Rules begin to bind, and waivers end, with the day.
  await boss.schedule(recheckQueue, '2 0 * * *')
  await sendRecheck(boss)
}
