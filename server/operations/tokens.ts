import { PageQuery } from '../../shared/api/catalog'
import { IssuedToken, NewToken, TokenItem } from '../../shared/api/tokens'
import { done, ok, operation, type Operation } from '../http/operation'
import { numberIn } from '../http/validate'
import { endToken, issueToken, listTokens } from '../services/tokens'

export const tokenOperations: Operation[] = [
  operation<undefined, PageQuery>({
    id: 'listTokens',
    method: 'GET',
    path: '/tokens',
    tag: 'People',
    summary: 'List your own access tokens',
    query: PageQuery,
    calledWith: 'session',
    success: { status: 200, says: 'A page of tokens', page: TokenItem },
    handle: ({ query }, context) => ok(listTokens(context, query)),
  }),
  operation<NewToken>({
    id: 'createToken',
    method: 'POST',
    path: '/tokens',
    tag: 'People',
    summary: 'Make an access token for a program of yours',
    description: 'The token is in this answer and nowhere else; only a digest of it is kept.',
    body: NewToken,
    calledWith: 'session',
    success: { status: 201, says: 'The token', body: IssuedToken },
    errors: [403],
    handle: ({ body }, context) => ok(issueToken(context, body)),
  }),
  operation({
    id: 'deleteToken',
    method: 'DELETE',
    path: '/tokens/{token}',
    tag: 'People',
    summary: 'End an access token of yours',
    calledWith: 'session',
    success: { status: 204, says: 'It works no more' },
    errors: [403],
    handle: ({ params }, context) => done(endToken(context, numberIn(params, 'token'))),
  }),
]
