import { eq, inArray, sql, type SQL } from 'drizzle-orm'
import { wordPattern, type SearchEntry } from '../../core/contract/search'
import type {
  Facet,
  SearchItem,
  SearchMatch,
  SearchPage,
  SearchQuery,
} from '../../shared/api/reading'
import { insertMany } from '../db/bulk'
import type { Database, Queries, Transaction } from '../db/database'
import { apis, searchEntries, searchWords } from '../db/schema'
import { offsetOf, pageOf } from './paging'
import { cellsByApi } from './register'

type PlacedEntry = SearchEntry & { file: string; line: number }

/** Matches taken into account for one search: APIs by what they say of themselves, and everything inside of them. */
const mostAbout = 300
const mostInside = 500
const wordsPerEntry = 400

/** Lower-case words of a text; names in camel case and paths are taken apart. */
export function wordsOf(text: string): string[] {
  const apart = text.replace(/([a-z0-9])([A-Z])/g, '$1 $2')
  const words = `${text} ${apart === text ? '' : apart}`.toLowerCase().match(wordPattern)
  return words ?? []
}

/** Replaces what can be found of an API: always its newest revision. */
export async function indexApi(
  tx: Transaction,
  api: number,
  entries: PlacedEntry[],
): Promise<void> {
  await tx.delete(searchEntries).where(eq(searchEntries.apiId, api))
  const vocabulary = new Set<string>()
  const rows = entries.map(({ kind, name, text, file, line }) => {
    const named = wordsOf(name)
    const words = wordsOf(text).slice(0, wordsPerEntry)
    for (const word of [...named, ...words]) {
      if (word.length >= 3 && word.length <= 40) vocabulary.add(word)
    }
    return {
      apiId: api,
      kind,
      name,
      text,
      file,
      line,
      named: named.join(' '),
      words: words.join(' '),
    }
  })
  await insertMany(tx, searchEntries, rows)
  // In one order, so that two at the same time do not wait for each other.
  const words = [...vocabulary].sort().map((word) => ({ word }))
  await insertMany(tx, searchWords, words, { skipsKnown: true })
}

interface Terms {
  /** A tsquery: every word asked for, begun or corrected. */
  query: string
  corrected: string[]
}

/** The words of a question as a tsquery; a word that nothing begins with is corrected to its nearest ones. */
async function termsOf(db: Queries, question: string): Promise<Terms | undefined> {
  const words = [...new Set(question.toLowerCase().match(wordPattern) ?? [])].slice(0, 12)
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
    // A word that stands in confidential APIs alone is not suggested to those who may not see them.
    const near = await db
      .select({ word: searchWords.word })
      .from(searchWords)
      .where(
        sql`${searchWords.word} % ${word} and exists (select 1 from ${searchEntries} e join ${apis} a on a.id = e.api_id
          where e.vector @@ to_tsquery('simple', quote_literal(${searchWords.word})))`,
      )
      .orderBy(sql`similarity(${searchWords.word}, ${word}) desc`, sql`length(${searchWords.word})`)
      .limit(3)
    if (near.length === 0) return { query: '', corrected: [] }
    corrected.push(near[0]!.word)
    parts.push(`(${near.map((candidate) => `${candidate.word}:*`).join(' | ')})`)
  }
  return { query: parts.join(' & '), corrected }
}

interface Match {
  id: number
  api: number
  rank: number
}

/** The matches of a question, without their texts: which entry, of which API, how well. */
async function matchesOf(db: Database, query: string): Promise<Match[]> {
  const part = (about: SQL, most: number) => sql`
    (select id, api_id, kind, vector from search_entries
      where vector @@ to_tsquery('simple', ${query}) and ${about} limit ${most})`
  // One JSON value is read several times faster than as many rows.
  const asked = sql`
    select json_agg(json_build_array(id, api_id, ts_rank('{0.1, 0.2, 0.4, 1}', vector, to_tsquery('simple', ${query}))
      * case kind when 'api' then 4 when 'operation' then 2 when 'schema' then 1.5 else 1 end)) as found
    from (${part(sql`kind = 'api'`, mostAbout)} union all ${part(sql`kind <> 'api'`, mostInside)}) as found`
  const { rows } = await db.transaction(async (tx) => {
    // The planner takes words to be independent, expects many matches of two, and would read the whole table for them.
    await tx.execute(sql`set local enable_seqscan = off`)
    return tx.execute<{ found: [id: number, api: number, rank: number][] | null }>(asked)
  })
  return (rows[0]?.found ?? []).map(([id, api, rank]) => ({ id, api, rank }))
}

