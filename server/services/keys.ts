import { createHash, randomBytes } from 'node:crypto'
import { and, eq } from 'drizzle-orm'
import type { ApiAction } from '../../core/ledger/actions'
import { issuedKey } from '../../core/runtime/issued-keys'
import { scopesOf } from '../../core/runtime/placement'
import { takesKeys } from '../../core/runtime/policies/authenticate'
import { resolvePolicies } from '../../core/runtime/resolve'
import type { IssuedKey, KeyRequest } from '../../shared/api/placements'
import type { RolloutItem } from '../../shared/api/rollouts'
import type { Transaction } from '../db/database'
import { keys } from '../db/schema'
import { readContact } from './announcements'
import { apiOf, findPlacement } from './apply'
import type { PlacementRow } from './compiled'
import type { Context } from './context'
import { conflict, notFound } from './failure'
import { requirePermission } from './permissions'
import { carryOut, intend, readRollout } from './rollouts'
import { Scopes } from './scopes'

/**
 * Issues a key for a placement; only its digest is kept, so it is shown this once. `keep` is for what has to have it besides, in
 * the same transaction: neither is there without the other.
 */
export async function issueKey(
  context: Context,
  id: string,
  { name, contact = '' }: KeyRequest,
  keep?: (tx: Transaction, secret: string) => Promise<void>,
): Promise<IssuedKey> {
  const { db } = context
  const row = await findPlacement(db, id)
  requirePermission(context.actor, 'place', (await apiOf(db, row)).team)
  const { authentication } = resolvePolicies(
    scopesOf(row.spec, (await Scopes.read(db)).around(row)),
  )
  if (!takesKeys(authentication?.config))
    throw conflict('This placement asks for no key. Change the placement first.')
  if (row.ending?.as === 'retired')
    throw conflict(`It is retired, and served until ${row.ending.until}: there are no new keys.`)
  const secret = issuedKey(randomBytes(24))
  const sha256 = createHash('sha256').update(secret).digest('hex')
  const rollout = await db.transaction(async (tx) => {
    const made = await tx
      .insert(keys)
      .values({ placementId: id, name, sha256, state: 'issuing', contact: readContact(contact) })
      .onConflictDoNothing()
      .returning()
    if (made.length === 0)
      throw conflict(`${name} has a key here already. Withdraw it first or choose another name.`)
    await keep?.(tx, secret)
    return intendKey(tx, context, row, name, 'key.issued', `Issue a key for ${name}`)
  })
  return (await carryOut(context, rollout)) ? { name, secret } : { name, secret, rollout }
}

export async function withdrawKey(
  context: Context,
  id: string,
  name: string,
): Promise<RolloutItem | undefined> {
  const { db } = context
  const row = await findPlacement(db, id)
  requirePermission(context.actor, 'place', (await apiOf(db, row)).team)
  const rollout = await db.transaction(async (tx) => {
    const going = await tx
      .update(keys)
      .set({ state: 'withdrawing' })
      .where(and(eq(keys.placementId, id), eq(keys.name, name), eq(keys.state, 'active')))
      .returning()
    if (going.length === 0) throw notFound(`key of ${name} at this placement`)
    return intendKey(tx, context, row, name, 'key.withdrawn', `Withdraw the key of ${name}`)
  })
  return (await carryOut(context, rollout)) ? undefined : readRollout(db, rollout)
}

const intendKey = (
  tx: Transaction,
  context: Context,
  row: PlacementRow,
  key: string,
  action: ApiAction,
  title: string,
) =>
  intend(tx, context, {
    action,
    title: `${title} at ${row.id}`,
    change: { kind: 'apply', placement: row.id, key },
    groups: [row.group],
    acts: [{ api: row.apiId, subject: row.id, after: { key } }],
  })
