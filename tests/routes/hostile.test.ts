import fc from 'fast-check'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { problemTypes } from '../../shared/api/problem-types'
import { operations, ownDefinition } from '../../server/operations'
import { bringIn, definition, makeWorld, type Visitor, type World } from '../support/world'

/** How many requests are generated for each operation: `ELM_FUZZ=100` for a night. */
const runs = Number(process.env['ELM_FUZZ'] ?? 6)
const roles = ['imara', 'tomas', 'oskar', 'ruth', 'wren', 'ada']

interface Schema {
  $ref?: string
  type?: string
  enum?: unknown[]
  properties?: Record<string, Schema>
  items?: Schema
  minimum?: number
  maximum?: number
}
interface Described {
  method: string
  path: string
  parameters: { name: string; in: string; schema: Schema }[]
  body: Schema | undefined
  raw: boolean
}

const api = JSON.parse(ownDefinition()) as {
  paths: Record<
    string,
    Record<
      string,
      {
        parameters?: { name: string; in: string; schema: Schema }[]
        requestBody?: { content: Record<string, { schema?: Schema }> }
      }
    >
  >
  components: { schemas: Record<string, Schema> }
}
const described: Described[] = Object.entries(api.paths).flatMap(([path, item]) =>
  Object.entries(item).map(([method, operation]) => {
    const content = operation.requestBody?.content ?? {}
    return {
      method: method.toUpperCase(),
      path,
      parameters: operation.parameters ?? [],
      body: content['application/json']?.schema,
      raw: operation.requestBody !== undefined && content['application/json'] === undefined,
    }
  }),
)

/** What strangers write where a text is expected. */
const text = fc.oneof(
  fc.constantFrom(
    '',
    '\u0000',
    'a\u0000b',
    '\ud800',
    '../../etc/passwd',
    "'; DROP TABLE apis; --",
    '%00',
    '%',
    '{{7*7}}',
    '<script>alert(1)</script>',
    '\u202e',
    'x'.repeat(3000),
    '1e999',
    'NaN',
    'null',
    '__proto__',
    'constructor',
    '2026-02-31',
    '0',
    '-1',
    '9999999999999999999999',
    'http://169.254.169.254/',
    'javascript:alert(1)',
    'leak-sensors',
    'supply-interruptions',
    'Trial',
    'edge',
    'north-edge',
    'house',
    'Network Control',
    'Nobody’s team',
    'tomas',
    '2.4.0',
    '00000000-0000-4000-8000-000000000000',
  ),
  fc.string({ unit: 'binary', maxLength: 30 }),
)
const number = fc.oneof(
  fc.constantFrom(-1, 0, 1, 0.5, 2 ** 31, 2 ** 53, 1e300, -(2 ** 31) - 1),
  fc.integer(),
)
const anything = fc.oneof(
  { maxDepth: 2 },
  text,
  number,
  fc.boolean(),
  fc.constant(null),
  fc.constant([]),
  fc.constant([[]]),
  fc.constant([[{}]]),
  fc.constant([null]),
  fc.constant({}),
  fc.constant(JSON.parse('['.repeat(200) + ']'.repeat(200)) as unknown),
)

function valueOf(schema: Schema | undefined, depth = 0): fc.Arbitrary<unknown> {
  if (!schema || depth > 4) return anything
  if (schema.$ref) return valueOf(api.components.schemas[schema.$ref.split('/').at(-1)!], depth + 1)
  const fitting: fc.Arbitrary<unknown> = schema.enum
    ? fc.constantFrom(...schema.enum)
    : schema.type === 'object' || schema.properties
      ? fc.record(
          Object.fromEntries(
            Object.entries(schema.properties ?? {}).map(([name, inner]) => [
              name,
              valueOf(inner, depth + 1),
            ]),
          ),
          { requiredKeys: [] },
        )
      : schema.type === 'array'
        ? fc.array(valueOf(schema.items, depth + 1), { maxLength: 3 })
        : schema.type === 'integer' || schema.type === 'number'
          ? number
          : schema.type === 'boolean'
            ? fc.boolean()
            : text
  return fc.oneof({ weight: 5, arbitrary: fitting }, { weight: 1, arbitrary: anything })
}

