import type { JournalBounds } from './journal'

/** How much a gateway puts up with. Times in milliseconds, sizes in bytes. */
export interface Bounds {
  /** From the first byte of a request to the end of its headers, and of its body. */
  headersMs: number
  requestMs: number
  /** From a whole request head to the end of its response, however busy both sides are meanwhile. */
  totalMs: number
  /** Open connections from one address, and from all. */
  connectionsPerClient: number
  connections: number
  /** What the log of requests may hold. */
  logBytes: number
  /** Events that nobody has taken yet. */
  journal: JournalBounds
}

export const usualBounds: Bounds = {
  headersMs: 10_000,
  requestMs: 60_000,
  totalMs: 120_000,
  connectionsPerClient: 512,
  connections: 4096,
  logBytes: 16 * 1024 * 1024,
  journal: { fileBytes: 4 * 1024 * 1024, bytes: 64 * 1024 * 1024 },
}
