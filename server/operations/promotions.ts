import {
  Approval,
  GateWaiverRequest,
  Override,
  PromotionDetail,
  PromotionItem,
  PromotionQuery,
  PromotionRequest,
} from '../../shared/api/promotions'
import { EvidenceItem } from '../../shared/api/evidence'
import { ok, operation, type Operation } from '../http/operation'
import { numberIn } from '../http/validate'
import { promotionEvidence } from '../services/evidence'
import { agreeToGateWaiver, askGateWaiver } from '../services/gate-waivers'
import * as promotions from '../services/promotions'

export const promotionOperations: Operation[] = [
  operation<undefined, PromotionQuery>({
    id: 'listPromotions',
    method: 'GET',
    path: '/promotions',
    tag: 'Promotions',
    summary: 'List promotions, waiting ones first',
    query: PromotionQuery,
    success: { status: 200, says: 'A page of promotions', page: PromotionItem },
    handle: ({ query }, context) => ok(promotions.listPromotions(context, query)),
  }),
  operation<PromotionRequest>({
    id: 'requestPromotion',
    method: 'POST',
    path: '/promotions',
    tag: 'Promotions',
    summary: 'Ask for a version to enter the next stage',
    body: PromotionRequest,
    success: { status: 201, says: 'The promotion with its gates and plan', body: PromotionDetail },
    errors: [403, 404, 409],
    handle: ({ body }, context) => ok(promotions.requestPromotion(context, body)),
  }),
  operation({
    id: 'getPromotion',
    method: 'GET',
    path: '/promotions/{promotion}',
    tag: 'Promotions',
    summary: 'Read a promotion: gates, approvals, and what would change',
    success: { status: 200, says: 'The promotion', body: PromotionDetail },
    handle: ({ params }, context) =>
      ok(promotions.readPromotion(context, numberIn(params, 'promotion'))),
  }),
  operation({
    id: 'getPromotionEvidence',
    method: 'GET',
    path: '/promotions/{promotion}/evidence',
    tag: 'Promotions',
    summary: 'Download what shows how a request was decided on and carried out',
    description:
      'Entries of the ledger with inclusion proofs and a signed head, and what was known at the act. `elm-ledger verify` checks it with the public key alone.',
    success: { status: 200, says: 'The evidence', body: EvidenceItem },
    handle: ({ params }, context) => ok(promotionEvidence(context, numberIn(params, 'promotion'))),
  }),
  operation<Approval>({
    id: 'approvePromotion',
    method: 'POST',
    path: '/promotions/{promotion}/approvals',
    tag: 'Promotions',
    summary: 'Approve a promotion somebody else asked for',
    body: Approval,
    success: { status: 201, says: 'The promotion', body: PromotionDetail },
    errors: [403, 409, 412],
    handle: ({ params, body }, context) =>
      ok(promotions.approve(context, numberIn(params, 'promotion'), body)),
  }),
  operation({
    id: 'promoteVersion',
    method: 'POST',
    path: '/promotions/{promotion}/promote',
    tag: 'Promotions',
    summary: 'Bring the version into the next stage',
    success: { status: 200, says: 'The promotion, done', body: PromotionDetail },
    errors: [403, 409, 502],
    handle: ({ params }, context) => ok(promotions.promote(context, numberIn(params, 'promotion'))),
  }),
  operation({
    id: 'withdrawPromotion',
    method: 'POST',
    path: '/promotions/{promotion}/withdraw',
    tag: 'Promotions',
    summary: 'Take a request for promotion back',
    success: { status: 200, says: 'The promotion, withdrawn', body: PromotionDetail },
    errors: [403, 409],
    handle: ({ params }, context) =>
      ok(promotions.withdrawPromotion(context, numberIn(params, 'promotion'))),
  }),
  operation<Override>({
    id: 'skipApproval',
    method: 'POST',
    path: '/promotions/{promotion}/override',
    tag: 'Promotions',
    summary: 'Go past the approval in an emergency, with a reason',
    body: Override,
    success: { status: 201, says: 'The request', body: PromotionDetail },
    errors: [403, 409, 412],
    handle: ({ params, body }, context) =>
      ok(promotions.overrideApproval(context, numberIn(params, 'promotion'), body)),
  }),
  operation<GateWaiverRequest>({
    id: 'createGateWaiver',
    method: 'POST',
    path: '/promotions/{promotion}/gate-waivers',
    tag: 'Promotions',
    summary: 'Would have a gate that is shut pass this once, with a reason',
    description:
      'It passes when a second person agrees, for the plan and the fault that stood then.',
    body: GateWaiverRequest,
    success: { status: 201, says: 'The request', body: PromotionDetail },
    errors: [403, 409, 412],
    handle: ({ params, body }, context) =>
      ok(askGateWaiver(context, numberIn(params, 'promotion'), body)),
  }),
  operation({
    id: 'approveGateWaiver',
    method: 'POST',
    path: '/promotions/{promotion}/gate-waivers/{gate}/approve',
    tag: 'Promotions',
    summary: 'Agree, as a second person, that a gate passes this once',
    success: { status: 200, says: 'The request', body: PromotionDetail },
    errors: [403, 409],
    handle: ({ params }, context) =>
      ok(agreeToGateWaiver(context, numberIn(params, 'promotion'), params['gate']!)),
  }),
  operation({
    id: 'confirmOverride',
    method: 'POST',
    path: '/promotions/{promotion}/confirm',
    tag: 'Promotions',
    summary: 'Confirm, as a second person, that an emergency was one',
    success: { status: 200, says: 'The request', body: PromotionDetail },
    errors: [403, 409],
    handle: ({ params }, context) =>
      ok(promotions.confirmOverride(context, numberIn(params, 'promotion'))),
  }),
]
