import { inArray, sql } from 'drizzle-orm'
import type { TrafficEvent } from '../../core/traffic/event'
import { beginOf } from '../../core/traffic/spans'
import { insertMany } from '../db/bulk'
import type { Queries, Transaction } from '../db/database'
import { keys, requests } from '../db/schema'
import { dayOf } from './known'
import type { settingsOf } from './settings'

type Settings = NonNullable<Awaited<ReturnType<typeof settingsOf>>>

/** Where an event was counted, as far as that is known. */
export interface Placed {
  apiId: number | null
  stage: string
}

/** Days that have a partition, as far as is known of a database. */
const known = new WeakMap<Queries, Set<string>>()

/** Makes room for requests of some days; outside of the transaction that keeps them, since it locks the whole table. */
export async function makeRoom(db: Queries, events: readonly TrafficEvent[]): Promise<void> {
  const made = known.get(db) ?? new Set()
  known.set(db, made)
  for (const begun of new Set(events.map(({ at }) => beginOf('day', at)))) {
    const day = dayOf(new Date(begun))
    if (made.has(day)) continue
    await db.execute(sql`select keep_requests_of(${day}::date)`)
    made.add(day)
  }
}

/** Whether a request is kept: each that did not go well, and some of the others, the same ones however often it is asked. */
function isKept({ id, status, breaks, step }: TrafficEvent, percent: number): boolean {
  if (id === '') return false
  if (status >= 400 || breaks !== '' || step !== '' || percent >= 100) return true
  return percent > 0 && shareOf(id) < percent
}

/** A hundredth that a request belongs to, from 0 (FNV-1a of its identifier). */
function shareOf(id: string): number {
  let hash = 2_166_136_261
  for (let at = 0; at < id.length; at++) hash = Math.imul(hash ^ id.charCodeAt(at), 16_777_619)
  // The last bits of it follow the last letters: those before them are better mixed.
  return ((hash >>> 0) >>> 8) % 100
}

/** Keeps single requests among events that are counted, in the same transaction. */
export async function keepRequests(
  tx: Transaction,
  gateway: string,
  events: readonly TrafficEvent[],
  placedAt: (placement: string) => Placed | undefined,
  { retention: { requests: days, requestPercent } }: Settings,
  now: Date,
): Promise<void> {
  const oldest = now.getTime() - days * 86_400_000
  // A gateway whose clock is far ahead has its requests counted, but there is no room for them.
  const newest = now.getTime() + 86_400_000
  const kept = events.filter(
    (event) => event.at > oldest && event.at < newest && isKept(event, requestPercent),
  )
  const issued = await keysTried(tx, kept)
  const rows = kept.map((event): typeof requests.$inferInsert => {
    const { seq: _, host: __, at, tried = '', upstreamMs = null, ...told } = event
    const { apiId = null, stage = '' } = placedAt(event.placement) ?? {}
    const key = issued.get(tried)
    return {
      ...told,
      ...{ upstreamMs, at: new Date(at), gateway, apiId, stage },
      triedClient: key?.name ?? '',
      triedPlacement: key?.placement ?? '',
    }
  })
  await insertMany(tx, requests, rows)
}

/** The keys that refused requests came with, by what is told of them. */
async function keysTried(tx: Transaction, events: readonly TrafficEvent[]) {
  const tried = [...new Set(events.flatMap((event) => event.tried ?? []))]
  if (tried.length === 0) return new Map<string, never>()
  const beginning = sql<string>`left(${keys.sha256}, 16)`
  const found = await tx
    .select({ tried: beginning, name: keys.name, placement: keys.placementId })
    .from(keys)
    .where(inArray(beginning, tried))
  return new Map(found.map((key) => [key.tried, key]))
}
