import { and, asc, desc, eq, gt, gte, ilike, inArray, lt, or, sql } from 'drizzle-orm'
import type { ApiAction, HouseAction } from '../../core/ledger/actions'
import {
  ChainVerifier,
  entryHash,
  genesis,
  type Entry,
  type Withheld,
} from '../../core/ledger/chain'
import { HeadChecker } from '../../core/ledger/heads'
import {
  consistencyProof,
  emptyRoot,
  entryLeaf,
  frontier,
  inclusionProof,
  rootOf,
  TreeBuilder,
  type NodeHash,
  type SignedHead,
  type TreeHead,
  type TreeNode,
} from '../../core/ledger/merkle'
import type {
  ConsistencyProof,
  ConsistencyQuery,
  InclusionProof,
  LedgerEntry,
  LedgerQuery,
  ProofQuery,
  Verification,
} from '../../shared/api/ledger'
import { lockKeys } from '../db/lock-keys'
import { insertMany } from '../db/bulk'
import { beforeCommit, type Database, type Queries, type Transaction } from '../db/database'
import { changesChannel } from '../db/listen'
import { apis, ledger, ledgerNodes, people } from '../db/schema'
import { seeingEverything } from '../db/viewer'
import { notFound } from './failure'
import { cursorAt, offsetOf } from './paging'
import type { Context } from './context'

/** What was done, to what, and how that was before and is after. */
export type Act = { subject: string; before?: unknown; after?: unknown } &
  /** `api` is the identifier of the API; null where it is done to the APIs of everybody. */
  ({ action: ApiAction; api: number | null } | { action: HouseAction })

/** Tells every open browser that something of this topic changed; inside a transaction, when it commits. */
export const announce = (db: Queries, topic: string) =>
  db.execute(sql`SELECT pg_notify(${changesChannel}, ${topic})`)

type Recorded = Act & { actor: string; at: Date }

const recorded = new WeakMap<Transaction, Recorded[]>()

/**
 * Appends to the ledger in the transaction of the change itself, and announces it when that commits. The entries are
 * written as the last thing before the commit: the ledger's lock is held for that alone.
 */
export async function record(
  tx: Transaction,
  { actor, now }: Pick<Context, 'actor' | 'now'>,
  act: Act,
): Promise<void> {
  const entry = { ...act, actor: actor.name, at: now() }
  const waiting = recorded.get(tx)
  if (waiting) waiting.push(entry)
  else {
    const acts = [entry]
    recorded.set(tx, acts)
    beforeCommit(tx, async () => {
      await alsoOnRecord(tx)
      await seeingEverything(tx, () => append(tx, acts))
    })
  }
  await announce(tx, act.action.split('.')[0]!)
}

/** Whoever wants to do something in each transaction that appends to the ledger. */
let alsoOnRecord: (tx: Transaction) => Promise<void> = () => Promise.resolve()
export function onRecord(work: (tx: Transaction) => Promise<void>): void {
  alsoOnRecord = work
}

/** Numbers, chains and writes entries, and grows the tree over them. */
async function append(tx: Transaction, acts: Recorded[]): Promise<void> {
  await tx.execute(sql`SELECT pg_advisory_xact_lock(${lockKeys.ledger})`)
  const [last] = await tx
    .select({ number: ledger.number, hash: ledger.hash })
    .from(ledger)
    .orderBy(desc(ledger.number))
    .limit(1)
  const tree = await builderAt(tx, last?.number ?? 0)
  let previous = last?.hash ?? genesis
  const rows: (typeof ledger.$inferInsert)[] = []
  const nodes: TreeNode[] = []
  for (const act of acts) {
    const { at, actor, action, subject, before, after } = act
    const body = {
      number: tree.size + 1,
      at: at.toISOString(),
      actor,
      action,
      subject,
      before: plain(before),
      after: plain(after),
    }
    const hash = entryHash(body, previous)
    nodes.push(...tree.add(entryLeaf(body, previous)))
    rows.push({ ...body, at, previous, hash, apiId: 'api' in act ? act.api : null })
    previous = hash
  }
  await tx.insert(ledger).values(rows)
  await tx.insert(ledgerNodes).values(nodes)
  await announce(tx, 'ledger')
}

/** The tree over the first entries, ready to grow. */
async function builderAt(db: Queries, size: number): Promise<TreeBuilder> {
  const places = frontier(size)
  if (places.length === 0) return new TreeBuilder()
  const nodes = await nodesAt(db, places)
  return new TreeBuilder(
    size,
    places.map((place) => ({ ...place, hash: nodes(place.level, place.index) })),
  )
}

