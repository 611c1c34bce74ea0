import { and, asc, inArray, ne } from 'drizzle-orm'
import { convert } from '../../core/formats/convert'
import { bundleWsdl } from '../../core/formats/wsdl/bundle'
import { mockAnswers, type MockAnswer } from '../../core/contract/mocks'
import type { Contract, NamedSchema, Operation, Schema } from '../../core/contract/model'
import { describe } from '../../core/runtime/described'
import {
  operationKey,
  rowName,
  type KeyDigest,
  type PlacementFacts,
} from '../../core/runtime/placement'
import { isOff } from '../../core/runtime/policies'
import { sooner, toldBy, type LifecycleFacts } from '../../core/runtime/lifecycle'
import { compilePlacement } from '../../core/runtime/compile'
import { type Resource } from '../../core/runtime/resources'
import { faceContract, faceOf } from '../../core/runtime/rest-face'
import { scopesByOperation } from '../../core/runtime/security'
import type { Queries } from '../db/database'
import { apis, keys, parts, placements, revisions } from '../db/schema'
import { filesOf, loadFiles } from './files'
import { deprecatedSince } from './known'
import { readingOf } from '../jobs/analysis'
import { Scopes } from './scopes'

export type PlacementRow = typeof placements.$inferSelect

/** What the ledger says of a placement. */
export const described = ({ version, stage, group, spec, ending }: PlacementRow) => ({
  version,
  stage,
  group,
  spec,
  ...(ending && { ending }),
})

/** Compiling for one gateway, and with scopes as somebody would have them. */
export interface Compiling {
  /** The gateway; none in particular where absent. */
  member?: string
  scopes?: Scopes
  /** In a hundred callers, so many get it beside what stands there; all where absent. */
  percent?: number
}

/** The resources that would make a gateway do exactly what a placement says. */
export async function compiled(
  db: Queries,
  placement: PlacementRow,
  compiling: Compiling = {},
): Promise<Resource[]> {
  const [resources] = await compiledAll(db, [placement], compiling)
  return resources!
}

/** The same for many placements, in their order, in so many queries as one takes. */
export async function compiledAll(
  db: Queries,
  rows: readonly PlacementRow[],
  { member, scopes, percent }: Compiling = {},
): Promise<Resource[][]> {
  if (rows.length === 0) return []
  const around = scopes ?? (await Scopes.read(db))
  const found = await db
    .select({ id: revisions.id, number: revisions.number, summary: revisions.summary })
    .from(revisions)
    .where(inArray(revisions.id, [...new Set(rows.map(({ revisionId }) => revisionId))]))
  const summaries = new Map(found.map((revision) => [revision.id, factsOf(revision)]))
  const issued = await issuedKeys(db, rows)
  const details = await detailsOf(db, rows, around)
  const lifecycles = await lifecyclesOf(db, rows)
  const titles = new Map(found.map(({ id, summary }) => [id, summary.title]))
  const documents = await wsdlsOf(
    db,
    found.filter(({ summary }) => summary.operations.some(({ calls }) => calls?.length)),
  )
  const mocked = new Set(rows.filter(hasMocks).map(({ revisionId }) => revisionId))
  const mocks = new Map([...mocked].map((id) => [id, mocksOf(details.get(id)!)]))
  return rows.map((placement) => {
    const definition = details.get(placement.revisionId)
    const wsdl = documents.get(placement.revisionId)
    const said =
      definition && holdsAgainst(placement, around) && describedFor(placement, definition)
    return compilePlacement(placement.spec, {
      ...(percent === undefined
        ? { name: placement.id }
        : { name: `${placement.id}-next`, portion: { of: placement.id, percent } }),
      gateway: placement.group,
      ...(member !== undefined && { member }),
      outer: around.around(placement),
      version: placement.version,
      ...summaries.get(placement.revisionId)!,
      keys: issued.get(placement.id) ?? [],
      mocks: placement.spec.face
        ? mocksOf(facedBy(definition!))
        : (mocks.get(placement.revisionId) ?? new Map<string, MockAnswer[]>()),
      ...(placement.spec.face && { face: faceFor(placement, definition!, titles) }),
      lifecycle: sooner(lifecycles.get(placement.apiId)!, placement.ending),
      ...(wsdl && { wsdl }),
      ...(said && { described: () => said }),
    })
  })
}

