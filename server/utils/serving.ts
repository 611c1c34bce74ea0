import { configuration } from '../configuration'
import { openDatabase, openLocks } from '../db/database'
import type { Serving } from '../http/router'
import { threadedExaminer } from '../jobs/examiner'
import { openQueue, queueOver } from '../jobs/queue'

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
  const boss = await openQueue(databaseUrl, { maintains: false })
  return {
    sessionSecret,
    services: {
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
    },
  }
}
