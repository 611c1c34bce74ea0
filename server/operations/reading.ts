import { PageQuery } from '../../shared/api/catalog'
import {
  BodySample,
  ConversionRequest,
  Converted,
  OperationReading,
  SchemaReading,
  SearchPage,
  SearchQuery,
} from '../../shared/api/reading'
import { ok, operation, type Operation } from '../http/operation'
import { numberIn } from '../http/validate'
import {
  archiveRevision,
  bodySamplesOf,
  convertRevision,
  readOperation,
  readSchema,
} from '../services/reading'
import { pageFrom } from '../services/paging'
import { search } from '../services/search'

export const readingOperations: Operation[] = [
  operation<undefined, SearchQuery>({
    id: 'listMatches',
    usual: 50,
    method: 'GET',
    path: '/search',
    tag: 'Register',
    summary: 'Find APIs by what they say, with the places where they say it',
    description:
      'Looks through names, descriptions, operations, paths, schemas, tags and extensions of newest revisions. A mistyped word is corrected.',
    query: SearchQuery,
    success: { status: 200, says: 'A page of matches with facets', body: SearchPage },
    handle: ({ query }, { db, now }) => ok(search(db, now(), query)),
  }),
  operation({
    id: 'getOperation',
    method: 'GET',
    path: '/apis/{api}/revisions/{revision}/operations/{operation}',
    tag: 'Definitions',
    summary: 'Read one operation of a revision by its place in the list, from 0',
    success: { status: 200, says: 'The operation', body: OperationReading },
    handle: ({ params }, { db }) =>
      ok(
        readOperation(
          db,
          params['api']!,
          numberIn(params, 'revision'),
          'operation',
          numberIn(params, 'operation'),
        ),
      ),
  }),
  operation({
    id: 'getWebhook',
    method: 'GET',
    path: '/apis/{api}/revisions/{revision}/webhooks/{webhook}',
    tag: 'Definitions',
    summary: 'Read one webhook of a revision by its place in the list, from 0',
    success: { status: 200, says: 'The webhook', body: OperationReading },
    handle: ({ params }, { db }) =>
      ok(
        readOperation(
          db,
          params['api']!,
          numberIn(params, 'revision'),
          'webhook',
          numberIn(params, 'webhook'),
        ),
      ),
  }),
  operation({
    id: 'getSchema',
    method: 'GET',
    path: '/apis/{api}/revisions/{revision}/schemas/{schema}',
    tag: 'Definitions',
    summary: 'Read one named schema of a revision',
    success: { status: 200, says: 'The schema in JSON Schema 2020-12', body: SchemaReading },
    handle: ({ params }, { db }) =>
      ok(readSchema(db, params['api']!, numberIn(params, 'revision'), params['schema']!)),
  }),
  operation<undefined, PageQuery>({
    id: 'listBodySamples',
    usual: 100,
    method: 'GET',
    path: '/apis/{api}/revisions/{revision}/operations/{operation}/body-samples',
    tag: 'Definitions',
    summary: 'Read bodies that an operation would take',
    query: PageQuery,
    success: {
      status: 200,
      says: 'Its examples, or one made from each schema',
      page: BodySample,
    },
    async handle({ params, query }, { db }) {
      const { api = '' } = params
      const at = numberIn(params, 'revision')
      const samples = await bodySamplesOf(db, api, at, numberIn(params, 'operation'))
      return ok(pageFrom(samples, query, 100))
    },
  }),
  operation<ConversionRequest>({
    id: 'convertRevision',
    method: 'POST',
    path: '/apis/{api}/revisions/{revision}/conversions',
    tag: 'Definitions',
    summary: 'Write a revision as one document, in its own or another format',
    body: ConversionRequest,
    success: { status: 200, says: 'The document, and what it could not hold', body: Converted },
    errors: [422],
    handle: ({ params, body }, context) =>
      ok(convertRevision(context, params['api']!, numberIn(params, 'revision'), body)),
  }),
  operation({
    id: 'getArchive',
    method: 'GET',
    path: '/apis/{api}/revisions/{revision}/archive',
    tag: 'Definitions',
    summary: 'Read the original files of a revision as a ZIP',
    success: { status: 200, says: 'The archive', mediaType: 'application/zip', example: 'PK' },
    async handle({ params }, { db }) {
      const { bytes, file } = await archiveRevision(
        db,
        params['api']!,
        numberIn(params, 'revision'),
      )
      return {
        body: Buffer.from(bytes),
        headers: {
          'X-Content-Type-Options': 'nosniff',
          'Content-Disposition': `attachment; filename="${file}"`,
        },
      }
    },
  }),
]
