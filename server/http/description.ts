import { Describer, exampleOf } from '../../shared/api/describe'
import { fieldsOf, type ApiClass, type FieldSchema } from '../../shared/api/fields'
import { Problem } from '../../shared/api/problem'
import type { Operation } from './operation'
import { prefix } from './router'

const errorWords: Record<number, [name: string, says: string]> = {
  400: ['BadRequest', 'The body or a parameter is not understood.'],
  401: ['NotSignedIn', 'There is no session, or it has ended.'],
  403: ['RoleRefused', 'The role may not do this; the detail says which one may.'],
  404: ['NotFound', 'There is nothing with this name.'],
  409: ['NotPossibleNow', 'The state does not allow this; the detail says why.'],
  412: ['ChangedInBetween', 'Somebody else saved first; ETag names the state that stands.'],
  413: ['TooLarge', 'The text is larger than what is read.'],
  422: ['NotAccepted', 'A field, or a place in the text, is at fault; each is named.'],
  428: ['MatchMissing', 'If-Match has to name the state that was changed.'],
  429: ['TooManyTries', 'Too many tries; Retry-After says when to come back.'],
  502: ['GatewayAway', 'The gateway does not answer; nothing was changed.'],
}

/** What the operations of each tag are for. */
const tagWords: Record<string, string> = {
  Definitions: 'Bringing definitions in, reading, saving, converting and comparing them.',
  Drift: 'Where gateways do something else than was approved, and putting it right.',
  Gateways: 'What serves traffic, and what it says it runs.',
  Ledger: 'The record of everything, and whether it holds.',
  People: 'Who is signed in, and the tokens a person made for programs.',
  Placements: 'Where versions are placed, with routes, policies and keys.',
  Promotions: 'Bringing versions from stage to stage, with gates and approvals.',
  Register: 'Every API with what is known of it, and finding among them.',
  Requests: 'Trying a request, and why it was answered so.',
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
        Object.entries(errorWords).map(([status, [name, description]]) => [
          name,
          {
            description,
            content: {
              'application/problem+json': {
                schema: problem,
                example: {
                  type: 'about:blank',
                  title: name.replace(/([a-z])([A-Z])/g, '$1 $2'),
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
      ...Object.fromEntries(
        errorsOf(operation).map((status) => [
          status,
          { $ref: `#/components/responses/${errorWords[status]![0]}` },
        ]),
      ),
    },
    ...(calledWith === 'password' && { security: [{ password: [] }] }),
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
  return [...inPath, ...inQuery, ...match]
}
