import { Describer, exampleOf } from '../../shared/api/describe'
import { fieldsOf, type ApiClass, type FieldSchema } from '../../shared/api/fields'
import { Problem } from '../../shared/api/problem'
import { problemTypes, type ProblemType } from '../../shared/api/problem-types'
import type { Operation } from './operation'
import { prefix } from './router'

const errorWords: Record<number, [name: string, says: string, type: ProblemType]> = {
  400: ['BadRequest', 'The body or a parameter is not understood.', 'bad-request'],
  401: ['NotSignedIn', 'There is no session, or it has ended.', 'not-signed-in'],
  403: ['RoleRefused', 'The role may not do this; the detail says which one may.', 'role-refused'],
  404: ['NotFound', 'There is nothing with this name.', 'not-found'],
  409: [
    'NotPossibleNow',
    'The state does not allow this; the detail says why.',
    'not-possible-now',
  ],
  412: [
    'ChangedInBetween',
    'Somebody else saved first; ETag names the state that stands.',
    'changed-in-between',
  ],
  413: ['TooLarge', 'The text is larger than what is read.', 'too-large'],
  422: [
    'NotAccepted',
    'A field, or a place in the text, is at fault; each is named.',
    'not-accepted',
  ],
  428: ['MatchMissing', 'If-Match has to name the state that was changed.', 'if-match-missing'],
  429: ['TooManyTries', 'Too many tries; Retry-After says when to come back.', 'too-many-tries'],
  502: ['GatewayAway', 'The gateway does not answer; nothing was changed.', 'gateway-away'],
  503: ['Busy', 'The store is away or busy; Retry-After says when to try again.', 'busy'],
}

/** What the operations of each tag are for. */
const tagWords: Record<string, string> = {
  Administration: 'People, teams, stages, hosts and gateways, kept by administrators.',
  Definitions: 'Bringing definitions in, reading, saving, converting and comparing them.',
  Drift: 'Where gateways do something else than was approved, and putting it right.',
  Gateways: 'What serves traffic, and what it says it runs.',
  Ledger: 'The record of everything, and whether it holds.',
  People: 'Who is signed in, and the tokens a person made for programs.',
  Placements: 'Where versions are placed, with routes, policies and keys.',
  Policies:
    'What holds for many placements at once: for the organisation, a stage or a gateway group.',
  Alerts: 'Telling people and programs when traffic or drift goes wrong, and when it is over.',
  Tasks: 'What waits for whoever asks, and how they are told of it.',
  Traffic: 'What gateways answered, to whom and how long it took.',
  Pipelines: 'Through which stages versions go, and what stands before each.',
  Repositories: 'Where definitions come from by a push, and what was done about each.',
  Releases: 'Versions that enter a stage together, all of them or none.',
  Probes: 'Sequences of requests with checks, sent through the gateways of a stage.',
  Resources: 'The ledger as files: what stands, what files would change, and changing it.',
  Promotions: 'Bringing versions from stage to stage, with gates and approvals.',
  Register: 'Every API with what is known of it, and finding among them.',
  Requests: 'Trying a request, and why it was answered so.',
  Comparisons: 'What changed from one definition to another, what it breaks, and for whom.',
  Rules: 'The rulebook and its editions, findings, waivers and what a rule would change.',
}

/** The API's own definition (OpenAPI 3.1), made from the very classes that validate it. */
export function describeApi(operations: Operation[], version: string): Record<string, unknown> {
  const describer = new Describer()
  const paths: Record<string, Record<string, unknown>> = {}
  for (const operation of operations) {
    const item = (paths[operation.path] ??= {})
    item[operation.method.toLowerCase()] = describeOperation(operation, describer)
  }
  const problem = describer.reference(Problem)
  const tags = [...new Set(operations.map((operation) => operation.tag))]
  return {
    openapi: '3.1.0',
    info: {
      title: 'Elm Ledger',
      version,
      description:
        'The register itself: definitions, findings, placements, drift, promotions and the ledger. Everything the screens do goes through here.',
      contact: { name: 'Developer Services', email: 'developer-services@brackenmere.example' },
    },
    servers: [
      { url: `https://ledger.brackenmere.example${prefix}`, description: 'Inside the company' },
    ],
    tags: tags.map((name) => ({ name, description: tagWords[name] })),
    security: [{ session: [] }, { token: [] }],
    paths,
    components: {
      securitySchemes: {
        password: {
          type: 'http',
          scheme: 'basic',
          description: 'A name and a password, for signing in.',
        },
        code: {
          type: 'apiKey',
          in: 'header',
          name: 'X-One-Time-Code',
          description: 'A code that works once: of an invitation, or from the terminal.',
        },
        signature: {
          type: 'apiKey',
          in: 'header',
          name: 'webhook-signature',
          description:
            'HMAC SHA-256 of identifier, time and body with the secret of the webhook (Standard Webhooks 1.0).',
        },
        token: {
          type: 'http',
          scheme: 'bearer',
          description: 'A personal access token, made for reading, checking or writing.',
        },
        session: {
          type: 'apiKey',
          in: 'cookie',
          name: 'elm_session',
          description: 'A sealed session, from signing in.',
        },
      },
      responses: Object.fromEntries(
        Object.entries(errorWords).map(([status, [name, description, type]]) => [
          name,
          {
            description,
            content: {
              'application/problem+json': {
                schema: problem,
                example: {
                  type: `/problems/${type}`,
                  title: problemTypes[type].title,
                  status: Number(status),
                  detail: description,
                },
              },
            },
          },
        ]),
      ),
      schemas: describer.schemas,
    },
  }
}

