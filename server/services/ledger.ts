import { and, asc, desc, gt, ilike, lt, or, sql } from 'drizzle-orm'
import { ChainVerifier, entryHash, genesis, type Entry } from '../../core/ledger/chain'
import type { LedgerEntry, LedgerQuery, Verification } from '../../shared/api/ledger'
import type { Queries, Transaction } from '../db/database'
import { ledger } from '../db/schema'
import type { Context } from './context'

/** One writer at a time: entries are numbered without gaps and each hash needs the one before. */
const ledgerLock = 7_120_411

/** The topic on which every change is announced. */
export const changesChannel = 'elm_changes'

export interface Act {
  action: string
  subject: string
  before?: unknown
  after?: unknown
}

/** Tells every open browser that something of this topic changed; inside a transaction, when it commits. */
export const announce = (db: Queries, topic: string) =>
  db.execute(sql`SELECT pg_notify(${changesChannel}, ${topic})`)

/** Appends to the ledger in the transaction of the change itself, and announces it when that commits. */
export async function record(
  tx: Transaction,
  { actor, now }: Pick<Context, 'actor' | 'now'>,
  act: Act,
): Promise<void> {
  await tx.execute(sql`SELECT pg_advisory_xact_lock(${ledgerLock})`)
  const [last] = await tx
    .select({ number: ledger.number, hash: ledger.hash })
    .from(ledger)
    .orderBy(desc(ledger.number))
    .limit(1)
  const at = now()
  const previous = last?.hash ?? genesis
  const body = {
    number: (last?.number ?? 0) + 1,
    at: at.toISOString(),
    actor: actor.name,
    action: act.action,
    subject: act.subject,
    before: plain(act.before),
    after: plain(act.after),
  }
  await tx.insert(ledger).values({ ...body, at, previous, hash: entryHash(body, previous) })
  await announce(tx, act.action.split('.')[0]!)
}

/** As it comes back from the database: what JSON cannot say is dropped before it is hashed. */
const plain = (value: unknown): unknown =>
  value === undefined ? null : JSON.parse(JSON.stringify(value))

const toEntry = (row: typeof ledger.$inferSelect): Entry => ({ ...row, at: row.at.toISOString() })

/** A page of entries, newest first. */
export async function listEntries(
  db: Queries,
  query: LedgerQuery,
): Promise<{ items: LedgerEntry[]; nextCursor?: string }> {
  const limit = query.limit ?? 100
  const words = query.search ? `%${query.search.replace(/[\\%_]/g, '\\$&')}%` : undefined
  const rows = await db
    .select()
    .from(ledger)
    .where(
      and(
        query.cursor ? lt(ledger.number, Number(query.cursor)) : undefined,
        words
          ? or(
              ilike(ledger.subject, words),
              ilike(ledger.action, words),
              ilike(ledger.actor, words),
            )
          : undefined,
      ),
    )
    .orderBy(desc(ledger.number))
    .limit(limit + 1)
  const items = rows.slice(0, limit).map(toEntry)
  return rows.length > limit ? { items, nextCursor: String(items.at(-1)!.number) } : { items }
}

/** Computes every hash again, in batches, and names the first entry that does not hold. */
export async function verifyLedger(db: Queries): Promise<Verification> {
  const verifier = new ChainVerifier()
  for (let after = 0; ;) {
    const rows = await db
      .select()
      .from(ledger)
      .where(gt(ledger.number, after))
      .orderBy(asc(ledger.number))
      .limit(500)
    if (rows.length === 0) break
    for (const row of rows) verifier.add(toEntry(row))
    after = rows.at(-1)!.number
  }
  const { checked, head, firstBreak } = verifier
  return firstBreak
    ? { checked, head, brokenAt: firstBreak.number, why: firstBreak.why }
    : { checked, head }
}
