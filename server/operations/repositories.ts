import { PageQuery } from '../../shared/api/catalog'
import {
  DeliveryTaken,
  IssuedRepository,
  JobLine,
  JobLineQuery,
  JobQuery,
  RepositoryItem,
  RepositoryJob,
  RepositoryRequest,
} from '../../shared/api/repositories'
import { repositoryEtag } from '../../shared/etags'
import { done, ok, operation, type Operation } from '../http/operation'
import { numberIn } from '../http/validate'
import * as jobs from '../services/repository-jobs'
import * as repositories from '../services/repositories'

const tag = 'Repositories'

export const repositoryOperations: Operation[] = [
  operation<undefined, PageQuery>({
    id: 'listRepositories',
    method: 'GET',
    path: '/repositories',
    tag,
    summary: 'List the repositories that definitions come from',
    query: PageQuery,
    success: { status: 200, says: 'A page of repositories', page: RepositoryItem },
    handle: ({ query }, context) => ok(repositories.listRepositories(context, query)),
  }),
  operation<RepositoryRequest>({
    id: 'connectRepository',
    method: 'POST',
    path: '/repositories',
    tag,
    summary: 'Connect a repository',
    description: 'Its branches are read at once, and from then on whenever its webhook tells.',
    body: RepositoryRequest,
    success: { status: 201, says: 'With the secret of its webhook', body: IssuedRepository },
    errors: [403],
    handle: ({ body }, context) => ok(repositories.connectRepository(context, body)),
  }),
  operation({
    id: 'getRepository',
    method: 'GET',
    path: '/repositories/{repository}',
    tag,
    summary: 'Read the settings of a repository',
    success: { status: 200, says: 'The repository', body: RepositoryItem },
    errors: [404],
    async handle({ params }, { db }) {
      const body = await repositories.readRepository(db, params['repository']!)
      return { body, headers: { ETag: repositoryEtag(body) } }
    },
  }),
  operation<RepositoryRequest>({
    id: 'updateRepository',
    method: 'PUT',
    path: '/repositories/{repository}',
    tag,
    summary: 'Change the settings of a repository',
    description: 'Its jobs act as whoever saved it last.',
    body: RepositoryRequest,
    conditional: true,
    success: { status: 200, says: 'The repository', body: RepositoryItem },
    errors: [403, 404],
    handle: ({ params, body, ifMatch }, context) =>
      ok(repositories.changeRepository(context, params['repository']!, body, ifMatch)),
  }),
  operation({
    id: 'removeRepository',
    method: 'DELETE',
    path: '/repositories/{repository}',
    tag,
    summary: 'Forget a repository with its jobs; what came from it stays',
    success: { status: 204, says: 'It is forgotten' },
    errors: [403, 404],
    handle: ({ params }, context) =>
      done(repositories.disconnectRepository(context, params['repository']!)),
  }),
  operation({
    id: 'renewRepositorySecret',
    method: 'POST',
    path: '/repositories/{repository}/secrets',
    tag,
    summary: 'Make another secret for the webhook of a repository',
    success: { status: 201, says: 'With the new secret', body: IssuedRepository },
    errors: [403, 404],
    handle: ({ params }, context) => ok(repositories.renewSecret(context, params['repository']!)),
  }),
  operation({
    id: 'readRepositoryBranches',
    method: 'POST',
    path: '/repositories/{repository}/readings',
    tag,
    summary: 'Look now which branches and tags of a repository have moved',
    success: { status: 201, says: 'The repository', body: RepositoryItem },
    errors: [403, 404],
    handle: ({ params }, context) => ok(repositories.lookNow(context, params['repository']!)),
  }),
  operation({
    id: 'createRepositoryDelivery',
    method: 'POST',
    path: '/repositories/{repository}/deliveries',
    tag,
    summary: 'Tell that a branch or tag of a repository has moved',
    description:
      'Called by the host of the repository, signed as Standard Webhooks 1.0 says, with `ref` at the top of the body or in its `data`. What the branch is at is read there.',
    calledWith: 'signature',
    raw: ['application/json'],
    largest: 256 * 1024,
    success: { status: 202, says: 'What comes of it', body: DeliveryTaken },
    handle: ({ params, bytes, signed }, { system }) =>
      ok(repositories.takeDelivery(system, params['repository']!, signed!, Buffer.from(bytes))),
  }),
  operation<undefined, JobQuery>({
    id: 'listRepositoryJobs',
    method: 'GET',
    path: '/repository-jobs',
    tag,
    summary: 'List what was done about pushes, the newest first',
    query: JobQuery,
    success: { status: 200, says: 'A page of jobs', page: RepositoryJob },
    handle: ({ query }, context) => ok(jobs.listJobs(context, query)),
  }),
  operation({
    id: 'getRepositoryJob',
    method: 'GET',
    path: '/repository-jobs/{job}',
    tag,
    summary: 'Read how far a job is',
    success: { status: 200, says: 'The job', body: RepositoryJob },
    errors: [404],
    handle: ({ params }, context) => ok(jobs.readJob(context, numberIn(params, 'job'))),
  }),
  operation<undefined, JobLineQuery>({
    id: 'listRepositoryJobLines',
    method: 'GET',
    path: '/repository-jobs/{job}/lines',
    tag,
    summary: 'Read the log of a job, from a line on',
    query: JobLineQuery,
    success: { status: 200, says: 'Lines', page: JobLine },
    errors: [404],
    handle: ({ params, query }, context) =>
      ok(jobs.jobLines(context, numberIn(params, 'job'), query)),
  }),
  operation({
    id: 'retryRepositoryJob',
    method: 'POST',
    path: '/repository-jobs/{job}/repeat',
    tag,
    summary: 'Do what a job did once more, with what its branch is at now',
    success: { status: 201, says: 'The new job', body: RepositoryJob },
    errors: [403, 404],
    handle: ({ params }, context) => ok(jobs.repeatJob(context, numberIn(params, 'job'))),
  }),
  operation({
    id: 'cancelRepositoryJob',
    method: 'POST',
    path: '/repository-jobs/{job}/cancel',
    tag,
    summary: 'Have a job stop before its next step',
    success: { status: 200, says: 'The job', body: RepositoryJob },
    errors: [403, 404],
    handle: ({ params }, context) => ok(jobs.cancelJob(context, numberIn(params, 'job'))),
  }),
]
