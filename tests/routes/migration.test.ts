import { cpSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { createHash, randomBytes } from 'node:crypto'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import * as kit from 'drizzle-kit/api'
import { asc } from 'drizzle-orm'
import pg from 'pg'
import { brotliDecompressSync } from 'node:zlib'
import { afterAll, beforeAll, expect, it } from 'vitest'
import { ChainVerifier } from '../../core/ledger/chain'
import { figuresOf, type KeptSpan } from '../../core/traffic/figures'
import type { Period } from '../../core/traffic/periods'
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
import { personColumns } from '../../server/db/names'
import { ledger, people, rollouts } from '../../server/db/schema'
import { toActor } from '../../server/services/people'

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

/** A folder of the migrations as there were when there were so many. */
function firstMigrations(count: number): string {
  const before = join(folder, String(count))
  cpSync(migrations, before, { recursive: true })
  const journal = join(before, 'meta/_journal.json')
  const { entries, ...rest } = JSON.parse(readFileSync(journal, 'utf8')) as Journal
  writeFileSync(journal, JSON.stringify({ ...rest, entries: entries.slice(0, count) }))
  return before
}

it('brings a register from before there were rulebooks to the rulebook', async () => {
  const { db, pool } = openAsOwner(`${server}/${name}`)
  try {
    await migrateDatabase(db, firstMigrations(3))
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
      gatewayFolders: '',
      gatewayAuthority: '',
      secret: 'a session secret of more than 32 characters',
      alwaysLocal: false,
      lock: (_, work) => work(),
      heads: { keyFile: '', headsFile: '', witness: '' },
      setupCode: '',
      allowedTargets: [],
      mail: { server: '', from: '' },
      now: () => new Date(),
    }
    const [tomas] = await db.select(personColumns).from(people)
    const actor = { ...toActor(tomas!), role: 'governance' as const }
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
  const { db, pool } = openAsOwner(`${server}/${old}`)
  try {
    await migrateDatabase(db, firstMigrations(10))
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
    expect(await rows('SELECT id, generation, "group" FROM placements')).toEqual([
      { id: 'supply-trial-1', generation: 3, group: 'north' },
    ])
    expect(await rows('SELECT gateway FROM placement_sites')).toEqual([{ gateway: 'north' }])
    expect(await rows('SELECT name, state FROM keys')).toEqual([
      { name: 'Alder Homes', state: 'active' },
    ])
    expect(await rows('SELECT kind, state FROM promotions')).toEqual([
      { kind: 'promotion', state: 'waiting' },
    ])
  } finally {
    await pool.end()
    await admin.query(`DROP DATABASE ${old} WITH (FORCE)`)
  }
})

/** Who is named where, before people were referred to by id, and after. */
const named: { table: string; row: string; before: string; after: string }[] = [
  {
    table: 'apis',
    row: 'slug',
    before: 'team',
    after: '(SELECT name FROM teams WHERE id = team_id)',
  },
  {
    table: 'people',
    row: 'name',
    before: 'team',
    after: '(SELECT name FROM teams WHERE id = team_id)',
  },
  ...(
    [
      ['apis', 'slug', 'owner', 'owner_id'],
      ['revisions', 'id', 'saved_by', 'saved_by_id'],
      ['waivers', 'id', 'asked_by', 'asked_by_id'],
      ['waivers', 'id', 'decided_by', 'decided_by_id'],
      ['baselines', 'key', 'accepted_by', 'accepted_by_id'],
      ['assignments', 'key', 'person', 'assignee_id'],
      ['comments', 'id', 'by', 'by_id'],
      ['rulebooks', 'slug', 'saved_by', 'saved_by_id'],
      ['editions', 'number', 'published_by', 'published_by_id'],
      ['placements', 'id', 'applied_by', 'applied_by_id'],
      ['rollouts', 'id', 'by', 'by_id'],
      ['promotions', 'id', 'requested_by', 'requested_by_id'],
      ['approvals', 'at', 'by', 'by_id'],
      ['proposals', 'id', 'by', 'by_id'],
      ['intakes', 'id', 'by', 'by_id'],
    ] as const
  ).map(([table, row, before, id]) => ({
    table,
    row,
    before: `"${before}"`,
    after: `(SELECT name FROM people WHERE people.id = "${table}"."${id}")`,
  })),
]

it('brings a database of the demo, as it was before people and teams had ids, along with nothing lost', async () => {
  const old = `${name}_dump`
  await admin.query(`CREATE DATABASE ${old}`)
  const { db, pool } = openAsOwner(`${server}/${old}`)
  try {
    const dump = brotliDecompressSync(readFileSync('tests/support/register-0013.sql.br'))
    const client = await pool.connect()
    await client.query(dump.toString('utf8'))
    client.release(true)
    const rows = async (query: string) => (await pool.query<Record<string, unknown>>(query)).rows
    const tables = (
      await rows("SELECT tablename FROM pg_tables WHERE schemaname = 'public' ORDER BY 1")
    ).map(({ tablename }) => tablename as string)
    const counts = async () =>
      Promise.all(
        tables.map(async (table) => [
          table,
          (await rows(`SELECT count(*)::int AS n FROM "${table}"`))[0]!['n'],
        ]),
      )
    const whoIs = async (side: 'before' | 'after') =>
      Promise.all(
        named.map(({ table, row, ...sides }) =>
          rows(`SELECT "${row}"::text AS row, ${sides[side]} AS who FROM "${table}" ORDER BY 1, 2`),
        ),
      )
    const days = () =>
      rows(`SELECT 'waiver' AS what, id, until::text AS day FROM waivers
        UNION ALL SELECT 'sunset', id, sunset::text FROM apis ORDER BY 1, 2`)
    const [before, namesBefore, daysBefore] = [await counts(), await whoIs('before'), await days()]
    expect(before.filter(([, n]) => n !== 0).length).toBeGreaterThan(20)
    await migrateDatabase(db, migrations)
    expect(await counts()).toEqual(before)
    expect(await whoIs('after')).toEqual(namesBefore)
    expect(await days()).toEqual(daysBefore)
    // What was written into the ledger before verifies after.
    const verifier = new ChainVerifier()
    for (const { at, apiId, ...entry } of await db
      .select()
      .from(ledger)
      .orderBy(asc(ledger.number)))
      verifier.add({ ...entry, at: at.toISOString() })
    expect(verifier.checked).toBeGreaterThan(100)
    expect(verifier.firstBreak).toBeUndefined()
    // The rollouts that were kept can be read by the code of today.
    for (const { change } of await db.select({ change: rollouts.change }).from(rollouts)) {
      if (change.kind !== 'place') continue
      for (const { apiId, revisionId, generation } of change.wanted)
        expect([apiId, revisionId, generation].every(Number.isInteger)).toBe(true)
    }
  } finally {
    await pool.end()
    await admin.query(`DROP DATABASE ${old} WITH (FORCE)`)
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

/** Columns, constraints and indexes of a database, in words that can be compared. */
async function shapeOf(pool: pg.Pool): Promise<string[]> {
  const { rows } = await pool.query<{ says: string }>(`
    SELECT format('%s.%s %s %s %s', c.relname, a.attname, format_type(a.atttypid, a.atttypmod),
      CASE WHEN a.attnotnull THEN 'not null' END, pg_get_expr(d.adbin, d.adrelid)) AS says
    FROM pg_attribute a JOIN pg_class c ON c.oid = a.attrelid LEFT JOIN pg_attrdef d ON d.adrelid = c.oid AND d.adnum = a.attnum
    WHERE c.relkind IN ('r', 'p') AND c.relnamespace = 'public'::regnamespace AND a.attnum > 0 AND NOT a.attisdropped
    UNION ALL SELECT format('%s %s %s', conrelid::regclass, conname, pg_get_constraintdef(oid))
    FROM pg_constraint WHERE connamespace = 'public'::regnamespace AND contype <> 't'
    UNION ALL SELECT replace(indexdef, ' ON ONLY ', ' ON ') FROM pg_indexes WHERE schemaname = 'public'
    ORDER BY 1`)
  return rows.map(({ says }) => says)
}

it('keeps what was counted by minute, hour and day, and makes counts by client of it', async () => {
  const old = `${name}_counts`
  await admin.query(`CREATE DATABASE ${old}`)
  const { db, pool } = openAsOwner(`${server}/${old}`)
  try {
    await migrateDatabase(db, firstMigrations(27))
    // Two operations of one client on the second and the fourth of a month; times are of the buckets 3 and 7, and 200.
    await pool.query(`
      INSERT INTO traffic_series (id, digest, grain, gateway, placement, version, stage, operation, client, status, step, policy) VALUES
        (1, 'a', 'operation', 'north-edge', 'supply-1', '2.4.0', 'Live', 'GET /a', 'Flood, "Board"', 200, '', ''),
        (2, 'b', 'operation', 'north-edge', 'supply-1', '2.4.0', 'Live', 'GET /b', 'Flood, "Board"', 200, '', '');
      SELECT setval('traffic_series_id_seq', 2);
      INSERT INTO traffic (resolution, at, series, calls, broken, bytes_in, bytes_out, durations, upstream) VALUES
        ('day', '2026-10-02T00:00:00Z', 1, 300, 2, 700, 70000, '\\x03ac020404', ''),
        ('day', '2026-10-04T00:00:00Z', 1, 5, 0, 10, 20, '\\x0305', '\\x0305'),
        ('day', '2026-10-04T00:00:00Z', 2, 1, 0, 1, 2, '\\x0301', ''),
        ('minute', '2026-10-04T10:59:00Z', 2, 1, 0, 1, 2, '\\x0301', '');
    `)
    await migrateDatabase(db, migrations)
    const counted = async (grain: string, resolution: string, period: Period) => {
      const { rows } = await pool.query<
        KeptSpan & { line: number[]; broken: number[]; first: number }
      >(
        `SELECT (extract(epoch FROM span) * 1000)::float8 AS span, status, parts, line::int[], broken, array_lower(line, 1) - 1 AS first
         FROM traffic t JOIN traffic_series s ON s.id = t.series WHERE t.grain = $1 AND resolution = $2 ORDER BY s.id`,
        [grain, resolution],
      )
      return {
        rows,
        ...figuresOf(
          period,
          rows.map(({ span, status, parts }) => ({ span, status, parts })),
        ),
      }
    }
    const month = { from: Date.UTC(2026, 9), to: Date.UTC(2026, 10), resolution: 'day' } as const
    for (const grain of ['operation', 'client', 'caller']) {
      const { rows, total, points } = await counted(grain, 'day', month)
      expect(points.map(({ calls }) => calls).slice(0, 5)).toEqual([0, 300, 0, 6, 0])
      expect(total).toMatchObject({ calls: 306, broken: 2, bytesIn: 711, bytesOut: 70_022 })
      expect([total.durations.total, total.upstream.total]).toEqual([310, 5])
      expect(rows[0]).toMatchObject({
        line: [300, 300, grain === 'operation' ? 305 : 306],
        first: 1,
      })
      expect(rows[0]!.broken).toEqual([2, 0, 0])
    }
    const { rows: operations } = await pool.query(
      `SELECT o.name, o.digest, sum(c.calls)::int AS calls FROM operation_calls c JOIN traffic_operations o ON o.id = c.operation
       WHERE c.resolution = 'day' GROUP BY o.id ORDER BY name`,
    )
    const called = (name: string) =>
      createHash('sha256')
        .update(JSON.stringify([null, name]))
        .digest('hex')
    expect(operations).toEqual([
      { name: 'GET /a', digest: called('GET /a'), calls: 305 },
      { name: 'GET /b', digest: called('GET /b'), calls: 1 },
    ])
    const hour = Date.UTC(2026, 9, 4, 10)
    const { points } = await counted('operation', 'minute', {
      ...{ from: hour, to: hour + 3_600_000 },
      resolution: 'minute',
    })
    expect(points[59]!.calls).toBe(1)
    // What is counted next finds the counts by client by their digest.
    const own = ['north-edge', 'client', 'supply-1', '2.4.0', '', 'Flood, "Board"', 200, '', '']
    const { rows } = await pool.query(
      `SELECT digest, stage FROM traffic_series WHERE grain = 'client'`,
    )
    const digest = createHash('sha256').update(JSON.stringify(own)).digest('hex')
    expect(rows).toEqual([{ digest, stage: 'Live' }])
    const { rows: callers } = await pool.query(
      `SELECT digest, stage FROM traffic_series WHERE grain = 'caller'`,
    )
    const all = ['north-edge', 'caller', '', '', '', 'Flood, "Board"', 200, '', '']
    expect(callers).toEqual([
      { digest: createHash('sha256').update(JSON.stringify(all)).digest('hex'), stage: '' },
    ])
  } finally {
    await pool.end()
    await admin.query(`DROP DATABASE ${old} WITH (FORCE)`)
  }
})

it('makes the tables that the schema of the code says', async () => {
  const { generateDrizzleJson, generateMigration } = kit as unknown as Kit
  const databases = [`${name}_migrated`, `${name}_generated`]
  for (const database of databases) await admin.query(`CREATE DATABASE ${database}`)
  const [migrated, generated] = databases.map((database) => openAsOwner(`${server}/${database}`))
  try {
    await migrateDatabase(migrated!.db, migrations)
    await generated!.pool.query('CREATE EXTENSION IF NOT EXISTS pg_trgm')
    const empty = generateDrizzleJson({}, '')
    const statements = await generateMigration(empty, generateDrizzleJson(schema, empty.id))
    // What refers to others comes last: it may need an index of theirs.
    const refers = (statement: string) => Number(statement.includes('FOREIGN KEY'))
    for (const statement of statements.sort((a, b) => refers(a) - refers(b)))
      await generated!.pool.query(statement)
    const said = await shapeOf(generated!.pool)
    expect(said.length).toBeGreaterThan(300)
    expect(await shapeOf(migrated!.pool)).toEqual(said)
  } finally {
    await Promise.all([migrated!.pool.end(), generated!.pool.end()])
    for (const database of databases) await admin.query(`DROP DATABASE ${database} WITH (FORCE)`)
  }
})

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
