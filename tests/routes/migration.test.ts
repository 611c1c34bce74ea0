import { cpSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { createHash, randomBytes } from 'node:crypto'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import * as kit from 'drizzle-kit/api'
import pg from 'pg'
import { afterAll, beforeAll, expect, it } from 'vitest'
import { idleQueue } from '../../demo/seed'
import { migrateDatabase, openAsOwner } from '../../server/db/database'
import * as schema from '../../server/db/schema'
import { directExaminer } from '../../server/jobs/examiner'
import { recheckAll } from '../../server/services/checking'
import type { Services } from '../../server/services/context'
import { listFindings } from '../../server/services/findings'
import { rebuildDerived } from '../../server/services/rebuild'
import { beginRulebook, readRulebook } from '../../server/services/rulebooks'
import { houseText } from '../support/rules'
import { definition } from '../support/world'

const migrations = 'server/db/migrations'
const folder = mkdtempSync(join(tmpdir(), 'elm-migrations-'))
const name = `old_${randomBytes(6).toString('hex')}`
const server = process.env['ELM_TEST_DATABASE']!
const admin = new pg.Client({ connectionString: `${server}/postgres` })

beforeAll(async () => {
  await admin.connect()
  await admin.query(`CREATE DATABASE ${name}`)
})
afterAll(async () => {
  await admin.query(`DROP DATABASE ${name} WITH (FORCE)`)
  await admin.end()
  rmSync(folder, { recursive: true, force: true })
})

interface Journal {
  entries: unknown[]
}

it('brings a register from before there were rulebooks to the rulebook', async () => {
  cpSync(migrations, folder, { recursive: true })
  const journal = join(folder, 'meta/_journal.json')
  const { entries, ...rest } = JSON.parse(readFileSync(journal, 'utf8')) as Journal
  writeFileSync(journal, JSON.stringify({ ...rest, entries: entries.slice(0, 3) }))
  const { db, pool } = openAsOwner(`${server}/${name}`)
  try {
    await migrateDatabase(db, folder)
    const text = definition('supply-interruptions/2.5.0.yaml')
    const sha256 = createHash('sha256').update(text).digest('hex')
    await pool.query('INSERT INTO blobs (sha256, bytes) VALUES ($1, $2)', [
      sha256,
      Buffer.from(text),
    ])
    await pool.query(
      `INSERT INTO editions (number, domain, rules) VALUES (7, 'brackenmere.example', '[]')`,
    )
    await pool.query(`INSERT INTO apis (slug, title, team, audience, lifecycle, latest_revision)
      VALUES ('supply', 'Supply', 'Network Control', 'partner', 'active', 1)`)
    await pool.query(
      `INSERT INTO revisions (api, number, version, file, sha256, digest, format, bytes, summary, counts, edition, saved_at, saved_by)
       VALUES (1, 1, '2.5.0', 'a.yaml', $1, $1, 'OpenAPI 3.1', $2, '{"operations":[],"schemas":[],"webhooks":[],"files":["a.yaml"]}', '{"must":1,"should":0,"may":0}', 7, now(), 'tomas')`,
      [sha256, text.length],
    )
    await pool.query(
      `INSERT INTO revision_files (revision, position, name, sha256, bytes) VALUES (1, 0, 'a.yaml', $1, $2)`,
      [sha256, text.length],
    )
    await pool.query(`INSERT INTO findings (revision, rule, level, message, at, line, "column")
      VALUES (1, 'old-rule', 'MUST', 'Of an old rule', '', 1, 1)`)

    await migrateDatabase(db, migrations)
    const services: Services = {
      db,
      seenBy: () => db,
      examiner: directExaminer,
      queue: idleQueue,
      gatewaySecret: '',
      secret: 'a session secret of more than 32 characters',
      alwaysLocal: false,
      lock: (_, work) => work(),
      heads: { keyFile: '', headsFile: '', witness: '' },
      setupCode: '',
      allowedTargets: [],
      now: () => new Date(),
    }
    const actor = {
      name: 'elm',
      displayName: 'Elm Ledger',
      role: 'governance' as const,
      team: undefined,
    }
    expect(await db.transaction((tx) => beginRulebook(tx, houseText, { ...services, actor }))).toBe(
      true,
    )
    expect(await rebuildDerived(services)).toBe(1)
    expect(await recheckAll(services)).toBe(0)
    // Editions are numbered on, so that none is taken for an older one.
    expect((await readRulebook(db, {})).edition).toBe(8)
    const { items } = await listFindings(db, { api: 'supply' })
    const rules = items.map(({ rule }) => rule)
    expect(rules).toContain('contact-email')
    expect(rules).not.toContain('old-rule')
    expect(await db.transaction((tx) => beginRulebook(tx, houseText, { ...services, actor }))).toBe(
      false,
    )
  } finally {
    await pool.end()
  }
})

it('brings placements, hosts and gateways from before there were groups along', async () => {
  const old = `${name}_groups`
  await admin.query(`CREATE DATABASE ${old}`)
  const before = mkdtempSync(join(tmpdir(), 'elm-migrations-'))
  cpSync(migrations, before, { recursive: true })
  const journal = join(before, 'meta/_journal.json')
  const { entries, ...rest } = JSON.parse(readFileSync(journal, 'utf8')) as Journal
  writeFileSync(journal, JSON.stringify({ ...rest, entries: entries.slice(0, 10) }))
  const { db, pool } = openAsOwner(`${server}/${old}`)
  try {
    await migrateDatabase(db, before)
    await pool.query(`
      INSERT INTO stages (name, position, hosts) VALUES
        ('Trial', 0, '{"private": "trial.inner.example", "partner": "trial.api.example", "public": "trial.api.example"}');
      INSERT INTO gateways (name, serves, position, data_url, admin_url) VALUES
        ('north', 'All', 0, 'http://127.0.0.1:1', 'http://127.0.0.1:2');
      INSERT INTO blobs (sha256, bytes) VALUES ('x', '');
      INSERT INTO apis (slug, title, team, audience, lifecycle, latest_revision)
        VALUES ('supply', 'Supply', 'Network Control', 'partner', 'active', 1);
      INSERT INTO revisions (api, number, version, file, sha256, digest, format, bytes, summary, counts, edition, saved_at, saved_by)
        VALUES (1, 1, '1.0.0', 'a.yaml', 'x', 'x', 'OpenAPI 3.1', 0, '{}', '{}', 1, now(), 'tomas');
      INSERT INTO placements (id, edition, api, version, revision, stage, gateway, spec, applied_at, applied_by, checked_at, differences)
        VALUES ('supply-trial-1', 3, 1, '1.0.0', 1, 'Trial', 'north', '{"host": "trial.api.example"}', now(), 'tomas', now(), '[{"what": "route"}]');
      INSERT INTO keys (placement, name, sha256) VALUES ('supply-trial-1', 'Alder Homes', 'y');
      INSERT INTO promotions (api, version, from_stage, to_stage, state, requested_by, requested_at, note)
        VALUES (1, '1.0.0', 'Trial', 'Live', 'waiting', 'tomas', now(), '');
    `)
    await migrateDatabase(db, migrations)
    const rows = async (query: string) => (await pool.query<Record<string, unknown>>(query)).rows
    expect(
      await rows(
        'SELECT name, stage, array(SELECT unnest(audiences) ORDER BY 1) AS audiences FROM hosts ORDER BY name',
      ),
    ).toEqual([
      { name: 'trial.api.example', stage: 'Trial', audiences: ['partner', 'public'] },
      { name: 'trial.inner.example', stage: 'Trial', audiences: ['private'] },
    ])
    expect(await rows('SELECT name, "group" FROM gateways')).toEqual([
      { name: 'north', group: 'north' },
    ])
    expect(await rows('SELECT id, edition, "group" FROM placements')).toEqual([
      { id: 'supply-trial-1', edition: 3, group: 'north' },
    ])
    expect(await rows('SELECT gateway, differences FROM placement_sites')).toEqual([
      { gateway: 'north', differences: [{ what: 'route' }] },
    ])
    expect(await rows('SELECT name, state FROM keys')).toEqual([
      { name: 'Alder Homes', state: 'active' },
    ])
    expect(await rows('SELECT kind, state FROM promotions')).toEqual([
      { kind: 'promotion', state: 'waiting' },
    ])
  } finally {
    await pool.end()
    await admin.query(`DROP DATABASE ${old} WITH (FORCE)`)
    rmSync(before, { recursive: true, force: true })
  }
})

interface Snapshot {
  id: string
}
/** What of the migrations' generator is used; its own types cannot be resolved. */
interface Kit {
  generateDrizzleJson: (schema: object, before: string) => Snapshot
  generateMigration: (before: Snapshot, after: Snapshot) => Promise<string[]>
}

it('ends where the schema of the code is', async () => {
  const meta = join(migrations, 'meta')
  const { entries } = JSON.parse(readFileSync(join(meta, '_journal.json'), 'utf8')) as {
    entries: { tag: string }[]
  }
  const number = entries.at(-1)!.tag.slice(0, 4)
  const { generateDrizzleJson, generateMigration } = kit as unknown as Kit
  const last = JSON.parse(readFileSync(join(meta, `${number}_snapshot.json`), 'utf8')) as Snapshot
  expect(await generateMigration(last, generateDrizzleJson(schema, last.id))).toEqual([])
})
