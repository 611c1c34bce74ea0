import { PageQuery } from '../../shared/api/catalog'
import {
  ProposalStart,
  ProposalCount,
  ProposalDecision,
  ProposalItem,
  ProposalOutcome,
  ProposalQuery,
  ProposedText,
} from '../../shared/api/proposals'
import { done, ok, operation, type Operation } from '../http/operation'
import { numberIn } from '../http/validate'
import {
  decideProposal,
  listProposals,
  proposeFix,
  readProposal,
  withdrawProposal,
} from '../services/proposals'

export const proposalOperations: Operation[] = [
  operation<ProposalStart>({
    id: 'createProposals',
    method: 'POST',
    path: '/rules/{rule}/proposals',
    tag: 'Rules',
    summary: 'Propose a rule’s fix to the owners of every API that breaks it',
    description: 'Each owner sees what would change, and makes it the next revision or declines.',
    body: ProposalStart,
    success: { status: 202, says: 'How many APIs it concerns', body: ProposalCount },
    errors: [403, 409],
    handle: ({ params, body }, context) => ok(proposeFix(context, params['rule']!, body)),
  }),
  operation<undefined, ProposalQuery>({
    id: 'listProposals',
    method: 'GET',
    path: '/proposals',
    tag: 'Rules',
    summary: 'List proposed fixes, newest first',
    query: ProposalQuery,
    success: { status: 200, says: 'A page of proposals', page: ProposalItem },
    handle: ({ query }, { db }) => ok(listProposals(db, query)),
  }),
  operation<undefined, PageQuery>({
    id: 'listProposedTexts',
    method: 'GET',
    path: '/proposals/{proposal}/texts',
    tag: 'Rules',
    summary: 'Read the texts that a proposal changes, as they are and as they would be',
    query: PageQuery,
    success: { status: 200, says: 'The texts', page: ProposedText },
    handle: ({ params, query }, context) =>
      ok(readProposal(context, numberIn(params, 'proposal'), query)),
  }),
  operation<ProposalDecision>({
    id: 'acceptProposal',
    method: 'POST',
    path: '/proposals/{proposal}/decision',
    tag: 'Rules',
    summary: 'Make a proposal the next revision of its API, or decline it',
    body: ProposalDecision,
    success: { status: 200, says: 'What it became', body: ProposalOutcome },
    errors: [403, 409, 412],
    handle: ({ params, body }, context) =>
      ok(decideProposal(context, numberIn(params, 'proposal'), body)),
  }),
  operation({
    id: 'withdrawProposal',
    method: 'DELETE',
    path: '/proposals/{proposal}',
    tag: 'Rules',
    summary: 'Take a proposal back',
    success: { status: 204, says: 'It waits for nobody any more' },
    errors: [403, 409],
    handle: ({ params }, context) => done(withdrawProposal(context, numberIn(params, 'proposal'))),
  }),
]