/** The entries to be shown, by their identifiers. */
async function entriesOf(db: Queries, ids: number[]): Promise<Map<number, SearchMatch>> {
  if (ids.length === 0) return new Map()
  const rows = await db
    .select({
      id: searchEntries.id,
      kind: searchEntries.kind,
      name: searchEntries.name,
      words: sql<string>`left(${searchEntries.text}, 1000)`,
      file: searchEntries.file,
      line: searchEntries.line,
    })
    .from(searchEntries)
    .where(inArray(searchEntries.id, ids))
  return new Map(rows.map(({ id, ...entry }) => [id, entry]))
}

/** The words around the first of the words that were found. */
function snippet(text: string, query: string): string {
  const wanted = query.match(wordPattern) ?? []
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

type Row = Omit<ApiFacts, 'stages' | 'step'>

/** In the order of the query's values. */
const factNames = [
  'id',
  'api',
  'title',
  'team',
  'audience',
  'lifecycle',
  'format',
  'version',
  'revision',
  'must',
  'should',
  'may',
  'tags',
] satisfies (keyof Row)[]

async function factsOf(db: Queries, now: Date, ids: number[] | undefined): Promise<ApiFacts[]> {
  if (ids?.length === 0) return []
  // Lists of values are made and read in half the time of objects.
  const asked = db.execute<{ found: unknown[][] | null }>(sql`
    select json_agg(json_build_array(a.id, a.slug, a.title, t.name, a.audience, a.lifecycle, r.format, r.version, r.number,
      (r.counts -> 'must')::int, (r.counts -> 'should')::int, (r.counts -> 'may')::int, a.labels || r.tags)) as found
    from (select * from apis ${ids ? sql`where id = any(${sql.param(ids)}::int[])` : sql`order by title limit 5000`}) a
    join revisions r on r.api_id = a.id and r.number = a.latest_number join teams t on t.id = a.team_id`)
  const [{ rows }, cells] = await Promise.all([asked, cellsByApi(db, now, ids)])
  return (rows[0]?.found ?? []).map((values) => {
    const row = Object.fromEntries(factNames.map((name, i) => [name, values[i]])) as unknown as Row
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

/** The filters that are set, but for one. */
const filtersOf = (query: SearchQuery, except?: FacetName) =>
  facetNames.filter((name) => name !== except && query[name] !== undefined)

const passes = (facts: ApiFacts, query: SearchQuery, filters: FacetName[]) =>
  filters.every((name) => facetValues[name](facts).includes(query[name]!))

/** Counts of a facet among the APIs that all other facets let through. */
function facetOf(name: FacetName, all: ApiFacts[], query: SearchQuery): Facet {
  const counts = new Map<string, number>()
  const filters = filtersOf(query, name)
  for (const facts of all) {
    if (!passes(facts, query, filters)) continue
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
export async function search(db: Database, now: Date, query: SearchQuery): Promise<SearchPage> {
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
  const filters = filtersOf(query)
  const passed = all.filter((facts) => passes(facts, query, filters))
  const score = (id: number) => Math.max(0, ...(byApi.get(id) ?? []).map((match) => match.rank))
  const ranked = passed
    .map((facts) => ({ facts, rank: score(facts.id) }))
    .sort((a, b) => b.rank - a.rank || (a.facts.title < b.facts.title ? -1 : 1))
  const page = ranked.slice(offset, offset + limit + 1).map(({ facts }) => facts)
  const best = new Map(
    page.map(({ id }) => [
      id,
      [...(byApi.get(id) ?? [])].sort((a, b) => b.rank - a.rank).slice(0, 6),
    ]),
  )
  const entries = await entriesOf(
    db,
    [...best.values()].flatMap((list) => list.map(({ id }) => id)),
  )
  const items = page.map((facts): SearchItem => {
    const { api, title, team, format, version, revision, lifecycle } = facts
    const matches = best.get(facts.id)!.flatMap(({ id }) => entries.get(id) ?? [])
    return {
      api,
      title,
      team,
      format,
      version,
      revision,
      lifecycle,
      places: byApi.get(facts.id)?.length ?? 0,
      matches: matches.map((match) => ({
        ...match,
        words: snippet(match.words, terms?.query ?? ''),
      })),
    }
  })
  return {
    ...pageOf(items, limit, offset),
    total: passed.length,
    more: matches.length >= mostInside,
    facets: facetNames.map((name) => facetOf(name, all, query)),
    corrected: terms?.corrected ?? [],
  }
}
