import { sql } from 'drizzle-orm'
import { levels } from '../core/rules/model'
import { insertMany } from '../server/db/bulk'
import type { Database } from '../server/db/database'
import { findings, tallies } from '../server/db/schema'
import { listFindings, readEstate } from '../server/services/findings'
import { cursorAt } from '../server/services/paging'
import { readRegister } from '../server/services/register'
import { largeRegister } from './estate'
import { reportWaiting } from './measure'

/** Findings of each API, and the rules they break in turn. */
const findingCount = 100
const ruleCount = 40

const ruleOf = (n: number) => `rule-${n % ruleCount}`

async function breakRules(db: Database, ids: { api: number; revision: number }[]): Promise<void> {
  const at = new Date()
  const each = Array.from({ length: findingCount }, (_, n) => n)
  const rules: Record<string, number> = {}
  for (const n of each) rules[ruleOf(n)] = (rules[ruleOf(n)] ?? 0) + 1
  const counts = { must: 34, should: 33, may: 33, waived: 0, accepted: 0 }
  await db.transaction(async (tx) => {
    for (let start = 0; start < ids.length; start += 100) {
      const some = ids.slice(start, start + 100)
      await insertMany(
        tx,
        findings,
        some.flatMap(({ revision }, i) =>
          each.map((n) => ({
            revisionId: revision,
            rule: ruleOf(n),
            level: levels[n % 3]!,
            message: `What breaks rule ${n}`,
            at: `/paths/${n}`,
            file: '',
            line: n,
            column: 1,
            endLine: n,
            endColumn: 9,
            key: `${ruleOf(n)}: ${n}`,
            operation: '',
            // Each API was checked at a moment of its own.
            firstSeen: new Date(at.getTime() - (start + i) * 1000),
            status: 'open' as const,
          })),
        ),
      )
      await insertMany(
        tx,
        tallies,
        some.map(({ api }) => ({
          at,
          apiId: api,
          revisionNumber: 1,
          edition: 1,
          ...counts,
          rules,
        })),
      )
    }
  })
  await db.execute(sql`ANALYZE`)
}

/** How long lists take in a register of 5,000 APIs with half a million findings. */
export async function register(): Promise<void> {
  const { db, pool, ids } = await largeRegister()
  await breakRules(db, ids)
  const measured = async (what: string, most: number, asked: (() => Promise<unknown>)[]) => {
    for (const ask of asked) await ask()
    const times: number[] = []
    for (let round = 0; round < 7; round++) {
      for (const ask of asked) {
        const started = performance.now()
        await ask()
        times.push(performance.now() - started)
      }
    }
    reportWaiting(what, times, 'pages', most)
  }
  const page = { limit: 200, status: 'open' as const }
  await measured('Findings of 5,000 APIs, 500,000 in all', 150, [
    () => listFindings(db, page),
    () => listFindings(db, { ...page, first: 'oldest' }),
    () => listFindings(db, { ...page, rule: ruleOf(7) }),
    () => listFindings(db, { ...page, team: 'Metering', level: 'SHOULD' }),
  ])
  await measured('A thousand rows of the register', 150, [
    () => readRegister(db, new Date(), { limit: 1000, cursor: cursorAt(2000) }),
  ])
  await measured('Rules by APIs, for the whole estate', 500, [() => readEstate(db)])
  await pool.end()
}