/** What compiling has to know of a revision. */
const factsOf = ({
  number,
  summary,
}: Pick<typeof revisions.$inferSelect, 'number' | 'summary'>) => ({
  revision: number,
  scopes: scopesByOperation(summary),
  soap: new Map(
    summary.operations.flatMap((operation) =>
      operation.calls?.length ? [[operationKey(operation), operation.calls] as const] : [],
    ),
  ),
})

/** The keys that open each placement. */
async function issuedKeys(db: Queries, rows: readonly PlacementRow[]) {
  const ids = rows.map(({ id }) => id)
  const found = await db
    .select({ placement: keys.placementId, name: keys.name, sha256: keys.sha256 })
    .from(keys)
    .where(and(inArray(keys.placementId, ids), ne(keys.state, 'withdrawing')))
    .orderBy(asc(keys.name))
  const issued = new Map<string, KeyDigest[]>()
  for (const { placement, ...key } of found)
    issued.set(placement, [...(issued.get(placement) ?? []), key])
  return issued
}

/** What the register says of the end of each API and of its operations. */
async function lifecyclesOf(db: Queries, rows: readonly PlacementRow[]) {
  const ids = [...new Set(rows.map(({ apiId }) => apiId))]
  const found = await db
    .select({
      id: apis.id,
      latest: apis.latestNumber,
      lifecycle: apis.lifecycle,
      deprecatedOn: apis.deprecatedOn,
      sunset: apis.sunset,
      links: apis.links,
    })
    .from(apis)
    .where(inArray(apis.id, ids))
  const since = await deprecations(db, found)
  return new Map(
    found.map(({ id, ...api }): [number, LifecycleFacts] => [
      id,
      { ...toldBy(api), operations: since.get(id)! },
    ]),
  )
}

/** What was found of each API at its newest revision: looking through all of them takes its time. */
const known = new Map<number, { latest: number; since: ReadonlyMap<string, string> }>()

/** Since which day the operations of some APIs are deprecated, by API and operation. */
async function deprecations(db: Queries, found: readonly { id: number; latest: number }[]) {
  const changed = found.filter(({ id, latest }) => known.get(id)?.latest !== latest)
  if (changed.length > 0) {
    const rows = await deprecatedSince(
      db,
      changed.map(({ id }) => id),
    )
    for (const { id, latest } of changed) {
      const own = rows.filter(({ api }) => api === id)
      const since = new Map(own.map((operation) => [operationKey(operation), operation.since]))
      known.set(id, { latest, since })
    }
  }
  return new Map(found.map(({ id }) => [id, known.get(id)!.since]))
}

/** The parts of the revisions whose definition has to be known: some policy asks it, or a mock answers from it. */
async function detailsOf(db: Queries, rows: readonly PlacementRow[], scopes: Scopes) {
  const asked = rows.filter(
    (row) => holdsAgainst(row, scopes) || hasMocks(row) || row.spec.face !== undefined,
  )
  return partsOf(
    db,
    asked.map(({ revisionId }) => revisionId),
  )
}

/** The operations and schemas of some revisions, as their definitions have them. */
export async function partsOf(
  db: Queries,
  revisionIds: readonly number[],
): Promise<Map<number, Details>> {
  const ids = [...new Set(revisionIds)]
  const details = new Map(ids.map((id): [number, Details] => [id, { operations: [], schemas: [] }]))
  if (ids.length === 0) return details
  const found = await db
    .select({
      revisionId: parts.revisionId,
      kind: parts.kind,
      name: parts.name,
      detail: parts.detail,
    })
    .from(parts)
    .where(and(inArray(parts.revisionId, ids), ne(parts.kind, 'webhook')))
    .orderBy(asc(parts.revisionId), asc(parts.position))
  for (const { revisionId, kind, name, detail } of found) {
    const { operations, schemas } = details.get(revisionId)!
    if (kind === 'operation') operations.push(detail as Operation)
    else if (kind === 'schema')
      schemas.push({ name, schema: detail as Schema, declared: true, at: '' })
  }
  return details
}

