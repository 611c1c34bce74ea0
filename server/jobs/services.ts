import type { configuration } from '../configuration'
import { openDatabase, openLocks } from '../db/database'
import type { Queue, Services } from '../services/context'
import { threadedExaminer } from './examiner'

type Opened = ReturnType<typeof openDatabase>

/** What a process works with, by what its environment says; the queue is the one it puts work into. */
export function servicesOver(
  configured: ReturnType<typeof configuration>,
  { db, seenBy }: Pick<Opened, 'db' | 'seenBy'>,
  queue: Queue,
): Services & { examiner: ReturnType<typeof threadedExaminer> } {
  const { databaseUrl, distribution, sessionSecret, gatewaySecret } = configured
  const { gatewayFolders, gatewayAuthority } = configured
  const { heads, alwaysLocal, setupCode, allowedTargets, mail } = configured
  return {
    db,
    seenBy,
    examiner: threadedExaminer(distribution),
    queue,
    gatewaySecret,
    gatewayFolders,
    gatewayAuthority,
    secret: sessionSecret,
    alwaysLocal,
    lock: openLocks(databaseUrl),
    heads,
    setupCode,
    allowedTargets,
    mail,
    now: () => new Date(),
  }
}