interface Sent {
  operation: Described
  role: string
  params: Record<string, string>
  query: [string, string][]
  body: unknown
  ifMatch: string
}

const requestOf = (operation: Described): fc.Arbitrary<Sent> => {
  const inPath = operation.parameters.filter((parameter) => parameter.in === 'path')
  const inQuery = operation.parameters.filter((parameter) => parameter.in === 'query')
  return fc.record({
    operation: fc.constant(operation),
    role: fc.constantFrom(...roles, 'nobody'),
    params: fc.record(Object.fromEntries(inPath.map(({ name }) => [name, text]))),
    query: fc.array(
      fc.oneof(
        fc.tuple(
          inQuery.length > 0
            ? fc.constantFrom(...inQuery.map(({ name }) => name))
            : fc.constant('limit'),
          fc.oneof(text, number.map(String)),
        ),
        fc.tuple(text, text),
      ),
      { maxLength: 3 },
    ),
    body: operation.raw
      ? fc.oneof(text, fc.constant('{"openapi":"3.1.0"}'), fc.constant('PK\u0003\u0004'))
      : valueOf(operation.body),
    ifMatch: fc.constantFrom('', '"placement-1"', '"revision-1"', '\u00ff', 'x'.repeat(500)),
  })
}

let world: World
const visitors = new Map<string, Visitor>()
/** Half characters have no form in an address. */
const encoded = (value: string) => encodeURIComponent(value.replace(/\p{Surrogate}/gu, '\ufffd'))
const url = ({ operation, params, query }: Sent) =>
  operation.path.replace(/\{(\w+)\}/g, (_, name: string) => encoded(params[name] ?? '') || '%20') +
  (query.length > 0
    ? `?${query.map(([name, value]) => `${encoded(name)}=${encoded(value)}`).join('&')}`
    : '')

beforeAll(async () => {
  world = await makeWorld()
  for (const role of roles) visitors.set(role, await world.visitor(role))
  visitors.set('nobody', await world.visitor('nobody'))
  await bringIn(visitors.get('tomas')!, definition('leak-sensors/0.3.0.yaml'))
})
afterAll(() => world.close())

