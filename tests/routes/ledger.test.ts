import { appendFileSync, statSync, writeFileSync } from 'node:fs'
import { sql } from 'drizzle-orm'
import pg from 'pg'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { headsIn, verifyExport } from '../../cli/verify'
import { isConsistent, rootFromInclusion } from '../../core/ledger/merkle'
import { openDatabase } from '../../server/db/database'
import { grantTo } from '../../server/db/grants'
import { publicKey, readHeads, signNow } from '../../server/services/heads'
import { growTree, verifyLedger } from '../../server/services/ledger'
import type {
  ConsistencyProof,
  InclusionProof,
  LedgerEntry,
  SignedHeadItem,
  Verification,
} from '../../shared/api/ledger'
import { bringIn, definition, makeWorld, type Visitor, type World } from '../support/world'

let world: World
let tomas: Visitor
const sign = () => signNow(world.db, world.services.heads, new Date())
const verify = async () => (await tomas.call<Verification>('POST', '/ledger/verify')).body

/** Somebody with the database's own powers. */
const tamper = async (statement: string) => {
  await world.owner.execute(sql`ALTER TABLE ledger DISABLE TRIGGER USER`)
  await world.owner.execute(sql.raw(statement))
  await world.owner.execute(sql`ALTER TABLE ledger ENABLE TRIGGER USER`)
}

beforeAll(async () => {
  world = await makeWorld()
  tomas = await world.visitor('tomas')
  await bringIn(tomas, definition('leak-sensors/0.3.0.yaml'))
  await sign()
  for (let n = 0; n < 12; n++) {
    await tomas.call('PATCH', '/apis/leak-sensors', { labels: [`round ${n}`] })
    if (n === 6) await sign()
  }
})
afterAll(() => world.close())

describe('the application’s role', () => {
  const role = `app_${Date.now()}`
  let mine: pg.Pool
  beforeAll(async () => {
    const owner = new pg.Pool({ connectionString: world.url })
    await owner.query(`CREATE ROLE ${role} LOGIN PASSWORD 'x'`)
    await grantTo(owner, role)
    await owner.end()
    const url = new URL(world.url)
    url.username = role
    url.password = 'x'
    mine = new pg.Pool({ connectionString: url.href })
  })
  afterAll(async () => {
    await mine.end()
    await world.owner.execute(sql.raw(`DROP OWNED BY ${role}; DROP ROLE ${role}`))
  })

  it('adds and reads, and can do nothing else to what is written', async () => {
    expect((await mine.query('SELECT count(*)::int AS n FROM ledger')).rows[0]).toMatchObject({
      n: expect.any(Number) as number,
    })
    for (const table of ['ledger', 'ledger_nodes']) {
      for (const statement of [
        `UPDATE ${table} SET hash = 'x'`,
        `DELETE FROM ${table}`,
        `TRUNCATE ${table}`,
        `ALTER TABLE ${table} DISABLE TRIGGER USER`,
        `DROP TABLE ${table}`,
        `SET session_replication_role = replica`,
      ])
        await expect(mine.query(statement), statement).rejects.toThrow(/permission|owner/)
    }
    const { rows } = await mine.query<{ rolsuper: boolean }>(
      'SELECT rolsuper FROM pg_roles WHERE rolname = current_user',
    )
    expect(rows[0]!.rolsuper).toBe(false)
  })

  it('is told apart from one that could alter entries', async () => {
    const url = new URL(world.url)
    url.username = role
    url.password = 'x'
    const { db, pool } = openDatabase(url.href)
    expect(await verifyLedger(db)).toMatchObject({ alterable: false })
    await pool.end()
    expect(await verify()).toMatchObject({ alterable: true })
  })
})

