import PgBoss from 'pg-boss'
import type { Services } from '../services/context'
import { checkAllGateways } from '../services/gateways'
import { workBatch } from '../services/batches'
import { workIntake } from '../services/intakes'

const readIntakeQueue = 'read-intake'
const workBatchQueue = 'work-batch'
const readGatewaysQueue = 'read-gateways'

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

/** Takes jobs: reading what was brought in, and reading the gateways every minute. */
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
}
