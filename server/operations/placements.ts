import { PageQuery } from '../../shared/api/catalog'
import { DeskAnswer, DeskRequest } from '../../shared/api/desk'
import { GatewayItem } from '../../shared/api/gateways'
import {
  DraftQuery,
  HandEdit,
  IssuedKey,
  KeyRequest,
  PlacementDraft,
  PlacementItem,
  PlacementQuery,
  PlacementRequest,
  SpecBody,
} from '../../shared/api/placements'
import { done, ok, operation, type Operation } from '../http/operation'
import { sendRequest } from '../services/desk'
import { listGateways, readGatewayNow } from '../services/gateways'
import { pageFrom } from '../services/paging'
import * as drift from '../services/drift'
import * as keys from '../services/keys'
import * as placements from '../services/placements'

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
      'Writes the gateway’s configuration, has it loaded, and confirms what runs. Later stages are reached by promotion.',
    body: PlacementRequest,
    success: { status: 201, says: 'The placement as it runs', body: PlacementItem },
    errors: [403, 409, 502],
    handle: ({ body }, context) => ok(placements.place(context, body)),
  }),
  operation({
    id: 'getPlacement',
    method: 'GET',
    path: '/placements/{placement}',
    tag: 'Placements',
    summary: 'Read one placement',
    success: { status: 200, says: 'The placement', body: PlacementItem },
    async handle({ params }, context) {
      const placement = await placements.readPlacement(context, params['placement']!)
      return { body: placement, headers: { ETag: placements.placementEtag(placement.edition) } }
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
    success: { status: 200, says: 'The placement as it runs', body: PlacementItem },
    errors: [403, 409, 502],
    handle: ({ params, body, ifMatch }, context) =>
      ok(placements.changePlacement(context, params['placement']!, body, ifMatch)),
  }),
  operation({
    id: 'removePlacement',
    method: 'DELETE',
    path: '/placements/{placement}',
    tag: 'Placements',
    summary: 'Take a placement off its gateway',
    success: { status: 204, says: 'It is served no more' },
    errors: [403, 502],
    handle: ({ params }, context) =>
      done(placements.removePlacement(context, params['placement']!)),
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
    success: { status: 204, says: 'It works no more' },
    errors: [403, 502],
    handle: ({ params }, context) =>
      done(keys.withdrawKey(context, params['placement']!, params['key']!)),
  }),
  operation({
    id: 'putLedgerBack',
    method: 'POST',
    path: '/placements/{placement}/put-back',
    tag: 'Drift',
    summary: 'Make the gateway run what was approved again',
    success: { status: 200, says: 'The placement, in step', body: PlacementItem },
    errors: [403, 409, 502],
    handle: ({ params }, context) => ok(drift.putBack(context, params['placement']!)),
  }),
  operation({
    id: 'keepRunning',
    method: 'POST',
    path: '/placements/{placement}/keep',
    tag: 'Drift',
    summary: 'Approve what the gateway runs as the placement from now on',
    success: { status: 200, says: 'The placement, in step', body: PlacementItem },
    errors: [403, 409, 502],
    handle: ({ params }, context) => ok(drift.keepRunning(context, params['placement']!)),
  }),
  operation<HandEdit>({
    id: 'changeByHand',
    method: 'POST',
    path: '/placements/{placement}/hand-edit',
    tag: 'Drift',
    summary: 'Change the gateway past the ledger, in a demo',
    body: HandEdit,
    success: { status: 200, says: 'The placement, with what differs now', body: PlacementItem },
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
    success: { status: 200, says: 'The answer and every step to it', body: DeskAnswer },
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
]