describe('proofs', () => {
  it('show entries and growth by hashes alone', async () => {
    const { body: proof } = await tomas.call<InclusionProof>('GET', '/ledger/entries/5/proof')
    expect(rootFromInclusion(proof.leaf, 4, proof.size, proof.proof)).toBe(proof.root)
    expect(proof.root).toBe((await verify()).root)
    const { body } = await tomas.call<ConsistencyProof>('GET', '/ledger/consistency?first=3')
    const ends = [
      { size: body.first, root: body.firstRoot },
      { size: body.second, root: body.secondRoot },
    ] as const
    expect(isConsistent(...ends, body.proof)).toBe(true)
    expect((await tomas.call('GET', '/ledger/entries/999/proof')).status).toBe(404)
    expect((await tomas.call('GET', '/ledger/entries/x/proof')).status).toBe(404)
    expect((await tomas.call('GET', '/ledger/consistency?first=9&second=3')).status).toBe(404)
  })

  it('stand on heads signed outside of the database, with a key nobody else can read', async () => {
    await sign()
    const { items } = (await tomas.call<{ items: SignedHeadItem[] }>('GET', '/ledger/heads')).body
    const key = (await tomas.call<string>('GET', '/ledger/key')).body
    expect(key).toBe(publicKey(world.services.heads))
    expect(items.length).toBeGreaterThan(2)
    expect(statSync(world.services.heads.keyFile).mode & 0o777).toBe(0o600)
    expect(await verify()).toMatchObject({ heads: items.length, root: items[0]!.root })
  })

  it('stand although a process died while it wrote one', async () => {
    const before = readHeads(world.services.heads)
    appendFileSync(world.services.heads.headsFile, '{"size":99,"ro')
    expect(readHeads(world.services.heads)).toEqual(before)
    await bringIn(tomas, definition('leak-sensors/0.3.0.yaml').replaceAll('Leak', 'Burst'))
    const signed = await sign()
    expect(readHeads(world.services.heads)).toEqual([...before, signed])
    expect((await verify()).brokenAt).toBeUndefined()
  })

  it('hold offline, and show what was done to an export', async () => {
    const { body } = await tomas.call<string>('GET', '/ledger/export')
    const file = `${world.services.heads.headsFile}.export`
    const key = `${file}.pem`
    writeFileSync(key, publicKey(world.services.heads))
    const verdict = async (text: string) => {
      writeFileSync(file, text)
      return (await verifyExport(file, key)).trouble
    }
    const lines = body.trimEnd().split('\n')
    const entries = lines.filter((line) => line.startsWith('{"entry"'))
    const heads = lines.filter((line) => line.startsWith('{"head"'))
    const joined = (...parts: string[][]) => `${parts.flat().join('\n')}\n`
    expect(await verdict(body)).toBeUndefined()
    expect(await verdict(body.replace('round 3', 'round 4'))).toMatch(/do not match its hash/)
    expect(await verdict(joined(entries.slice(0, -2), heads))).toMatch(/cut off/)
    expect(await verdict(joined(entries.slice(0, 4), entries.slice(5), heads))).toMatch(/missing/)
    const swapped = [...entries]
    ;[swapped[3], swapped[4]] = [swapped[4]!, swapped[3]!]
    expect(await verdict(joined(swapped, heads))).toMatch(/Entry 4/)
    expect(await verdict(joined(entries))).toMatch(/no signed head/)
    expect(await verdict(body.replace(/"size":(\d+)/, '"size":1'))).toMatch(/not signed with this/)
    await expect(verdict('nonsense\n')).rejects.toThrow(/:1 is not JSON/)
    // The end with its heads: only what was kept elsewhere shows it.
    const signed = heads.map((line) => (JSON.parse(line) as { head: { size: number } }).head)
    const size = Math.min(...signed.map((head) => head.size))
    const cut = joined(
      entries.slice(0, size),
      heads.filter((_, n) => signed[n]!.size <= size),
    )
    expect(await verdict(cut)).toBeUndefined()
    const kept = `${file}.heads`
    writeFileSync(kept, heads.join('\n'))
    expect((await verifyExport(file, key, headsIn(kept))).trouble).toMatch(/cut off/)
    writeFileSync(file, body)
    expect(await verifyExport(file, key, headsIn(kept))).toMatchObject({
      isAnchored: true,
      trouble: undefined,
    })
    writeFileSync(kept, JSON.stringify(signed.at(-1)))
    expect((await verifyExport(file, key, headsIn(kept))).trouble).toBeUndefined()
    // What nobody checks may not be there.
    for (const odd of [
      body.replace('{"entry":{', '{"entry":{"approved":true,'),
      body.replace('{"entry":{', '{"entry":{"number":1,'),
      body.replace('{"entry":{', '{"note":1,"entry":{'),
      body.replace('{"head":{', '{"head":{"size":1,'),
      body.replace('{"entry":', '{ "entry":'),
    ])
      await expect(verdict(odd)).rejects.toThrow(/:\d+ (?:is not as|has a member|is neither)/)
  })
})

describe('verification', () => {
  it('holds for what a register wrote before there was a tree', async () => {
    await world.owner.execute(sql`ALTER TABLE ledger_nodes DISABLE TRIGGER USER`)
    await world.owner.execute(sql`DELETE FROM ledger_nodes`)
    await world.owner.execute(sql`ALTER TABLE ledger_nodes ENABLE TRIGGER USER`)
    await growTree(world.db)
    await tomas.call('PATCH', '/apis/leak-sensors', { labels: ['after'] })
    expect((await verify()).brokenAt).toBeUndefined()
    expect(await sign()).toMatchObject({ size: (await verify()).checked })
  })

  it('filters by API, action, person and time', async () => {
    const list = async (query: string) =>
      (await tomas.call<{ items: LedgerEntry[] }>('GET', `/ledger?${query}`)).body.items
    expect(
      (await list('api=leak-sensors')).every(({ subject }) => subject === 'leak-sensors'),
    ).toBe(true)
    expect((await list('person=tomas&action=api')).length).toBeGreaterThan(10)
    expect(await list('person=wren')).toEqual([])
    expect(await list('until=2020-01-01')).toEqual([])
    expect((await list('since=2020-01-01')).length).toBeGreaterThan(10)
    expect((await tomas.call('GET', '/ledger?since=yesterday')).status).toBe(422)
    expect((await tomas.call('GET', '/ledger?since=2026-02-31')).status).toBe(422)
  })

  it('finds the end cut off, which a chain alone cannot know', async () => {
    const { checked } = await verify()
    await tamper(`DELETE FROM ledger WHERE number > ${checked - 3}`)
    expect(await verify()).toMatchObject({
      brokenAt: checked - 2,
      why: expect.stringMatching(/everything after entry \d+ was cut off/) as string,
    })
    await expect(sign()).rejects.toThrow(/lost entries/)
  })

  it('finds a history that was written anew with fitting hashes', async () => {
    // The heads of the old history are all that is left of it.
    expect(readHeads(world.services.heads).length).toBeGreaterThan(2)
    await tamper(`UPDATE ledger SET actor = 'nobody' WHERE number = 2`)
    expect(await verify()).toMatchObject({ brokenAt: 2, why: 'Its words do not match its hash' })
    await tamper(`DELETE FROM ledger`)
    await world.owner.execute(sql`ALTER TABLE ledger_nodes DISABLE TRIGGER USER`)
    await world.owner.execute(sql`DELETE FROM ledger_nodes`)
    for (let n = 0; n < 30; n++)
      await tomas.call('PATCH', '/apis/leak-sensors', { labels: [`forged ${n}`] })
    expect(await verify()).toMatchObject({
      why: 'The entries up to here are not those whose head was signed',
    })
    await expect(sign()).rejects.toThrow(/does not go on from the head/)
  })
})