describe('the API', () => {
  it('answers any request at all with what it means, and never with a fault of its own', async () => {
    const seen = new Map<string, number>()
    const tried = new Set<string>()
    for (const operation of described)
      await fc.assert(
        fc.asyncProperty(requestOf(operation), async (sent) => {
          const { body, ifMatch } = sent
          // Signing out would end the role's other requests.
          const role = operation.path === '/session' ? 'nobody' : sent.role
          tried.add(`${operation.method} ${operation.path}`)
          const takesBody = operation.method !== 'GET' && operation.method !== 'DELETE'
          const answer = await visitors
            .get(role)!
            .call<{ type?: string; title?: string }>(
              operation.method,
              url(sent),
              takesBody ? (body ?? null) : undefined,
              ifMatch === '' ? {} : { 'if-match': ifMatch },
            )
          seen.set(String(answer.status), (seen.get(String(answer.status)) ?? 0) + 1)
          expect(answer.status, `${operation.method} ${url(sent)}`).toBeLessThan(500)
          if (role === 'nobody') expect([400, 401, 404]).toContain(answer.status)
          if (answer.status >= 400) {
            expect(answer.headers.get('content-type')).toBe('application/problem+json')
            expect(Object.keys(problemTypes)).toContain(answer.body.type?.replace('/problems/', ''))
            expect(JSON.stringify(answer.body)).not.toMatch(/select |node_modules|\bat \w+ \(/i)
          }
        }),
        { numRuns: runs },
      )
    expect(tried.size).toBe(operations.length)
    expect(seen.size).toBeGreaterThan(2)
  }, 3_000_000)

  it('knows its addresses and their methods, and says so', async () => {
    const tomas = visitors.get('tomas')!
    for (const path of ['/nothing', '/', '/apis/x/y/z/nothing', '/../..', '//apis']) {
      const answer = await tomas.call<{ type: string }>('GET', path)
      expect(answer, path).toMatchObject({ status: 404, body: { type: '/problems/not-found' } })
    }
    const answer = await tomas.call<{ type: string }>('PUT', '/apis')
    expect(answer).toMatchObject({ status: 405, body: { type: '/problems/method-not-allowed' } })
    expect(answer.headers.get('allow')).toBe('GET')
    expect((await tomas.call('DELETE', '/placements')).headers.get('allow')).toBe('GET, POST')
    expect(answer.headers.get('cache-control')).toBe('no-store')
  })

  it('names the place of what no database keeps', async () => {
    const tomas = visitors.get('tomas')!
    for (const bad of ['a\u0000b', '\ud800']) {
      const answer = await tomas.call<{ faults: { field: string }[] }>(
        'PATCH',
        '/apis/leak-sensors',
        { links: [{ title: bad, url: 'https://a.example/' }] },
      )
      expect(answer).toMatchObject({
        status: 422,
        body: { faults: [{ field: 'links.0.title' }] },
      })
    }
    expect((await tomas.call('GET', '/apis/a%00b')).status).toBe(422)
    expect((await tomas.call('GET', '/apis/%ff')).status).toBe(400)
  })

  it('takes links of http and https only', async () => {
    const tomas = visitors.get('tomas')!
    for (const bad of ['javascript:alert(1)', 'data:text/html,x', 'file:///etc/passwd', '//x']) {
      const links = [{ title: 'Runbook', url: bad }]
      expect((await tomas.call('PATCH', '/apis/leak-sensors', { links })).status, bad).toBe(422)
    }
  })

  it('does nothing for pages of other sites', async () => {
    const tomas = visitors.get('tomas')!
    const from = (headers: Record<string, string>, method = 'PATCH') =>
      tomas.call(method, '/apis/leak-sensors', method === 'GET' ? undefined : {}, headers)
    expect((await from({ 'sec-fetch-site': 'cross-site' })).status).toBe(403)
    expect((await from({ 'sec-fetch-site': 'same-site' })).status).toBe(403)
    expect((await from({ 'sec-fetch-site': 'cross-site' }, 'GET')).status).toBe(403)
    expect((await from({ origin: 'https://evil.example' })).status).toBe(403)
    expect((await from({ origin: 'null' })).status).toBe(403)
    expect((await from({ 'sec-fetch-site': 'same-origin' })).status).toBe(200)
  })

  it('asks every role for every operation, and lets nobody in without a session', async () => {
    const nobody = visitors.get('nobody')!
    for (const { method, path, calledWith } of operations) {
      if (calledWith === 'password') continue
      const answer = await nobody.call(method, path.replace(/\{\w+\}/g, '1'))
      expect(answer.status, `${method} ${path}`).toBe(401)
    }
  })
})

describe('what travels', () => {
  const asked = async (encoding: string, path = '/rulebook', method = 'GET') => {
    const response = await fetch(`${world.base}/api/v1${path}`, {
      method,
      headers: { cookie: visitors.get('wren')!.cookie(), 'accept-encoding': encoding },
    })
    return { response, body: await response.text() }
  }

  it('is compressed as the client takes it, and says the same', async () => {
    const plain = await asked('identity')
    expect(plain.response.headers.get('content-encoding')).toBeNull()
    for (const [accepts, way] of [
      ['gzip, deflate, br', 'br'],
      ['gzip', 'gzip'],
      ['br;q=0, gzip;q=0.5', 'gzip'],
    ] as const) {
      const { response, body } = await asked(accepts)
      expect(response.headers.get('content-encoding')).toBe(way)
      expect(response.headers.get('vary')).toMatch(/Accept-Encoding/)
      expect(body).toBe(plain.body)
    }
  })

  it('is left as it is where it is small, or carries what was just sent', async () => {
    expect((await asked('br', '/self')).response.headers.get('content-encoding')).toBeNull()
    const { response } = await asked('br', '/ledger/verify', 'POST')
    expect(response.headers.get('content-encoding')).toBeNull()
  })
})
