import { scopeEtag } from '../../shared/etags'
import {
  PolicyApproval,
  PolicyChangeItem,
  PolicyChangeQuery,
  PolicyChangeRequest,
  PolicyPreview,
  PolicyScopeBody,
  PolicyScopeItem,
} from '../../shared/api/policies'
import { PageQuery } from '../../shared/api/catalog'
import { RolloutItem } from '../../shared/api/rollouts'
import { ok, operation, settled, type Operation } from '../http/operation'
import { numberIn } from '../http/validate'
import { pageFrom } from '../services/paging'
import * as policies from '../services/policies'

export const policyOperations: Operation[] = [
  operation<undefined, PageQuery>({
    id: 'listPolicyScopes',
    method: 'GET',
    path: '/policy-scopes',
    tag: 'Policies',
    summary: 'List the scopes around placements with what holds in them',
    query: PageQuery,
    success: { status: 200, says: 'A page of scopes, outermost first', page: PolicyScopeItem },
    handle: async ({ query }, context) => ({
      body: pageFrom(await policies.listScopes(context), query),
    }),
  }),
  operation({
    id: 'getPolicyScope',
    method: 'GET',
    path: '/policy-scopes/{scope}',
    tag: 'Policies',
    summary: 'Read one scope',
    success: { status: 200, says: 'The scope', body: PolicyScopeItem },
    async handle({ params }, context) {
      const scope = await policies.readScope(context, params['scope']!)
      return { body: scope, headers: { ETag: scopeEtag(scope) } }
    },
  }),
  operation<PolicyScopeBody>({
    id: 'previewPolicyScope',
    method: 'POST',
    path: '/policy-scopes/{scope}/preview',
    tag: 'Policies',
    summary: 'Say what a change of a scope would do to every placement in it',
    body: PolicyScopeBody,
    success: { status: 200, says: 'What it would do', body: PolicyPreview },
    handle: ({ params, body }, context) =>
      ok(policies.previewPolicies(context, params['scope']!, body)),
  }),
  operation<PolicyScopeBody>({
    id: 'updatePolicyScope',
    method: 'PUT',
    path: '/policy-scopes/{scope}',
    tag: 'Policies',
    summary: 'Change what holds in a scope',
    description:
      'Rolls out as one to every placement for which something changes. Where that reaches beyond the first stage it is refused: ask for the change, and somebody else approves it.',
    body: PolicyScopeBody,
    conditional: true,
    success: {
      status: 200,
      says: 'The scope as it holds',
      body: PolicyScopeItem,
      accepted: RolloutItem,
    },
    errors: [403, 409, 502],
    handle: ({ params, body, ifMatch }, context) =>
      settled(policies.changeScope(context, params['scope']!, body, ifMatch)),
  }),
  operation<undefined, PolicyChangeQuery>({
    id: 'listPolicyChanges',
    method: 'GET',
    path: '/policy-changes',
    tag: 'Policies',
    summary: 'List changes of scopes that were asked for',
    query: PolicyChangeQuery,
    success: { status: 200, says: 'A page of changes', page: PolicyChangeItem },
    handle: ({ query }, context) => ok(policies.listPolicyChanges(context, query)),
  }),
  operation<PolicyChangeRequest>({
    id: 'requestPolicyChange',
    method: 'POST',
    path: '/policy-changes',
    tag: 'Policies',
    summary: 'Ask for a change of a scope that reaches beyond the first stage',
    body: PolicyChangeRequest,
    success: { status: 201, says: 'The change, waiting', body: PolicyChangeItem },
    errors: [403, 409],
    handle: ({ body }, context) => ok(policies.requestPolicyChange(context, body)),
  }),
  operation({
    id: 'getPolicyChange',
    method: 'GET',
    path: '/policy-changes/{change}',
    tag: 'Policies',
    summary: 'Read one change',
    success: { status: 200, says: 'The change', body: PolicyChangeItem },
    handle: ({ params }, context) =>
      ok(policies.readPolicyChange(context, numberIn(params, 'change'))),
  }),
  operation({
    id: 'previewPolicyChange',
    method: 'GET',
    path: '/policy-changes/{change}/preview',
    tag: 'Policies',
    summary: 'Say what a change that waits would do now',
    success: { status: 200, says: 'What it would do', body: PolicyPreview },
    handle: ({ params }, context) =>
      ok(policies.previewPolicyChange(context, numberIn(params, 'change'))),
  }),
  operation<PolicyApproval>({
    id: 'approvePolicyChange',
    method: 'POST',
    path: '/policy-changes/{change}/approval',
    tag: 'Policies',
    summary: 'Approve a change as it was read, and have it rolled out',
    body: PolicyApproval,
    success: { status: 200, says: 'The change', body: PolicyChangeItem },
    errors: [403, 409, 412, 502],
    handle: ({ params, body }, context) =>
      ok(policies.approvePolicyChange(context, numberIn(params, 'change'), body)),
  }),
  operation({
    id: 'withdrawPolicyChange',
    method: 'DELETE',
    path: '/policy-changes/{change}',
    tag: 'Policies',
    summary: 'Take a change back',
    success: { status: 200, says: 'The change, withdrawn', body: PolicyChangeItem },
    errors: [403, 409],
    handle: ({ params }, context) =>
      ok(policies.withdrawPolicyChange(context, numberIn(params, 'change'))),
  }),
]
