import { zipSync } from 'fflate'
import { and, eq } from 'drizzle-orm'
import type { Operation, Schema } from '../../core/contract/model'
import { bodySamples, requestEnvelope } from '../../core/contract/mocks'
import type {
  BodySample,
  ConversionRequest,
  Converted,
  OperationReading,
  PartPlace,
  SchemaReading,
} from '../../shared/api/reading'
import type { Queries } from '../db/database'
import { parts } from '../db/schema'
import { findPlacement } from './apply'
import { findApi, findRevision } from './catalog'
import type { Services } from './context'
import { Failure, notFound } from './failure'
import { filesOf, loadFiles } from './files'

type Kind = 'operation' | 'webhook' | 'schema'

/** One operation or webhook by its place in the revision's list. */
export async function readOperation(
  db: Queries,
  slug: string,
  number: number,
  kind: 'operation' | 'webhook',
  position: number,
): Promise<OperationReading> {
  const { detail, ...place } = await readPart(db, slug, number, kind, position)
  return { ...place, detail: detail as Operation }
}

/** Bodies that an operation takes, from its examples or made from its schemas. */
export async function bodySamplesOf(
  db: Queries,
  slug: string,
  number: number,
  position: number,
): Promise<BodySample[]> {
  const { detail } = await readOperation(db, slug, number, 'operation', position)
  const content = detail.body?.content ?? []
  if (content.length === 0) return []
  const row = await findRevision(db, await findApi(db, slug), number)
  const named = await db
    .select({ name: parts.name, detail: parts.detail })
    .from(parts)
    .where(and(eq(parts.revisionId, row.id), eq(parts.kind, 'schema')))
  const schemas = named.map(({ name, detail: schema }) => ({ name, schema: schema as Schema }))
  const { soap = [] } = detail
  const samples =
    soap.length > 0
      ? [
          ...soap.map((binding) => requestEnvelope({ schemas }, binding, content[0]?.schema)),
          // What the REST face takes in its place.
          ...bodySamples({ schemas }, [{ ...content[0]!, type: 'application/json' }]),
        ]
      : bodySamples({ schemas }, content)
  return samples.map(({ mediaType = '', example, body = '' }) => ({
    mediaType,
    ...(example !== undefined && { example }),
    body,
  }))
}

/** One schema by its name. */
export async function readSchema(
  db: Queries,
  slug: string,
  number: number,
  name: string,
): Promise<SchemaReading> {
  const { detail, ...place } = await readPart(db, slug, number, 'schema', name)
  return { ...place, detail: detail as Schema }
}

/** What was kept of a part is what the contract had, in its own shape. */
async function readPart(
  db: Queries,
  slug: string,
  number: number,
  kind: Kind,
  which: number | string,
): Promise<PartPlace & { detail: unknown }> {
  const row = await findRevision(db, await findApi(db, slug), number)
  const [part] = await db
    .select()
    .from(parts)
    .where(
      and(
        eq(parts.revisionId, row.id),
        eq(parts.kind, kind),
        typeof which === 'number' ? eq(parts.position, which) : eq(parts.name, which),
      ),
    )
  if (!part) throw notFound(`${kind} "${which}" in revision ${number}`)
  const { operations, webhooks, schemas } = row.summary
  const list = { operation: operations, webhook: webhooks, schema: schemas }[kind]
  const entry =
    kind === 'schema' ? list.find(({ name }) => name === part.name) : list[part.position]
  return {
    name: part.name,
    file: entry?.file ?? row.file,
    line: entry?.line ?? 1,
    detail: part.detail,
  }
}

/** A revision written in another format, or as one document. */
export async function convertRevision(
  { db, examiner }: Services,
  slug: string,
  number: number,
  { to, dereference, syntax, placement }: ConversionRequest,
): Promise<Converted> {
  const api = await findApi(db, slug)
  const row = await findRevision(db, api, number)
  const placed = placement === undefined ? undefined : await findPlacement(db, placement)
  if (placed && placed.apiId !== api.id)
    throw notFound(`placement of ${api.title} called "${placement}"`)
  const files = await loadFiles(db, await filesOf(db, row.id))
  const converted = await examiner.convert(files, to, dereference ?? false, syntax, placed?.spec)
  if ('fault' in converted) throw new Failure(422, 'Not converted', converted.fault)
  const { text, ending, losses } = converted
  return { file: `${slug}-${row.version}.${ending}`.replace(/[^\w.-]+/g, '-'), text, losses }
}

/** The original files of a revision, byte for byte, in a ZIP archive. */
export async function archiveRevision(
  db: Queries,
  slug: string,
  number: number,
): Promise<{ bytes: Uint8Array; file: string }> {
  const row = await findRevision(db, await findApi(db, slug), number)
  const files = await loadFiles(db, await filesOf(db, row.id))
  const named = files.map(({ name, bytes }, i) => [archiveName(name, i), bytes] as const)
  return {
    bytes: zipSync(Object.fromEntries(named), { level: 6 }),
    file: `${slug}-${row.version}.zip`.replace(/[^\w.-]+/g, '-'),
  }
}

/** Names that lead upwards or to other hosts have no place in an archive; they keep their last part. */
function archiveName(name: string, position: number): string {
  const inside = !/^\/|^\.\.\/|\/\.\.\/|^[a-z][a-z0-9+.-]*:/i.test(name)
  const last = name.split(/[/?#]/).findLast((part) => part !== '') ?? 'file'
  return inside ? name : `beside/${position}-${last.replace(/[^\w.-]+/g, '-')}`
}
