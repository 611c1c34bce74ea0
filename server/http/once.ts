import { AsyncLocalStorage } from 'node:async_hooks'
import { createHash } from 'node:crypto'
import { and, eq, lte, sql } from 'drizzle-orm'
import type { Transaction } from '../db/database'
import { requestKeys } from '../db/schema'
import type { Services } from '../services/context'
import { conflict, Failure, invalid } from '../services/failure'
import { onRecord } from '../services/ledger'
import { seal, unseal } from '../services/sealing'

/** What is answered to a request, and again to one with the same key. */
export interface Response {
  status: number
  headers: Record<string, string>
  body: string
}

/** A try that has said nothing for so long is taken for dead; in milliseconds. */
const longestTry = 60_000
/** Larger responses are not kept: whoever asks again is told that it was done. */
const mostKept = 1_000_000

/** A key as it is sent, bare or as a structured field (draft-ietf-httpapi-idempotency-key-header). */
export function keyIn(header: string | undefined): string | undefined {
  if (header === undefined) return undefined
  const key = /^"(.*)"$/.exec(header)?.[1] ?? header
  if (/^[\x21-\x7e]{1,200}$/.test(key)) return key
  throw invalid([
    {
      field: 'Idempotency-Key',
      message: 'The key is 1 to 200 printable characters without spaces',
    },
  ])
}

/** The try whose request is being carried out. */
interface Try {
  personId: number
  key: string
  number: number
}

const current = new AsyncLocalStorage<Try>()

const isOf = ({ personId, key }: Omit<Try, 'number'>) =>
  and(eq(requestKeys.personId, personId), eq(requestKeys.key, key))

/**
 * What a request does is noted in the transaction that does it: whoever tries again knows whether it was done, wherever
 * the process died. A try that another one has taken over does nothing any more.
 */
onRecord(async (tx: Transaction) => {
  const mine = current.getStore()
  if (!mine) return
  const kept = await tx
    .update(requestKeys)
    .set({ done: true })
    .where(and(isOf(mine), eq(requestKeys.tries, mine.number)))
    .returning({ tries: requestKeys.tries })
  if (kept.length === 0) throw conflict('The same request is being carried out by a later try.')
})

/** Carries a request out once for a person's key, and answers every other try with what came of it. */
export async function once(
  { db, secret, now }: Pick<Services, 'db' | 'secret' | 'now'>,
  personId: number,
  key: string,
  request: readonly (string | Uint8Array)[],
  carryOut: () => Promise<Response>,
): Promise<Response> {
  const overSince = () => new Date(now().getTime() - longestTry)
  const hash = createHash('sha256')
  for (const part of request) hash.update(part).update('\0')
  const sha256 = hash.digest('hex')
  const row = { personId, key, sha256, tries: 1, done: false, triedAt: now(), response: null }
  const [begun] = await db
    .insert(requestKeys)
    .values(row)
    .onConflictDoUpdate({
      target: [requestKeys.personId, requestKeys.key],
      set: { tries: sql`${requestKeys.tries} + 1`, triedAt: now() },
      // One that failed, or that nobody works on any more, is taken over.
      setWhere: and(
        eq(requestKeys.sha256, sha256),
        eq(requestKeys.done, false),
        lte(requestKeys.triedAt, overSince()),
      ),
    })
    .returning({ tries: requestKeys.tries })
  const id = { personId, key }
  if (!begun) {
    const [kept] = await db.select().from(requestKeys).where(isOf(id))
    if (kept && kept.sha256 !== sha256)
      throw invalid([
        {
          field: 'Idempotency-Key',
          message: 'The key was used for another request; take a new one',
        },
      ])
    if (kept?.response) return JSON.parse(unseal(secret, kept.response)) as Response
    if (kept?.done)
      throw new Failure(
        409,
        'Done already',
        'The request with this key was carried out, and its response is not known any more. Read what it changed.',
      )
    throw new Failure(
      409,
      'Not possible now',
      'The request with this key is being carried out. Try again in a moment.',
      undefined,
      { 'Retry-After': '2' },
    )
  }
  const mine = and(isOf(id), eq(requestKeys.tries, begun.tries))
  try {
    const response = await current.run({ ...id, number: begun.tries }, carryOut)
    const text = JSON.stringify(response)
    await db
      .update(requestKeys)
      .set({ done: true, response: text.length > mostKept ? null : seal(secret, text) })
      .where(mine)
    return response
  } catch (error) {
    // What failed did nothing, unless it was noted: then it may not be done again.
    await db
      .update(requestKeys)
      .set({ triedAt: overSince() })
      .where(mine)
      .catch(() => undefined)
    throw error
  }
}
