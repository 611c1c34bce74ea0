import { pipelineSchema } from '../../core/pipeline/pipeline'
import { PageQuery } from '../../shared/api/catalog'
import {
  PipelineChange,
  PipelineDetail,
  PipelineDraft,
  PipelineImpact,
  PipelineItem,
} from '../../shared/api/promotions'
import { pipelineEtag } from '../../shared/etags'
import { done, ok, operation, type Operation } from '../http/operation'
import * as pipelines from '../services/pipelines'
import { waitingGates } from '../services/promotion-gates'

export const pipelineOperations: Operation[] = [
  operation<undefined, PageQuery>({
    id: 'listPipelines',
    method: 'GET',
    path: '/pipelines',
    tag: 'Pipelines',
    summary: 'List the pipelines in the order in which they are asked whose they are',
    query: PageQuery,
    success: { status: 200, says: 'A page of pipelines', page: PipelineItem },
    handle: ({ query }, { db }) => ok(pipelines.listPipelines(db, query)),
  }),
  operation<PipelineChange>({
    id: 'createPipeline',
    method: 'POST',
    path: '/pipelines',
    tag: 'Pipelines',
    summary: 'Publish a new pipeline',
    body: PipelineChange,
    success: { status: 201, says: 'The pipeline', body: PipelineDetail },
    errors: [403],
    handle: ({ body }, context) => ok(pipelines.createPipeline(context, body)),
  }),
  operation({
    id: 'getPipeline',
    method: 'GET',
    path: '/pipelines/{pipeline}',
    tag: 'Pipelines',
    summary: 'Read a pipeline with its text and its editions',
    success: { status: 200, says: 'The pipeline', body: PipelineDetail },
    errors: [404],
    async handle({ params }, { db }) {
      const body = await pipelines.readPipeline(db, params['pipeline']!)
      return { body, headers: { ETag: pipelineEtag(body) } }
    },
  }),
  operation<PipelineChange>({
    id: 'publishPipeline',
    method: 'PUT',
    path: '/pipelines/{pipeline}',
    tag: 'Pipelines',
    summary: 'Publish the next edition of a pipeline',
    description: 'It holds from then on, also for promotions that wait.',
    body: PipelineChange,
    conditional: true,
    success: { status: 200, says: 'The pipeline', body: PipelineDetail },
    errors: [403, 404],
    handle: ({ params, body, ifMatch }, context) =>
      ok(pipelines.publishPipeline(context, params['pipeline']!, body, ifMatch)),
  }),
  operation({
    id: 'movePipelineFirst',
    method: 'POST',
    path: '/pipelines/{pipeline}/first',
    tag: 'Pipelines',
    summary: 'Have a pipeline asked before all others whose an API is',
    success: { status: 200, says: 'The pipeline', body: PipelineDetail },
    errors: [403, 404, 409],
    handle: ({ params }, context) => ok(pipelines.moveFirst(context, params['pipeline']!)),
  }),
  operation({
    id: 'removePipeline',
    method: 'DELETE',
    path: '/pipelines/{pipeline}',
    tag: 'Pipelines',
    summary: 'Take a pipeline away; versions that took it take another one',
    success: { status: 204, says: 'It is gone' },
    errors: [403, 404],
    handle: ({ params }, context) => done(pipelines.removePipeline(context, params['pipeline']!)),
  }),
  operation<PipelineDraft>({
    id: 'checkPipeline',
    method: 'POST',
    path: '/pipeline-impacts',
    tag: 'Pipelines',
    summary: 'Work out what a pipeline would change, without publishing it',
    body: PipelineDraft,
    success: { status: 200, says: 'What it would change', body: PipelineImpact },
    errors: [404],
    handle: ({ body }, context) =>
      ok(pipelines.pipelineImpact(context, body, (all) => waitingGates(context, all))),
  }),
  operation({
    id: 'getPipelineSchema',
    method: 'GET',
    path: '/pipeline-schema',
    tag: 'Pipelines',
    summary: 'Read the JSON Schema of a pipeline’s text',
    success: {
      status: 200,
      says: 'JSON Schema 2020-12',
      mediaType: 'application/schema+json',
      example: '{}',
    },
    handle: () => Promise.resolve({ body: Buffer.from(JSON.stringify(pipelineSchema(), null, 2)) }),
  }),
]
