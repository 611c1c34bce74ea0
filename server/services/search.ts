import { eq, inArray, sql } from 'drizzle-orm'
import type { SearchEntry } from '../../core/contract/search'
import type {
  Facet,
  SearchItem,
  SearchMatch,
  SearchPage,
  SearchQuery,
} from '../../shared/api/reading'
import type { Queries, Transaction } from '../db/database'
import { searchEntries, searchWords } from '../db/schema'
import { offsetOf, pageOf } from './paging'
import { cellsByApi } from './register'

type PlacedEntry = SearchEntry & { file: string; line: number }

/** Matches taken into account for one search; the ranking looks at no more. */
const mostMatches = 4000
const wordsPerEntry = 400

/** Lower-case words of a text; names in camel case and paths are taken apart. */
export function wordsOf(text: string): string[] {
  const apart = text.replace(/([a-z0-9])([A-Z])/g, '$1 $2')
  const words = `${text} ${apart === text ? '' : apart}`.toLowerCase().match(/[\p{L}\p{N}]+/gu)
  return words ?? []
}

/** Replaces what can be found of an API: always its newest revision. */
export async function indexApi(
  tx: Transaction,
  api: number,
  entries: PlacedEntry[],
): Promise<void> {
  await tx.delete(searchEntries).where(eq(searchEntries.api, api))
  const vocabulary = new Set<string>()
  const rows = entries.map(({ kind, name, text, file, line }) => {
    const words = [...wordsOf(name), ...wordsOf(text)].slice(0, wordsPerEntry)
    for (const word of words) if (word.length >= 3 && word.length <= 40) vocabulary.add(word)
    return { api, kind, name, text, file, line, words: words.join(' ') }
  })
  for (let i = 0; i < rows.length; i += 1000) {
    await tx.insert(searchEntries).values(rows.slice(i, i + 1000))
  }
  const list = [...vocabulary].sort()
  for (let i = 0; i < list.length; i += 5000) {
    await tx
      .insert(searchWords)
      .values(list.slice(i, i + 5000).map((word) => ({ word })))
      .onConflictDoNothing()
  }
}

interface Terms {
  /** A tsquery: every word asked for, begun or mended. */
  query: string
  corrected: string[]
}

/** The words of a question as a tsquery; a word that nothing begins with is mended to its nearest ones. */
async function termsOf(db: Queries, question: string): Promise<Terms | undefined> {
  const words = [...new Set(question.toLowerCase().match(/[\p{L}\p{N}]+/gu) ?? [])].slice(0, 12)
  if (words.length === 0) return undefined
  const corrected: string[] = []
  const parts: string[] = []
  for (const word of words) {
    const begun = await db
      .select({ word: searchWords.word })
      .from(searchWords)
      .where(sql`${searchWords.word} ^@ ${word}`)
      .limit(1)
    if (begun.length > 0 || word.length < 4) {
      parts.push(`${word}:*`)
      continue
    }
    const near = await db
      .select({ word: searchWords.word })
      .from(searchWords)
      .where(sql`${searchWords.word} % ${word}`)
      .orderBy(sql`similarity(${searchWords.word}, ${word}) desc`, sql`length(${searchWords.word})`)
      .limit(3)
    if (near.length === 0) return { query: '', corrected: [] }
    corrected.push(near[0]!.word)
    parts.push(`(${near.map((candidate) => `${candidate.word}:*`).join(' | ')})`)
  }
  return { query: parts.join(' & '), corrected }
}

interface Match extends SearchMatch {
  api: number
  rank: number
}

const kindRank = sql`case ${searchEntries.kind} when 'api' then 4 when 'operation' then 2 when 'schema' then 1.5 when 'tag' then 1.2 else 1 end`

async function matchesOf(db: Queries, query: string): Promise<Match[]> {
  const question = sql`to_tsquery('simple', ${query})`
  const inner = db
    .select({
      api: searchEntries.api,
      kind: searchEntries.kind,
      name: searchEntries.name,
      words: sql<string>`left(${searchEntries.text}, 400)`.as('start'),
      file: searchEntries.file,
      line: searchEntries.line,
      rank: sql<number>`ts_rank(${searchEntries.vector}, ${question}) * ${kindRank} * case when to_tsvector('simple', ${searchEntries.name}) @@ ${question} then 3 else 1 end`.as(
        'rank',
      ),
    })
    .from(searchEntries)
    .where(sql`${searchEntries.vector} @@ ${question}`)
    .limit(mostMatches)
  return inner
}

/** The words around the first of the words that were found. */
function snippet(text: string, query: string): string {
  const wanted = query.match(/[\p{L}\p{N}]+/gu) ?? []
  const lower = text.toLowerCase()
  const at =
    wanted
      .map((word) => lower.indexOf(word))
      .filter((i) => i >= 0)
      .sort((a, b) => a - b)[0] ?? 0
  const start = Math.max(0, text.lastIndexOf(' ', Math.max(0, at - 50)) + 1)
  const cut = text.slice(start, start + 160)
  return `${start > 0 ? '… ' : ''}${cut}${start + 160 < text.length ? ' …' : ''}`
}

