import { createHash, randomBytes } from 'node:crypto'
import { and, eq } from 'drizzle-orm'
import type { IssuedKey } from '../../shared/api/placements'
import { keys } from '../db/schema'
import { apiOf, findPlacement, writePlacement } from './apply'
import type { Context } from './context'
import { conflict, notFound } from './failure'
import { checkGateway } from './gateways'
import { record } from './ledger'
import { requirePermission } from './permissions'

/** Issues a key for a placement; only its digest is kept, so it is shown this once. */
export async function issueKey(context: Context, id: string, name: string): Promise<IssuedKey> {
  const { db } = context
  const row = await findPlacement(db, id)
  requirePermission(context.actor, 'place', (await apiOf(db, row)).team)
  if (!row.spec.key.required)
    throw conflict('This placement asks for no key. Change the placement first.')
  const secret = `elm_${randomBytes(24).toString('base64url')}`
  const sha256 = createHash('sha256').update(secret).digest('hex')
  await db.transaction(async (tx) => {
    const made = await tx
      .insert(keys)
      .values({ placement: id, name, sha256 })
      .onConflictDoNothing()
      .returning()
    if (made.length === 0)
      throw conflict(`${name} has a key here already. Withdraw it first or choose another name.`)
    await record(tx, context, { action: 'key.issued', subject: id, after: { name, sha256 } })
    await writePlacement(context, tx, row, row.gateway)
  })
  await checkGateway(context, row.gateway)
  return { name, secret }
}

export async function withdrawKey(context: Context, id: string, name: string): Promise<void> {
  const { db } = context
  const row = await findPlacement(db, id)
  requirePermission(context.actor, 'place', (await apiOf(db, row)).team)
  await db.transaction(async (tx) => {
    const gone = await tx
      .delete(keys)
      .where(and(eq(keys.placement, id), eq(keys.name, name)))
      .returning()
    if (gone.length === 0) throw notFound(`key of ${name} at this placement`)
    await record(tx, context, { action: 'key.withdrawn', subject: id, before: { name } })
    await writePlacement(context, tx, row, row.gateway)
  })
  await checkGateway(context, row.gateway)
}
