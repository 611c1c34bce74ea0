import { configuration } from '../configuration'
import { openDatabase } from '../db/database'
import type { Serving } from '../http/router'
import { openQueue, queueOver } from '../jobs/queue'
import { servicesOver } from '../jobs/services'

let started: Promise<Serving> | undefined

/** What this web process serves with; made once, tried again after a start that failed. */
export function serving(): Promise<Serving> {
  started ??= start().catch((error: unknown) => {
    started = undefined
    throw error
  })
  return started
}

async function start(): Promise<Serving> {
  const configured = configuration()
  const { databaseUrl, sessionSecret } = configured
  const store = openDatabase(databaseUrl)
  const boss = await openQueue(databaseUrl, { maintains: false })
  return { sessionSecret, services: servicesOver(configured, store, queueOver(boss, store.db)) }
}