/** Documents by revision: a revision never changes, and reading one again would cost much. */
const wsdls = new Map<number, (address: string) => string>()
const mostWsdls = 100

/** The WSDL of some revisions, with services at an address. */
async function wsdlsOf(db: Queries, found: readonly { id: number }[]) {
  if (wsdls.size > mostWsdls) wsdls.clear()
  for (const { id } of found) {
    if (wsdls.has(id)) continue
    const reading = readingOf(await loadFiles(db, await filesOf(db, id)))
    const source = reading?.documents.get()?.reading
    if (reading && source?.readable && source.syntax === 'xml')
      wsdls.set(id, (address) => bundleWsdl(reading.documents, source.root, address))
  }
  return wsdls
}

export interface Details {
  operations: Operation[]
  schemas: NamedSchema[]
}

const keyOf = ({ method, path }: Operation) => operationKey({ method: method.toUpperCase(), path })

const holdsAgainst = (row: PlacementRow, scopes: Scopes) =>
  [...scopes.around(row), row.spec, ...row.spec.routes].some(
    ({ policies }) => policies?.contract && !isOff(policies.contract),
  )

const hasMocks = ({ spec }: PlacementRow) =>
  spec.routes.some(({ treatment }) => treatment.kind === 'mock')

/** What the definition says of a placement's rows. */
function describedFor({ spec }: PlacementRow, { operations, schemas }: Details) {
  const named = new Map(spec.routes.map((row) => [operationKey(row), rowName(row)]))
  return describe(
    operations.flatMap((operation) => {
      const row = named.get(keyOf(operation))
      return row === undefined ? [] : [{ row, operation }]
    }),
    { schemas },
  )
}

/** A contract of no more than its operations and schemas. */
const contractOf = (details: Details, title = '', version = ''): Contract => ({
  ...{ format: { name: 'WSDL', version: '' }, title, version, ...details },
  ...{ servers: [], tags: [], paths: [], webhooks: [], securitySchemes: [] },
})

/** Operations of SOAP as their REST face has them. */
const facedBy = (details: Details): Details => faceContract(contractOf(details), '')

/** The REST face of a placement: how messages are translated, and the definition of what is served. */
function faceFor(
  { spec, version, revisionId }: PlacementRow,
  details: Details,
  titles: ReadonlyMap<number, string>,
): NonNullable<PlacementFacts['face']> {
  const served = new Map(
    spec.routes
      .filter(({ treatment }) => treatment.kind === 'route' || treatment.kind === 'mock')
      .map((row) => [operationKey(row), rowName(row)]),
  )
  const rows = details.operations.flatMap((operation) => {
    const row = served.get(keyOf(operation))
    return row === undefined ? [] : [{ row, operation }]
  })
  return {
    calls: () => faceOf(rows, details),
    document(address) {
      const operations = rows.map(({ operation }) => operation)
      const whole = contractOf({ ...details, operations }, titles.get(revisionId), version)
      return convert(faceContract(whole, address), 'openapi-3.1', 'bundle', 'json').text
    },
  }
}

/** What mocks of a revision answer, by operation; each is worked out when it is asked for. */
function mocksOf({ operations, schemas }: Details): PlacementFacts['mocks'] {
  const contract = { schemas }
  const byKey = new Map(operations.map((operation) => [keyOf(operation), operation]))
  const worked = new Map<string, MockAnswer[]>()
  return {
    get(key) {
      const operation = byKey.get(key)
      if (operation && !worked.has(key)) worked.set(key, mockAnswers(contract, operation))
      return worked.get(key)
    },
  }
}
