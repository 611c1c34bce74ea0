import {
  DriftAcceptance,
  DriftDetail,
  DriftItem,
  DriftMonth,
  DriftMonthQuery,
  DriftQuery,
  ReactionChange,
  ReactionItem,
} from '../../shared/api/drift'
import { PageQuery } from '../../shared/api/catalog'
import { RolloutItem } from '../../shared/api/rollouts'
import { numberIn } from '../http/validate'
import { done, ok, operation, settled, type Operation } from '../http/operation'
import { takeOff } from '../services/drift'
import * as drift from '../services/drift-list'
import { listReactions, setReaction } from '../services/drift-reactions'

export const driftOperations: Operation[] = [
  operation<undefined, DriftQuery>({
    id: 'listDrift',
    method: 'GET',
    path: '/differences',
    tag: 'Drift',
    summary: 'List where gateways or requests disagree with what was approved',
    description:
      'Each difference keeps its number from the reading that showed it first to the one that does not show it any more.',
    query: DriftQuery,
    success: { status: 200, says: 'Drift, in the last stage first', page: DriftItem },
    handle: ({ query }, context) => ok(drift.listDrift(context, query)),
  }),
  operation({
    id: 'getDrift',
    method: 'GET',
    path: '/differences/{difference}',
    tag: 'Drift',
    summary:
      'Read a difference with its likely cause, who calls it, and what each way out would do',
    success: { status: 200, says: 'The difference', body: DriftDetail },
    errors: [404],
    handle: ({ params }, context) => ok(drift.readDrift(context, numberIn(params, 'difference'))),
  }),
  operation<DriftAcceptance>({
    id: 'acceptDrift',
    method: 'PUT',
    path: '/differences/{difference}/acceptance',
    tag: 'Drift',
    summary: 'Accept a difference as it is until a day',
    description: 'It counts again after that day, and as soon as its values change.',
    body: DriftAcceptance,
    success: { status: 200, says: 'The difference, accepted', body: DriftDetail },
    errors: [403, 404, 409],
    handle: ({ params, body }, context) =>
      ok(drift.acceptDrift(context, numberIn(params, 'difference'), body)),
  }),
  operation({
    id: 'endDriftAcceptance',
    method: 'DELETE',
    path: '/differences/{difference}/acceptance',
    tag: 'Drift',
    summary: 'Have an accepted difference count again',
    success: { status: 204, says: 'It counts' },
    errors: [403, 404, 409],
    handle: ({ params }, context) =>
      done(drift.endAcceptance(context, numberIn(params, 'difference'))),
  }),
  operation({
    id: 'takeRouteOff',
    method: 'POST',
    path: '/differences/{difference}/take-off',
    tag: 'Drift',
    summary: 'Take a route that nobody placed off its gateway',
    success: {
      status: 200,
      says: 'The difference, resolved',
      body: DriftDetail,
      accepted: RolloutItem,
    },
    errors: [403, 404, 409, 502],
    handle: ({ params }, context) => settled(takeOff(context, numberIn(params, 'difference'))),
  }),
  operation<undefined, DriftMonthQuery>({
    id: 'getDriftMonth',
    method: 'GET',
    path: '/drift-month',
    tag: 'Drift',
    summary: 'Read how much drift there is, and what became of it in a month',
    query: DriftMonthQuery,
    success: { status: 200, says: 'The figures', body: DriftMonth },
    handle: ({ query }, context) => ok(drift.driftMonth(context, query)),
  }),
  operation<undefined, PageQuery>({
    id: 'listDriftReactions',
    method: 'GET',
    path: '/drift-reactions',
    tag: 'Drift',
    summary: 'List what happens about drift by itself, by gateway group and stage',
    query: PageQuery,
    success: { status: 200, says: 'What happens, for each group and stage', page: ReactionItem },
    handle: ({ query }, context) => ok(listReactions(context, query)),
  }),
  operation<ReactionChange>({
    id: 'setDriftReaction',
    method: 'PUT',
    path: '/drift-reactions/{group}/{stage}',
    tag: 'Drift',
    summary: 'Set what happens about drift by itself',
    body: ReactionChange,
    success: { status: 200, says: 'What happens from now on', body: ReactionItem },
    errors: [403, 404],
    handle: ({ params, body }, context) =>
      ok(setReaction(context, params['group']!, params['stage']!, body)),
  }),
]
