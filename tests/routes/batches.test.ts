import { and, eq, like } from 'drizzle-orm'
import { strToU8, zipSync } from 'fflate'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { apis, batches, ledger } from '../../server/db/schema'
import { workBatch } from '../../server/services/batches'
import type { Batch } from '../../shared/api/batches'
import { mortal } from '../support/mortal'
import { makeWorld, type Visitor, type World } from '../support/world'
import { personId, teamId } from '../../server/db/names'

let world: World
let imara: Visitor

beforeAll(async () => {
  world = await makeWorld()
  imara = await world.visitor('imara')
})
afterAll(() => world.close())

async function sendArchive(files: Record<string, Uint8Array>) {
  const sent = await imara.call<Batch>('POST', '/batches?file=estate.zip', zipSync(files))
  return sent.body
}

describe('many definitions at once', () => {
  it('enter each definition once, wherever the worker that enters them dies', async () => {
    const text = (n: number, at: number) =>
      strToU8(`openapi: 3.1.0\ninfo: { title: Mortal ${n} of ${at}, version: "1" }\npaths: {}\n`)
    for (let at = 3; ; at += 9) {
      const read = await sendArchive({ 'a.yaml': text(1, at), 'b.yaml': text(2, at) })
      await world.db
        .update(batches)
        .set({
          state: 'accepting',
          acceptedById: personId('imara'),
          teamId: teamId('Field'),
          audience: 'private',
        })
        .where(eq(batches.id, read.id))
      const { services, pool } = mortal(world.services, world.url, { at, when: 'before' })
      await workBatch(services, read.id).catch(() => undefined)
      await workBatch(world.services, read.id)
      const made = await world.db
        .select()
        .from(apis)
        .where(like(apis.title, `Mortal % of ${at}`))
      expect(made.map(({ latestNumber: latestRevision }) => latestRevision)).toEqual([1, 1])
      const died = pool.dead
      void pool.end().catch(() => undefined)
      if (!died) break
    }
  }, 60_000)

  it('are decided about by whoever began them, or by governance, and entered in their name', async () => {
    const lena = await world.visitor('lena')
    const tomas = await world.visitor('tomas')
    const zip = zipSync({
      'a.yaml': strToU8('openapi: 3.1.0\ninfo: { title: Hers, version: "1" }\npaths: {}\n'),
    })
    const { id } = (await lena.call<Batch>('POST', '/batches?file=a.zip', zip)).body
    const about = { team: 'Network Control', audience: 'private', without: [] }
    expect((await tomas.call('POST', `/batches/${id}/accept`, about)).status).toBe(403)
    expect((await tomas.call('POST', `/batches/${id}/cancel`)).status).toBe(403)
    expect((await imara.call('POST', `/batches/${id}/accept`, about)).status).toBe(202)
    const [entry] = await world.db
      .select()
      .from(ledger)
      .where(and(eq(ledger.action, 'api.added'), eq(ledger.subject, 'hers')))
    expect(entry!.actor).toBe('imara')
  })
})
