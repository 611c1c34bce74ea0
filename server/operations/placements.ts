import { placementEtag } from '../../shared/etags'
import { PageQuery } from '../../shared/api/catalog'
import { DeskResponse, DeskRequest } from '../../shared/api/desk'
import { GatewayItem, GroupItem } from '../../shared/api/gateways'
import {
  ChangeRequest,
  DraftQuery,
  HandEdit,
  IssuedKey,
  KeyRequest,
  PlacementDraft,
  PlacementDetail,
  PlacementItem,
  PlacementQuery,
  PlacementRequest,
  SpecBody,
} from '../../shared/api/placements'
import { PromotionDetail } from '../../shared/api/promotions'
import { RolloutItem, RolloutQuery } from '../../shared/api/rollouts'
import { ok, operation, settled, type Operation } from '../http/operation'
import { numberIn } from '../http/validate'
import { sendRequest } from '../services/desk'
import { listGateways, listGroups, readGatewayNow } from '../services/gateways'
import { pageFrom } from '../services/paging'
import * as drift from '../services/drift'
import * as keys from '../services/keys'
import * as placements from '../services/placements'
import { requestChange } from '../services/promotions'
import { cancelRollout, listRollouts, readRollout } from '../services/rollouts'

export const placementOperations: Operation[] = [
  operation<undefined, DraftQuery>({
    id: 'getPlacementDraft',
    method: 'GET',
    path: '/apis/{api}/placement-draft',
    tag: 'Placements',
    summary: 'Propose a placement, filled in where there is no doubt',
    query: DraftQuery,
    success: { status: 200, says: 'The proposal', body: PlacementDraft },
    handle: ({ params, query }, context) =>
      ok(placements.draftPlacement(context, params['api']!, query)),
  }),
  operation<undefined, PlacementQuery>({
    id: 'listPlacements',
    usual: 500,
    method: 'GET',
    path: '/placements',
    tag: 'Placements',
    summary: 'List placements with what differs',
    query: PlacementQuery,
    success: { status: 200, says: 'A page of placements', page: PlacementItem },
    handle: ({ query }, context) => ok(placements.listPlacements(context, query)),
  }),
  operation<PlacementRequest>({
    id: 'createPlacement',
    method: 'POST',
    path: '/placements',
    tag: 'Placements',
    summary: 'Place a version in the first stage',
    description:
      'Writes down what is wanted, and carries it out on every gateway of the group: written, read again and confirmed, or put back everywhere. Later stages are reached by promotion.',
    body: PlacementRequest,
    success: {
      status: 201,
      says: 'The placement as it runs',
      body: PlacementDetail,
      accepted: RolloutItem,
    },
    errors: [403, 409, 502],
    handle: ({ body }, context) => settled(placements.place(context, body)),
  }),
  operation({
    id: 'getPlacement',
    method: 'GET',
    path: '/placements/{placement}',
    tag: 'Placements',
    summary: 'Read one placement',
    success: { status: 200, says: 'The placement', body: PlacementDetail },
    async handle({ params }, context) {
      const placement = await placements.readPlacement(context, params['placement']!)
      return { body: placement, headers: { ETag: placementEtag(placement) } }
    },
  }),
  operation<SpecBody>({
    id: 'updatePlacement',
    method: 'PUT',
    path: '/placements/{placement}',
    tag: 'Placements',
    summary: 'Change how a version is served where it stands',
    body: SpecBody,
    conditional: true,
    success: {
      status: 200,
      says: 'The placement as it runs',
      body: PlacementDetail,
      accepted: RolloutItem,
    },
    errors: [403, 409, 502],
    handle: ({ params, body, ifMatch }, context) =>
      settled(placements.changePlacement(context, params['placement']!, body, ifMatch)),
  }),
  operation({
    id: 'removePlacement',
    method: 'DELETE',
    path: '/placements/{placement}',
    tag: 'Placements',
    summary: 'Take a placement off its gateway',
    success: { status: 204, says: 'It is served no more', accepted: RolloutItem },
    errors: [403, 409, 502],
    handle: ({ params }, context) =>
      settled(placements.removePlacement(context, params['placement']!)),
  }),
  operation<ChangeRequest>({
    id: 'requestChange',
    method: 'POST',
    path: '/placements/{placement}/requests',
    tag: 'Placements',
    summary: 'Ask for a change beyond the first stage, where nothing changes without review',
    body: ChangeRequest,
    conditional: true,
    success: { status: 201, says: 'The request with its plan', body: PromotionDetail },
    errors: [403, 409, 502],
    handle: ({ params, body, ifMatch }, context) =>
      ok(requestChange(context, params['placement']!, body, ifMatch)),
  }),
  operation<KeyRequest>({
    id: 'issueKey',
    method: 'POST',
    path: '/placements/{placement}/keys',
    tag: 'Placements',
    summary: 'Issue a key that works at a placement',
    body: KeyRequest,
    success: { status: 201, says: 'The key, shown this once', body: IssuedKey },
    errors: [403, 409, 502],
    handle: ({ params, body }, context) =>
      ok(keys.issueKey(context, params['placement']!, body.name)),
  }),
  operation({
    id: 'withdrawKey',
    method: 'DELETE',
    path: '/placements/{placement}/keys/{key}',
    tag: 'Placements',
    summary: 'Withdraw a key by the name it was issued for',
    success: { status: 204, says: 'It works no more', accepted: RolloutItem },
    errors: [403, 502],
    handle: ({ params }, context) =>
      settled(keys.withdrawKey(context, params['placement']!, params['key']!)),
  }),
  operation({
    id: 'putLedgerBack',
    method: 'POST',
    path: '/placements/{placement}/put-back',
    tag: 'Drift',
    summary: 'Make the gateway run what was approved again',
    success: {
      status: 200,
      says: 'The placement, in step',
      body: PlacementDetail,
      accepted: RolloutItem,
    },
    errors: [403, 409, 502],
    handle: ({ params }, context) => settled(drift.putBack(context, params['placement']!)),
  }),
  operation({
    id: 'keepRunning',
    method: 'POST',
    path: '/placements/{placement}/keep',
    tag: 'Drift',
    summary: 'Approve what the gateway runs as the placement from now on',
    success: {
      status: 200,
      says: 'The placement, in step',
      body: PlacementDetail,
      accepted: RolloutItem,
    },
    errors: [403, 409, 502],
    handle: ({ params }, context) => settled(drift.keepRunning(context, params['placement']!)),
  }),
  operation<HandEdit>({
    id: 'changeByHand',
    method: 'POST',
    path: '/placements/{placement}/hand-edit',
    tag: 'Drift',
    summary: 'Change the gateway past the ledger, in a demo',
    body: HandEdit,
    success: { status: 200, says: 'The placement, with what differs now', body: PlacementDetail },
    errors: [403, 409, 502],
    handle: ({ params, body }, context) =>
      ok(drift.editByHand(context, params['placement']!, body)),
  }),
  operation<DeskRequest>({
    id: 'sendRequest',
    method: 'POST',
    path: '/requests',
    tag: 'Requests',
    summary: 'Send a request through a gateway and explain its way',
    body: DeskRequest,
    success: { status: 200, says: 'The answer and every step to it', body: DeskResponse },
    errors: [403, 404, 502],
    handle: ({ body }, context) => ok(sendRequest(context, body)),
  }),
  operation<undefined, PageQuery>({
    id: 'listGateways',
    method: 'GET',
    path: '/gateways',
    tag: 'Gateways',
    summary: 'List the gateways',
    query: PageQuery,
    success: { status: 200, says: 'A page of gateways', page: GatewayItem },
    handle: async ({ query }, { db }) => ok(pageFrom(await listGateways(db), query)),
  }),
  operation({
    id: 'readGateway',
    method: 'POST',
    path: '/gateways/{gateway}/read',
    tag: 'Gateways',
    summary: 'Read a gateway now and compare it with the ledger',
    success: { status: 200, says: 'The gateway', body: GatewayItem },
    errors: [403, 502],
    handle: ({ params }, context) => ok(readGatewayNow(context, params['gateway']!)),
  }),
  operation<undefined, PageQuery>({
    id: 'listGatewayGroups',
    method: 'GET',
    path: '/gateway-groups',
    tag: 'Gateways',
    summary: 'List the gateway groups: what is placed on one runs on all its gateways',
    query: PageQuery,
    success: { status: 200, says: 'A page of groups', page: GroupItem },
    handle: async ({ query }, { db }) => ok(pageFrom(await listGroups(db), query)),
  }),
  operation<undefined, RolloutQuery>({
    id: 'listRollouts',
    method: 'GET',
    path: '/rollouts',
    tag: 'Gateways',
    summary: 'List rollouts, unfinished ones first',
    query: RolloutQuery,
    success: { status: 200, says: 'A page of rollouts', page: RolloutItem },
    handle: ({ query }, context) => ok(listRollouts(context, query)),
  }),
  operation({
    id: 'getRollout',
    method: 'GET',
    path: '/rollouts/{rollout}',
    tag: 'Gateways',
    summary: 'Read a rollout: how far each gateway has come',
    success: { status: 200, says: 'The rollout', body: RolloutItem },
    handle: ({ params }, { db }) => ok(readRollout(db, numberIn(params, 'rollout'))),
  }),
  operation({
    id: 'cancelRollout',
    method: 'POST',
    path: '/rollouts/{rollout}/cancel',
    tag: 'Gateways',
    summary: 'Cancel an unfinished rollout: what ran before is put back',
    success: { status: 200, says: 'The rollout', body: RolloutItem },
    errors: [403, 409],
    handle: ({ params }, context) => ok(cancelRollout(context, numberIn(params, 'rollout'))),
  }),
]
