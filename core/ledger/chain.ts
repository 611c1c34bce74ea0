import { sha256 } from '@noble/hashes/sha2.js'
import { bytesToHex, utf8ToBytes } from '@noble/hashes/utils.js'
import { canonical } from '../text/canonical'

export const sha256Hex = (content: string | Uint8Array) =>
  bytesToHex(sha256(typeof content === 'string' ? utf8ToBytes(content) : content))

/** What an entry of the ledger says; `at` is ISO 8601 in UTC. */
export interface EntryBody {
  number: number
  at: string
  actor: string
  action: string
  subject: string
  before: unknown
  after: unknown
}

export interface Entry extends EntryBody {
  previous: string
  hash: string
}

/** An entry that somebody may not read: its hashes alone, so that those around it can still be verified. */
export interface Withheld {
  number: number
  hash: string
  /** Its leaf in the tree. */
  leaf: string
}

/** The hash that stands before the first entry. */
export const genesis = '0'.repeat(64)

/** The hash of an entry: SHA-256 over the canonical form of what it says and the hash before it. */
export function entryHash(
  { number, at, actor, action, subject, before, after }: EntryBody,
  previous: string,
) {
  return sha256Hex(canonical({ number, at, actor, action, subject, before, after, previous }))
}

export interface Break {
  number: number
  why: string
}

/** Checks entries in order, batch by batch; keeps the first break it meets. */
export class ChainVerifier {
  private previous = genesis
  private next = 1
  firstBreak: Break | undefined

  get checked(): number {
    return this.next - 1
  }

  /** The last hash seen: quoted elsewhere, it proves everything up to here. */
  get head(): string {
    return this.previous
  }

  add(entry: Entry): void {
    this.take(entry, this.whyBroken(entry))
  }

  addWithheld(entry: Withheld): void {
    this.take(entry, this.whyMissing(entry))
  }

  private take({ number, hash }: Pick<Entry, 'number' | 'hash'>, why: string | undefined): void {
    if (this.firstBreak) return
    if (why) this.firstBreak = { number, why }
    this.previous = hash
    this.next++
  }

  private whyMissing({ number }: Pick<Entry, 'number'>): string | undefined {
    return number === this.next ? undefined : `Entry ${this.next} is missing`
  }

  private whyBroken(entry: Entry): string | undefined {
    const missing = this.whyMissing(entry)
    if (missing) return missing
    if (entry.previous !== this.previous) return 'It does not follow on the entry before it'
    if (entry.hash !== entryHash(entry, entry.previous)) return 'Its words do not match its hash'
    return undefined
  }
}