interface ApiFacts {
  id: number
  api: string
  title: string
  team: string
  audience: SearchQuery['audience']
  lifecycle: SearchItem['lifecycle']
  format: string
  version: string
  revision: number
  must: number
  should: number
  may: number
  tags: string[]
  stages: string[]
  step: string
}

async function factsOf(db: Queries, now: Date, ids: number[] | undefined): Promise<ApiFacts[]> {
  if (ids?.length === 0) return []
  const rows = await db.execute<Omit<ApiFacts, 'stages' | 'step'>>(sql`
    select a.id, a.slug as api, a.title, a.team, a.audience, a.lifecycle, r.format, r.version, r.number as revision,
      (r.counts ->> 'must')::int as must, (r.counts ->> 'should')::int as should, (r.counts ->> 'may')::int as may,
      a.labels || coalesce((select array_agg(s.name) from search_entries s where s.api = a.id and s.kind = 'tag'), '{}') as tags
    from apis a join revisions r on r.api = a.id and r.number = a.latest_revision
    ${ids ? sql`where ${inArray(sql`a.id`, ids)}` : sql``}
    order by a.title limit 5000`)
  const cells = await cellsByApi(db, now)
  return rows.rows.map((row) => {
    const own = cells.get(row.id) ?? []
    const marks = own.map((cell) => cell.mark)
    const step =
      own.length === 0
        ? 'not-placed'
        : ((['differs', 'unseen'] as const).find((mark) => marks.includes(mark)) ?? 'in-step')
    return { ...row, stages: own.map((cell) => cell.stage), step }
  })
}

type FacetName = Exclude<keyof SearchQuery, 'q' | 'limit' | 'cursor'>

/** The values a facet gives an API. */
const facetValues: Record<FacetName, (facts: ApiFacts) => string[]> = {
  team: ({ team }) => [team],
  format: ({ format }) => [format],
  audience: ({ audience }) => [audience ?? ''],
  lifecycle: ({ lifecycle }) => [lifecycle],
  stage: ({ stages }) => stages,
  tag: ({ tags }) => tags,
  level: ({ must, should, may }) => {
    const levels = [must > 0 && 'MUST', should > 0 && 'SHOULD', may > 0 && 'MAY'].filter(
      (level) => level !== false,
    )
    return levels.length > 0 ? levels : ['none']
  },
  step: ({ step }) => [step],
}

const facetNames = Object.keys(facetValues) as FacetName[]

const passes = (facts: ApiFacts, query: SearchQuery, except?: FacetName) =>
  facetNames.every((name) => {
    const wanted = query[name]
    return name === except || wanted === undefined || facetValues[name](facts).includes(wanted)
  })

/** Counts of a facet among the APIs that all other facets let through. */
function facetOf(name: FacetName, all: ApiFacts[], query: SearchQuery): Facet {
  const counts = new Map<string, number>()
  for (const facts of all) {
    if (!passes(facts, query, name)) continue
    for (const value of new Set(facetValues[name](facts)))
      counts.set(value, (counts.get(value) ?? 0) + 1)
  }
  const values = [...counts].map(([value, count]) => ({ value, count }))
  return {
    name,
    values: values.sort((a, b) => b.count - a.count || a.value.localeCompare(b.value)).slice(0, 40),
  }
}

/** Finds APIs by words in what they say, with the places where they say it, and by facets. */
export async function search(db: Queries, now: Date, query: SearchQuery): Promise<SearchPage> {
  const limit = query.limit ?? 50
  const offset = offsetOf(query)
  const terms = await termsOf(db, query.q ?? '')
  const matches = terms === undefined || terms.query === '' ? [] : await matchesOf(db, terms.query)
  const byApi = new Map<number, Match[]>()
  for (const match of matches) {
    const list = byApi.get(match.api)
    if (list) list.push(match)
    else byApi.set(match.api, [match])
  }
  const all = await factsOf(db, now, terms === undefined ? undefined : [...byApi.keys()])
  const passed = all.filter((facts) => passes(facts, query))
  const score = (id: number) => Math.max(0, ...(byApi.get(id) ?? []).map((match) => match.rank))
  const ranked = passed
    .map((facts) => ({ facts, rank: score(facts.id) }))
    .sort((a, b) => b.rank - a.rank)
  const items = ranked
    .slice(offset, offset + limit + 1)
    .map(({ facts }) => itemOf(facts, byApi.get(facts.id) ?? [], terms?.query ?? ''))
  return {
    ...pageOf(items, limit, offset),
    total: passed.length,
    facets: facetNames.map((name) => facetOf(name, all, query)),
    corrected: terms?.corrected ?? [],
  }
}

function itemOf(facts: ApiFacts, matches: Match[], query: string): SearchItem {
  const { api, title, team, format, version, revision, lifecycle } = facts
  const best = [...matches].sort((a, b) => b.rank - a.rank).slice(0, 6)
  return {
    api,
    title,
    team,
    format,
    version,
    revision,
    lifecycle,
    places: matches.length,
    matches: best.map(({ kind, name, words, file, line }) => ({
      kind,
      name,
      words: snippet(words, query),
      file,
      line,
    })),
  }
}
