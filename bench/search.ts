import { sql } from 'drizzle-orm'
import { teams } from '../demo/world'
import { searchEntries, searchWords } from '../server/db/schema'
import { search, wordsOf } from '../server/services/search'
import { apiCount, largeRegister, nouns, titleOf, verbs } from './estate'
import { reportWaiting } from './measure'

/** Operations of each API. */
const operationCount = 20
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
  const { db, pool, ids } = await largeRegister()
  const words = new Set<string>()
  for (let start = 0; start < apiCount; start += 250) {
    const made = ids.slice(start, start + 250)
    const entries = made.flatMap(({ api }, i) => [
      {
        apiId: api,
        kind: 'api' as const,
        name: titleOf(start + i),
        text: 'What it is for, said at some length for people who look for it.',
      },
      ...Array.from({ length: operationCount }, (_, o) => {
        const noun = nouns[(start + i + o) % nouns.length]!
        const other = nouns[(start * 7 + i + o * 3) % nouns.length]!
        return {
          apiId: api,
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
  reportWaiting('Finding among 5,000 APIs, 100,000 operations', times, 'questions', 50)
  await pool.end()
}