/** Hashes of whole subtrees, read at once. */
async function nodesAt(db: Queries, places: Omit<TreeNode, 'hash'>[]): Promise<NodeHash> {
  const rows =
    places.length === 0
      ? []
      : await db
          .select()
          .from(ledgerNodes)
          .where(
            or(
              ...places.map(({ level, index }) =>
                and(eq(ledgerNodes.level, level), eq(ledgerNodes.index, index)),
              ),
            ),
          )
  const known = new Map(rows.map(({ level, index, hash }) => [`${level} ${index}`, hash]))
  return (level, index) => {
    const hash = known.get(`${level} ${index}`)
    if (hash === undefined) throw new Error(`The ledger's tree has no node ${index} at ${level}`)
    return hash
  }
}

/** Every node that a computation asks for: it is run once to learn which, and again with them. */
async function withNodes<T>(db: Queries, compute: (hash: NodeHash) => T): Promise<T> {
  const places: Omit<TreeNode, 'hash'>[] = []
  compute((level, index) => {
    places.push({ level, index })
    return emptyRoot
  })
  return compute(await nodesAt(db, places))
}

/** Builds what the tree lacks: all of it after an update from before there was one. */
export async function growTree(db: Database): Promise<void> {
  await db.transaction(async (tx) => {
    await tx.execute(sql`SELECT pg_advisory_xact_lock(${lockKeys.ledger})`)
    const have = await tx.$count(ledgerNodes, eq(ledgerNodes.level, 0))
    const tree = await builderAt(tx, have)
    const nodes: TreeNode[] = []
    for await (const entry of entriesAfter(tx, have))
      nodes.push(...tree.add(entryLeaf(entry, entry.previous)))
    await insertMany(tx, ledgerNodes, nodes)
  })
}

const sizeOf = async (db: Queries): Promise<number> =>
  (await db.select({ number: ledger.number }).from(ledger).orderBy(desc(ledger.number)).limit(1))[0]
    ?.number ?? 0

/** The tree as it stands. */
export async function treeHead(db: Queries, now: Date): Promise<TreeHead> {
  const size = await sizeOf(db)
  return { size, root: await withNodes(db, (hash) => rootOf(size, hash)), at: now.toISOString() }
}

/** Shows that an entry is in the tree of so many entries. */
export async function proveInclusion(
  db: Queries,
  number: number,
  query: ProofQuery,
): Promise<InclusionProof> {
  const size = query.size ?? (await sizeOf(db))
  await requireSize(db, size)
  const [row] = await db.select().from(ledger).where(eq(ledger.number, number))
  if (!row || number > size) throw notFound(`entry ${number} among the first ${size}`)
  return {
    number,
    size,
    leaf: entryLeaf(toEntry(row), row.previous),
    root: await withNodes(db, (hash) => rootOf(size, hash)),
    proof: await withNodes(db, (hash) => inclusionProof(number - 1, size, hash)),
  }
}

/** Entries as somebody may read them, each with what shows that it is in the tree of so many entries. */
export async function proveAll(
  { db, system }: Pick<Context, 'db' | 'system'>,
  numbers: readonly number[],
  size: number,
): Promise<{ entry: Entry; proof: string[] }[]> {
  const rows = await db
    .select()
    .from(ledger)
    .where(inArray(ledger.number, [...numbers]))
    .orderBy(asc(ledger.number))
  const proofs = await withNodes(system.db, (hash) =>
    rows.map(({ number }) => inclusionProof(number - 1, size, hash)),
  )
  return rows.map((row, n) => ({ entry: toEntry(row), proof: proofs[n]! }))
}

/** Shows that the tree of a later size goes on from that of an earlier one. */
export async function proveConsistency(
  db: Queries,
  { first, second: asked }: ConsistencyQuery,
): Promise<ConsistencyProof> {
  const second = asked ?? (await sizeOf(db))
  await requireSize(db, second)
  if (first > second) throw notFound(`tree of ${first} entries within one of ${second}`)
  return {
    first,
    second,
    firstRoot: await withNodes(db, (hash) => rootOf(first, hash)),
    secondRoot: await withNodes(db, (hash) => rootOf(second, hash)),
    proof: await withNodes(db, (hash) => consistencyProof(first, second, hash)),
  }
}

async function requireSize(db: Queries, size: number): Promise<void> {
  if (size > (await sizeOf(db))) throw notFound(`tree of ${size} entries yet`)
}

/** As it comes back from the database: what JSON cannot say is dropped before it is hashed. */
const plain = (value: unknown): unknown =>
  value === undefined ? null : JSON.parse(JSON.stringify(value))

const toEntry = ({ apiId: _, ...row }: typeof ledger.$inferSelect): Entry => ({
  ...row,
  at: row.at.toISOString(),
})

