import {
  AppliedResource,
  resourceKinds,
  ResourceChangeRequest,
  ResourceItem,
  ResourcePlan,
  ResourcePlanRequest,
  ResourceQuery,
  ResourceRemoval,
} from '../../shared/api/resources'
import { ok, operation, type Operation } from '../http/operation'
import { resourceSchema } from '../http/resource-schema'
import { notFound } from '../services/failure'
import * as resources from '../services/resources'

/** A kind in a path, or the refusal that there is none of that name. */
function kindIn({ kind: written = '' }: Record<string, string>) {
  const kind = resourceKinds.find((one) => one === written)
  if (!kind) throw notFound(`kind of resource called "${written.slice(0, 100)}"`)
  return kind
}

export const resourceOperations: Operation[] = [
  operation<undefined, ResourceQuery>({
    id: 'listResources',
    method: 'GET',
    path: '/resources',
    tag: 'Resources',
    summary: 'List what the ledger holds as files say it',
    query: ResourceQuery,
    success: { status: 200, says: 'A page of resources', page: ResourceItem },
    handle: ({ query }, context) => ok(resources.listResources(context, query)),
  }),
  operation<ResourcePlanRequest>({
    id: 'checkResources',
    method: 'POST',
    path: '/resource-plans',
    tag: 'Resources',
    summary: 'Say what applying some resources would change; nothing is changed',
    body: ResourcePlanRequest,
    largest: 32 * 1024 * 1024,
    scope: 'read',
    success: { status: 200, says: 'What would be done', body: ResourcePlan },
    handle: ({ body }, context) => ok(resources.planResources(context, body.resources)),
  }),
  operation<ResourceChangeRequest>({
    id: 'updateResource',
    method: 'PUT',
    path: '/resources/{kind}/{resource}',
    tag: 'Resources',
    summary: 'Do what a resource asks for, at once or through the review that it takes',
    description:
      'Roles, gates and approvals are those of the same change made by hand. If-Match is the ETag of a plan.',
    body: ResourceChangeRequest,
    conditional: true,
    success: { status: 200, says: 'What became of it', body: AppliedResource },
    errors: [403, 409, 502],
    handle: ({ params, body, ifMatch }, context) =>
      ok(resources.applyResource(context, kindIn(params), params['resource']!, body, ifMatch)),
  }),
  operation<undefined, ResourceRemoval>({
    id: 'removeResource',
    method: 'DELETE',
    path: '/resources/{kind}/{resource}',
    tag: 'Resources',
    summary: 'Take a resource away, at once or through the review that it takes',
    query: ResourceRemoval,
    success: { status: 200, says: 'What became of it', body: AppliedResource },
    errors: [403, 409, 502],
    handle: ({ params, query }, context) =>
      ok(resources.removeResource(context, kindIn(params), params['resource']!, query.note)),
  }),
  operation({
    id: 'getResourceSchema',
    method: 'GET',
    path: '/resource-schema',
    tag: 'Resources',
    summary: 'Read the JSON Schema of resources in files',
    success: {
      status: 200,
      says: 'JSON Schema 2020-12',
      mediaType: 'application/schema+json',
      example: '{}',
    },
    handle: () => Promise.resolve({ body: Buffer.from(JSON.stringify(resourceSchema(), null, 2)) }),
  }),
]
