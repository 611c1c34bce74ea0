import {
  ReleaseApproval,
  ReleaseDetail,
  ReleaseItem,
  ReleaseQuery,
  ReleaseRequest,
} from '../../shared/api/releases'
import { done, ok, operation, type Operation } from '../http/operation'
import { numberIn } from '../http/validate'
import * as releases from '../services/releases'

const tag = 'Releases'

export const releaseOperations: Operation[] = [
  operation<undefined, ReleaseQuery>({
    id: 'listReleases',
    method: 'GET',
    path: '/releases',
    tag,
    summary: 'List releases, waiting ones first',
    query: ReleaseQuery,
    success: { status: 200, says: 'A page of releases', page: ReleaseItem },
    handle: ({ query }, context) => ok(releases.listReleases(context, query)),
  }),
  operation<ReleaseRequest>({
    id: 'createRelease',
    method: 'POST',
    path: '/releases',
    tag,
    summary: 'Put versions together that enter the next stage as one',
    body: ReleaseRequest,
    success: { status: 201, says: 'The release', body: ReleaseDetail },
    errors: [403, 404, 409, 422],
    handle: ({ body }, context) => ok(releases.createRelease(context, body)),
  }),
  operation({
    id: 'getRelease',
    method: 'GET',
    path: '/releases/{release}',
    tag,
    summary: 'Read a release: its versions, their gates and plans',
    success: { status: 200, says: 'The release', body: ReleaseDetail },
    handle: ({ params }, context) => ok(releases.readRelease(context, numberIn(params, 'release'))),
  }),
  operation<ReleaseApproval>({
    id: 'approveRelease',
    method: 'POST',
    path: '/releases/{release}/approvals',
    tag,
    summary: 'Approve every version of a release that somebody else asked for',
    body: ReleaseApproval,
    success: { status: 201, says: 'The release', body: ReleaseDetail },
    errors: [403, 409, 412],
    handle: ({ params, body }, context) =>
      ok(releases.approveRelease(context, numberIn(params, 'release'), body)),
  }),
  operation({
    id: 'promoteRelease',
    method: 'POST',
    path: '/releases/{release}/promote',
    tag,
    summary: 'Bring all versions of a release into the next stage, or none',
    success: { status: 200, says: 'The release', body: ReleaseDetail },
    errors: [403, 409, 502],
    handle: ({ params }, context) =>
      ok(releases.promoteRelease(context, numberIn(params, 'release'))),
  }),
  operation({
    id: 'cancelRelease',
    method: 'DELETE',
    path: '/releases/{release}',
    tag,
    summary: 'Have the versions of a release wait on their own again',
    success: { status: 204, says: 'They do' },
    errors: [403, 409],
    handle: ({ params }, context) =>
      done(releases.cancelRelease(context, numberIn(params, 'release'))),
  }),
  operation({
    id: 'removeFromRelease',
    method: 'DELETE',
    path: '/releases/{release}/promotions/{promotion}',
    tag,
    summary: 'Have one version of a release wait on its own',
    success: { status: 204, says: 'It does' },
    errors: [403, 409],
    handle: ({ params }, context) =>
      done(
        releases.removeFromRelease(
          context,
          numberIn(params, 'release'),
          numberIn(params, 'promotion'),
        ),
      ),
  }),
]
