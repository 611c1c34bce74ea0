import type { EstatePart } from '../../core/rules/estate'
import type { ApiFacts, Edition } from '../../core/rules/model'
import type { Examination } from '../../core/definition'
import type { Role } from '../../shared/words'
import type { ConversionTarget } from '../../core/formats/convert'
import type { Routed } from '../../core/runtime/named-backends'
import type { Database, SeenBy } from '../db/database'
import type { Lock } from '../db/locks'
import type { FixChoice } from '../../core/fix'
import type { HeadStore } from './heads'
import type {
  Comparison,
  Conversion,
  Earlier,
  FileSet,
  FixedFiles,
  Named,
  Progressed,
  Unpacked,
} from '../jobs/analysis'

/** Who acts. */
export interface Actor {
  id: number
  name: string
  displayName: string
  role: Role
  team: string | undefined
}

/** The product, where nobody acts: the space keeps people from having its name. */
export const byItself: Actor = {
  id: 0,
  name: 'elm ledger',
  displayName: 'Elm Ledger',
  role: 'reader',
  team: undefined,
}

/** Reads, checks and converts texts somewhere that is not the event loop. */
export interface Examiner {
  examine(
    files: FileSet,
    edition: Edition,
    known: { facts: ApiFacts; estate?: EstatePart[]; earlier?: Earlier[] },
    derives?: boolean,
  ): Promise<Examination>
  /** The names that a definition goes by and asks for; undefined where it cannot be read. */
  names(files: FileSet): Promise<Named | undefined>
  unpack(bytes: Uint8Array): Promise<Unpacked>
  convert(
    files: FileSet,
    to: ConversionTarget | 'bundle',
    dereference: boolean,
    syntax: 'yaml' | 'json' | undefined,
    /** Whose backends are named in it. */
    routed?: Routed,
  ): Promise<Conversion>
  /** What changed between two definitions; `told` is called as it goes on. */
  compare(
    before: FileSet,
    after: FileSet,
    told?: (progress: Progressed) => void,
  ): Promise<Comparison | { fault: string }>
  /** Works out a fix; with a version, the main text names it from then on. */
  fix(
    files: FileSet,
    edition: Edition,
    known: { facts: ApiFacts; estate?: EstatePart[]; earlier?: Earlier[] },
    choice: FixChoice,
    version?: string,
  ): Promise<FixedFiles>
}

/** Puts work into the queue. */
export interface Queue {
  readIntake(id: string): Promise<void>
  workBatch(id: string): Promise<void>
  /** Check again what a new edition, or a new day, may have changed. */
  recheck(): Promise<void>
  /** Work out what an unpublished rulebook would change. */
  measure(impact: string): Promise<void>
  /** Check a text that is too large to be waited for. */
  check(id: string): Promise<void>
  /** Compare two definitions that are too large to be waited for. */
  compare(result: number): Promise<void>
  /** Work out what proposed fixes do. */
  plan(): Promise<void>
  /** Carry a rollout out. */
  rollOut(id: number): Promise<void>
}

/** What every use case needs: the store, and the world outside. */
export interface Services {
  /** The store, whole; in a {@link Context} as whoever acts sees it. */
  db: Database
  seenBy: SeenBy
  examiner: Examiner
  queue: Queue
  gatewaySecret: string
  /** The folder below which are those that gateways are fed from; empty where there is none. */
  gatewayFolders: string
  /** Who issued the certificates of gateways, in PEM; empty for those that every program trusts. */
  gatewayAuthority: string
  /** What is kept but not to be read in the database is sealed with it; of 32 characters or more. */
  secret: string
  /** Whether passwords let people in whatever the settings say: the way back for an administrator. */
  alwaysLocal: boolean
  /** Does work on a gateway while nobody else does. */
  lock: Lock
  /** Where the ledger's heads are signed and kept. */
  heads: HeadStore
  /** The code on the terminal that makes the first administrator; empty where there is none. */
  setupCode: string
  /** Where mail is handed over (`smtp://host:port`; empty where nowhere), and whom it is from. */
  mail: { server: string; from: string }
  /** Targets the guard lets through although they are private: `host:port`. */
  allowedTargets: string[]
  now: () => Date
}

/** Services for one person's request. */
export interface Context extends Services {
  actor: Actor
  /** For work that has to know of everything; what it finds is not for the eyes of whoever acts. */
  system: Services
}

/** Whether nothing is confidential before somebody. */
export const seesEverything = ({ role }: Pick<Actor, 'role'>): boolean => role === 'governance'

/** Services as somebody uses them: confidential APIs that they may not see are not there. */
export const actAs = (services: Services, actor: Actor): Context => ({
  ...services,
  db: services.seenBy(
    seesEverything(actor) ? 'everything' : { person: actor.id, team: actor.team },
  ),
  actor,
  system: services,
})
