import { PageQuery } from '../../shared/api/catalog'
import {
  EvidenceSourceItem,
  EvidenceSourceRequest,
  IssuedEvidenceSource,
  OutsideResultItem,
  OutsideResultQuery,
  OutsideResultTaken,
} from '../../shared/api/outside'
import { done, ok, operation, type Operation } from '../http/operation'
import * as outside from '../services/outside'

export const outsideOperations: Operation[] = [
  operation<undefined, PageQuery>({
    id: 'listEvidenceSources',
    method: 'GET',
    path: '/evidence-sources',
    tag: 'Pipelines',
    summary: 'List who may post results from outside',
    query: PageQuery,
    success: { status: 200, says: 'A page of sources', page: EvidenceSourceItem },
    handle: ({ query }, { db }) => ok(outside.listSources(db, query)),
  }),
  operation<EvidenceSourceRequest>({
    id: 'createEvidenceSource',
    method: 'POST',
    path: '/evidence-sources',
    tag: 'Pipelines',
    summary: 'Let a build or another program post results, signed with a secret of its own',
    body: EvidenceSourceRequest,
    success: { status: 201, says: 'The source, with its secret', body: IssuedEvidenceSource },
    errors: [403, 409],
    handle: ({ body }, context) => ok(outside.createSource(context, body)),
  }),
  operation({
    id: 'removeEvidenceSource',
    method: 'DELETE',
    path: '/evidence-sources/{source}',
    tag: 'Pipelines',
    summary: 'Believe a source no more',
    success: { status: 204, says: 'It is gone, with what it posted' },
    errors: [403],
    handle: ({ params }, context) => done(outside.removeSource(context, params['source']!)),
  }),
  operation<undefined, OutsideResultQuery>({
    id: 'listOutsideResults',
    method: 'GET',
    path: '/outside-results',
    tag: 'Pipelines',
    summary: 'List what was posted from outside, the newest first',
    query: OutsideResultQuery,
    success: { status: 200, says: 'A page of results', page: OutsideResultItem },
    handle: ({ query }, context) => ok(outside.listResults(context, query)),
  }),
  operation({
    id: 'createOutsideResult',
    method: 'POST',
    path: '/evidence-sources/{source}/results',
    tag: 'Pipelines',
    summary: 'Say what came of testing a version',
    description:
      'Called by a source, signed as Standard Webhooks 1.0 says, with `api`, `version`, `result` (passed or failed) and what it `says`, and at will the `url` of more and the `digest` of the definition.',
    calledWith: 'signature',
    raw: ['application/json'],
    largest: 64 * 1024,
    success: { status: 202, says: 'It was taken', body: OutsideResultTaken },
    errors: [404, 409],
    handle: ({ params, bytes, signed }, { system }) =>
      ok(outside.takeResult(system, params['source']!, signed!, Buffer.from(bytes))),
  }),
]
