import type { Resource } from '../../core/runtime/resources'
import type { gateways } from '../db/schema'
import { Failure } from '../services/failure'

export type GatewayRow = typeof gateways.$inferSelect

/** A gateway's configuration as it runs, with the tag that a change must quote. */
export interface Running {
  text: string
  etag: string
}

/** What a configuration means. */
export interface Meaning {
  resources: readonly Resource[]
  /** What was not understood, in words. */
  passedOver: string[]
}

/** What is to run, and who wants it. */
export interface Change {
  /** Everything, as it is to be. */
  resources: readonly Resource[]
  /** The placements that change. */
  placements: readonly string[]
  /** For kinds that keep a history. */
  author: string
  message: string
}

/** How one kind of gateway is read, written and understood. Whether it is the same is said of a gateway, and of a fake. */
export interface Adapter {
  /** Throws {@link Failure} where it cannot be reached. */
  read: () => Promise<Running>
  /** Throws ConfigurationError where a text is none of its kind. */
  understand: (text: string) => Meaning
  /** Resources as they are read back once they have been written. */
  asRead: (resources: readonly Resource[]) => Resource[]
  /**
   * Makes it run what is wanted, if it still runs what was read. Absent where it is only read. Throws {@link Failure}, with
   * status 422 where it refuses.
   */
  write?: (change: Change, etag: string) => Promise<Written>
}

/** What became of writing: it was taken, with the text that runs since where that is known, or somebody was faster. */
export type Written = { taken: true; text?: string } | { taken: false }

export const changedInBetween: Written = { taken: false }

/** The gateway could not be reached or did not answer as it should; nothing was changed. */
export const gatewayDown = (name: string, why: string) =>
  new Failure(
    502,
    'The gateway does not answer',
    `${name} ${why}. Nothing was changed; try again when it is back.`,
  )
