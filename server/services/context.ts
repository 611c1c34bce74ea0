import type { Circumstances, Edition } from '../../core/rules/model'
import type { Examination } from '../../core/definition'
import type { Role } from '../../shared/words'
import type { Database } from '../db/database'

/** Who acts. */
export interface Actor {
  name: string
  displayName: string
  role: Role
  team: string | undefined
}

/** Reads and checks texts somewhere that is not the event loop. */
export interface Examiner {
  examine(
    bytes: Uint8Array,
    file: string,
    edition: Edition,
    circumstances: Circumstances,
  ): Promise<Examination>
}

/** Puts work into the queue. */
export interface Queue {
  readIntake(id: string): Promise<void>
}

/** What every use case needs: the store, and the world outside. */
export interface Services {
  db: Database
  examiner: Examiner
  queue: Queue
  gatewaySecret: string
  /** Targets the guard lets through although they are private: `host:port`. */
  allowedTargets: string[]
  now: () => Date
}

/** Services for one person's request. */
export interface Context extends Services {
  actor: Actor
}