async function* entriesAfter(db: Queries, number: number): AsyncGenerator<Entry> {
  for await (const { entry } of rowsAfter(db, number)) yield entry
}

/** Every entry after one with the API it is about, in order, read in batches. */
async function* rowsAfter(
  db: Queries,
  number: number,
): AsyncGenerator<{ api: number | null; entry: Entry }> {
  for (let after = number; ;) {
    const rows = await db
      .select()
      .from(ledger)
      .where(gt(ledger.number, after))
      .orderBy(asc(ledger.number))
      .limit(500)
    if (rows.length === 0) return
    yield* rows.map((row) => ({ api: row.apiId, entry: toEntry(row) }))
    after = rows.at(-1)!.number
  }
}

const wordsIn = (text: string) => `%${text.replace(/[\\%_]/g, '\\$&')}%`

/** A page of entries, newest first. */
export async function listEntries(
  db: Queries,
  query: LedgerQuery,
): Promise<{ items: LedgerEntry[]; nextCursor?: string }> {
  const limit = query.limit ?? 100
  const words = query.search === undefined ? undefined : wordsIn(query.search)
  const rows = await db
    .select({ entry: ledger, name: people.displayName })
    .from(ledger)
    .leftJoin(people, eq(people.name, ledger.actor))
    .leftJoin(apis, eq(apis.id, ledger.apiId))
    .where(
      and(
        query.cursor === undefined ? undefined : lt(ledger.number, offsetOf(query)),
        words
          ? or(
              ilike(ledger.subject, words),
              ilike(ledger.action, words),
              ilike(ledger.actor, words),
            )
          : undefined,
        query.api === undefined ? undefined : eq(apis.slug, query.api),
        query.action === undefined ? undefined : ilike(ledger.action, `${query.action}%`),
        query.person === undefined ? undefined : eq(ledger.actor, query.person),
        query.since === undefined
          ? undefined
          : gte(ledger.at, new Date(`${query.since}T00:00:00Z`)),
        query.until === undefined
          ? undefined
          : lt(ledger.at, new Date(Date.parse(`${query.until}T00:00:00Z`) + 86_400_000)),
      ),
    )
    .orderBy(desc(ledger.number))
    .limit(limit + 1)
  const items = rows.slice(0, limit).map(({ entry, name }) => ({
    ...toEntry(entry),
    ...(name !== null && { actorName: name }),
  }))
  return rows.length > limit ? { items, nextCursor: cursorAt(items.at(-1)!.number) } : { items }
}

/**
 * Computes every hash again, in batches, and holds what there is against every head that was signed, here and by the
 * witness: entries that were changed, are missing, stand in another order or were cut off at the end are named.
 */
export async function verifyLedger(
  db: Queries,
  heads: SignedHead[] = [],
  witness?: { heads: SignedHead[] } | { trouble: string },
): Promise<Verification> {
  const verifier = new ChainVerifier()
  const all = [...heads, ...(witness && 'heads' in witness ? witness.heads : [])]
  const expected = new HeadChecker(all)
  for await (const entry of entriesAfter(db, 0)) {
    verifier.add(entry)
    expected.add(entryLeaf(entry, entry.previous))
  }
  const { rows: rights } = await db.execute<{ alters: boolean }>(sql`
    select has_table_privilege(session_user, 'ledger', 'update') or has_table_privilege(session_user, 'ledger', 'delete')
      or pg_has_role(session_user, (select relowner from pg_class where oid = 'ledger'::regclass), 'member') as alters`)
  const { checked, head, firstBreak } = verifier
  const why = firstBreak ?? expected.broken()
  return {
    checked,
    head,
    root: expected.root(),
    heads: all.length,
    alterable: rights[0]!.alters,
    witness:
      witness === undefined
        ? 'none'
        : 'heads' in witness
          ? `${witness.heads.length} heads`
          : witness.trouble,
    ...(why && { brokenAt: why.number, why: why.why }),
  }
}

/**
 * Every entry and every signed head, one in each line. Of what somebody may not read, the hashes alone stand there: the
 * rest is verified as before.
 */
export async function exportLedger(
  { db, system }: Pick<Context, 'db' | 'system'>,
  heads: SignedHead[],
): Promise<string> {
  const lines: string[] = []
  const visible = new Set((await db.select({ id: apis.id }).from(apis)).map(({ id }) => id))
  for await (const { api, entry } of rowsAfter(system.db, 0)) {
    const { number, hash, previous } = entry
    const line =
      api === null || visible.has(api)
        ? { entry }
        : { withheld: { number, hash, leaf: entryLeaf(entry, previous) } satisfies Withheld }
    lines.push(JSON.stringify(line))
  }
  for (const head of heads) lines.push(JSON.stringify({ head }))
  return lines.map((line) => `${line}\n`).join('')
}