function describeOperation(operation: Operation, describer: Describer): Record<string, unknown> {
  const { id, summary, description, tag, body, raw, success, calledWith } = operation
  const parameters = parametersOf(operation)
  const requestBody = body
    ? {
        required: true,
        content: {
          'application/json': {
            schema: describer.reference(body),
            example: exampleOf(body),
          },
        },
      }
    : raw && {
        required: true,
        content: Object.fromEntries(
          raw.map((type) => [
            type,
            { schema: { type: 'string', description: 'The text as it is.' } },
          ]),
        ),
      }
  return {
    operationId: id,
    summary,
    description: description ?? `${summary}.`,
    tags: [tag],
    ...(parameters.length > 0 && { parameters }),
    ...(requestBody && { requestBody }),
    responses: {
      [success.status]: { description: success.says, ...contentOf(success, describer) },
      ...(success.accepted && {
        202: {
          description: 'It goes on: the rollout that carries it out',
          content: {
            'application/json': {
              schema: describer.reference(success.accepted),
              example: exampleOf(success.accepted),
            },
          },
        },
      }),
      ...Object.fromEntries(
        errorsOf(operation).map((status) => [
          status,
          { $ref: `#/components/responses/${errorWords[status]![0]}` },
        ]),
      ),
    },
    ...(calledWith === 'password' && { security: [{ password: [] }] }),
    ...(calledWith === 'code' && { security: [{ code: [] }] }),
    ...(calledWith === 'signature' && { security: [{ signature: [] }] }),
    ...(calledWith === 'session' && { security: [{ session: [] }] }),
  }
}

function errorsOf({ path, body, raw, conditional, errors = [] }: Operation): number[] {
  const implied = [
    401,
    ...(path.includes('{') ? [404] : []),
    ...(body ? [400, 422] : []),
    ...(raw ? [413, 422] : []),
    ...(conditional ? [412, 428] : []),
  ]
  return [...new Set([...implied, ...errors])].sort((a, b) => a - b)
}

function contentOf(success: Operation['success'], describer: Describer): Record<string, unknown> {
  const { body, page, mediaType, example } = success
  if (mediaType) return { content: { [mediaType]: { schema: { type: 'string' }, example } } }
  if (body)
    return {
      content: {
        'application/json': { schema: describer.reference(body), example: exampleOf(body) },
      },
    }
  if (!page) return {}
  const schema: FieldSchema = {
    type: 'object',
    required: ['items'],
    properties: {
      items: { type: 'array', description: 'The page.', items: describer.reference(page) },
      nextCursor: {
        type: 'string',
        description: 'Where the next page begins; absent on the last.',
      },
    },
  }
  return { content: { 'application/json': { schema, example: { items: [exampleOf(page)] } } } }
}

function parametersOf({
  path,
  query,
  conditional,
  usual = 100,
  method,
  calledWith = 'any',
  success,
}: Operation): Record<string, unknown>[] {
  const inPath = [...path.matchAll(/\{(\w+)\}/g)].map(([, name]) => ({
    name,
    in: 'path',
    required: true,
    description: `Which ${name}.`,
    schema: { type: 'string' },
  }))
  const inQuery = query
    ? [...fieldsOf(query as ApiClass)].map(([name, { schema, optional }]) => {
        const { description, example, ...rest } = schema
        return {
          name,
          in: 'query',
          description,
          ...(!optional && { required: true }),
          schema: name === 'limit' ? { ...rest, default: usual } : rest,
          example,
        }
      })
    : []
  const match = conditional
    ? [
        {
          name: 'If-Match',
          in: 'header',
          required: true,
          description: 'The state that was changed, from ETag.',
          schema: { type: 'string', maxLength: 200 },
        },
      ]
    : []
  const once =
    method !== 'GET' && ['any', 'session'].includes(calledWith) && success.mediaType === undefined
      ? [
          {
            name: 'Idempotency-Key',
            in: 'header',
            required: false,
            description:
              'A text of the caller’s choice: however often the same request is sent with it within a day, it is carried out once.',
            schema: { type: 'string', minLength: 1, maxLength: 200 },
          },
        ]
      : []
  return [...inPath, ...inQuery, ...match, ...once]
}
