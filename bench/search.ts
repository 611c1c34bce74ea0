import { sql } from 'drizzle-orm'
import type { DefinitionSummary } from '../core/definition'
import { migrateDatabase, openDatabase } from '../server/db/database'
import { apis, revisions, searchEntries, searchWords } from '../server/db/schema'
import { storeBlob } from '../server/services/files'
import { search, wordsOf } from '../server/services/search'
import { lines } from './measure'

const nouns = [
  'valve',
  'hydrant',
  'meter',
  'reading',
  'tariff',
  'bill',
  'sample',
  'sensor',
  'crew',
  'order',
  'permit',
  'notice',
  'area',
  'reservoir',
  'main',
  'pump',
  'tanker',
  'customer',
  'premises',
  'leak',
]
const verbs = [
  'list',
  'read',
  'create',
  'change',
  'remove',
  'close',
  'assign',
  'confirm',
  'export',
  'estimate',
]
const teams = [
  'Metering',
  'Network Control',
  'Water Quality',
  'Customer',
  'Field',
  'Developer Services',
]

const counts = { apis: 5000, operations: 20 }
/** Words people might type: whole, begun, several, mistyped, very common. */
const questions = [
  ...nouns.map((noun) => ({ q: noun })),
  ...nouns.map((noun) => ({ q: noun.slice(0, 4) })),
  ...nouns.map((noun, i) => ({ q: `${verbs[i % verbs.length]} ${noun}` })),
  ...nouns.map((noun) => ({ q: `${noun.slice(0, 2)}x${noun.slice(2)}` })),
  ...nouns.map((noun, i) => ({ q: `${noun} ${1000 + i * 37}`, team: teams[i % teams.length] })),
]

/** How long finding takes among 5,000 APIs with 100,000 operations, on the database server of the demo's kind. */
export async function searching(): Promise<void> {
  const url = process.env['ELM_BENCH_DATABASE']
  if (!url) throw new Error('ELM_BENCH_DATABASE is not set; run "npm run bench"')
  const { db, pool } = openDatabase(url)
  await migrateDatabase(db, 'server/db/migrations')
  const sha256 = await storeBlob(db, new TextEncoder().encode('bench'))
  const summary = {} as DefinitionSummary
  const words = new Set<string>()
  for (let start = 0; start < counts.apis; start += 250) {
    const numbers = Array.from({ length: 250 }, (_, i) => start + i)
    const titleOf = (n: number) => `${nouns[n % nouns.length]} ${verbs[n % 7]} ${n}`
    const made = await db
      .insert(apis)
      .values(
        numbers.map((n) => ({
          slug: `api-${n}`,
          title: titleOf(n),
          team: teams[n % teams.length]!,
          audience: 'partner' as const,
          lifecycle: 'active' as const,
          latestRevision: 1,
        })),
      )
      .returning({ id: apis.id })
    await db.insert(revisions).values(
      made.map(({ id }) => ({
        api: id,
        number: 1,
        version: '1.0.0',
        file: 'a.yaml',
        sha256,
        digest: sha256,
        format: 'OpenAPI 3.1',
        bytes: 5,
        summary,
        counts: { must: id % 2, should: id % 5, may: id % 9 },
        edition: 1,
        savedAt: new Date(),
        savedBy: 'bench',
      })),
    )
    const entries = made.flatMap(({ id }, i) => [
      {
        api: id,
        kind: 'api' as const,
        name: titleOf(start + i),
        text: 'What it is for, said at some length for people who look for it.',
      },
      ...Array.from({ length: counts.operations }, (_, o) => {
        const noun = nouns[(start + i + o) % nouns.length]!
        const other = nouns[(start * 7 + i + o * 3) % nouns.length]!
        return {
          api: id,
          kind: 'operation' as const,
          name: `GET /${noun}s/{${noun}Id}/${other}s`,
          text: `${verbs[o % verbs.length]}${noun}${other} ${verbs[o % verbs.length]} the ${other} of one ${noun}, number ${start + i}`,
        }
      }),
    ])
    for (let at = 0; at < entries.length; at += 1000) {
      await db.insert(searchEntries).values(
        entries.slice(at, at + 1000).map((entry) => {
          const named = wordsOf(entry.name)
          const found = wordsOf(entry.text)
          for (const word of [...named, ...found]) words.add(word)
          return {
            ...entry,
            file: 'a.yaml',
            line: 1,
            named: named.join(' '),
            words: found.join(' '),
          }
        }),
      )
    }
  }
  const list = [...words].filter((word) => word.length >= 3)
  for (let at = 0; at < list.length; at += 5000) {
    await db.insert(searchWords).values(list.slice(at, at + 5000).map((word) => ({ word })))
  }
  await db.execute(sql`ANALYZE`)
  const now = new Date()
  // A server that has just started is not what people wait for.
  for (const question of [...questions, ...questions]) await search(db, now, question)
  const times: number[] = []
  for (let round = 0; round < 3; round++) {
    for (const question of questions) {
      const started = performance.now()
      await search(db, now, question)
      times.push(performance.now() - started)
    }
  }
  times.sort((a, b) => a - b)
  const at = (share: number) => times[Math.floor(times.length * share)]!.toFixed(0)
  lines.push(
    `${'Finding among 5,000 APIs, 100,000 operations'.padEnd(52)} ${at(0.5).padStart(7)} ms   half of ${times.length} questions; ${at(0.95)} ms for 95 in 100 (at most 50)`,
  )
  await pool.end()
}
