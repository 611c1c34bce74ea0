import { createHash } from 'node:crypto'
import http from 'node:http'
import { afterAll, afterEach, beforeAll, describe, expect, it } from 'vitest'
import type { Described } from '../core/runtime/described'
import type { PolicySet } from '../core/runtime/policies'
import { listen, placed, recorder, testGateway, type TestGateway } from '../tests/support/gateway'
import { testIssuer, type TestIssuer } from '../tests/support/issuer'
import { openAt, opensAgain } from './hours'
import { RateLimiter } from './limiter'

let gateway: TestGateway
let backend: Awaited<ReturnType<typeof recorder>>
let issuer: TestIssuer
let clock = 0
const now = () => Date.now() + clock

beforeAll(async () => {
  backend = await recorder()
  issuer = await testIssuer()
  gateway = await testGateway({ now })
})
afterAll(async () => {
  await gateway.close()
  await backend.close()
  await issuer.close()
})
afterEach(() => {
  clock = 0
  issuer.mood = 'well'
})

const operations = [
  'GET /things',
  'POST /things',
  'GET /things/{id}',
  'PUT /things/{id}',
  'GET /report-{id}',
]
const open: PolicySet = { authentication: { kind: 'none', reason: 'a test' } }
const sha256 = (text: string) => createHash('sha256').update(text).digest('hex')
const keys = [
  { name: 'Alder Homes', sha256: sha256('alder') },
  { name: 'Tarn Institute', sha256: sha256('tarn') },
]

async function serve(
  policies: PolicySet,
  own: Record<string, PolicySet> = {},
  scopes?: Map<string, string[][]>,
) {
  backend.seen.length = 0
  const spec = placed(backend.url, operations, { policies: { ...open, ...policies } })
  const routes = spec.routes.map((row) => {
    const set = own[`${row.method} ${row.path}`]
    return set ? { ...row, policies: set } : row
  })
  await gateway.place({ ...spec, routes }, { keys, ...(scopes && { scopes }) })
}

interface Answer {
  status: number
  headers: http.IncomingHttpHeaders
  body: string
}

function ask(
  method: string,
  path: string,
  headers: http.OutgoingHttpHeaders = {},
  body?: string | Buffer,
): Promise<Answer> {
  return new Promise((resolve, reject) => {
    const request = http.request(
      {
        port: gateway.dataPort,
        host: '127.0.0.1',
        path: `/v1${path}`,
        method,
        agent: false,
        headers: { host: 'a.example', ...headers },
      },
      (response) => {
        let text = ''
        response.setEncoding('latin1')
        response.on('error', reject)
        response.on('data', (chunk: string) => (text += chunk))
        response.on('end', () =>
          resolve({ status: response.statusCode!, headers: response.headers, body: text }),
        )
      },
    )
    request.on('error', reject)
    request.end(body)
  })
}
const get = (path = '/things', headers: http.OutgoingHttpHeaders = {}) => ask('GET', path, headers)
const stepsOf = async ({ headers }: Answer) =>
  (await gateway.log(String(headers['x-request-id']))).steps
const reasonOf = async (answer: Answer) =>
  (await stepsOf(answer)).find(({ passed }) => !passed)?.text

describe('authenticate', () => {
  const credentials = (...anyOf: object[][]) =>
    ({
      authentication: { kind: 'credentials', anyOf: anyOf.map((allOf) => ({ allOf })) },
    }) as PolicySet
  const key = (where: string, name: string) => ({ kind: 'api-key', in: where, name })
  const jwt = (more: object = {}) => ({
    kind: 'jwt',
    issuer: issuer.issuer,
    jwks: issuer.jwks,
    audience: ['supply'],
    skewSeconds: 30,
    client: 'azp',
    claims: [],
    ...more,
  })
  const bearer = (token: string) => ({ authorization: `Bearer ${token}` })

  it('takes a key from a header, a query parameter or a cookie, and keeps it from the backend', async () => {
    await serve(
      credentials([key('header', 'X-Api-Key')], [key('query', 'key')], [key('cookie', 'apikey')]),
    )
    expect((await get()).status).toBe(401)
    expect((await get()).headers['www-authenticate']).toBe(
      'ApiKey header="X-Api-Key", ApiKey query="key", ApiKey cookie="apikey"',
    )
    expect((await get('/things', { 'x-api-key': 'wrong' })).status).toBe(401)
    expect((await get('/things?a=1&key=tarn&b=2')).status).toBe(200)
    expect(backend.seen.at(-1)!.url).toBe('/things?a=1&b=2')
    expect((await get('/things', { cookie: 'theme=dark; apikey=alder; lang=en' })).status).toBe(200)
    expect(backend.seen.at(-1)!.headers.cookie).toBe('theme=dark; lang=en')
    expect((await get('/things', { 'x-api-key': 'alder' })).status).toBe(200)
    expect(backend.seen.at(-1)!.headers).not.toHaveProperty('x-api-key')
    // Twice is not once: which of both was meant, nobody knows.
    expect((await get('/things?key=tarn&key=alder')).status).toBe(401)
  })

  it('takes the name and secret of HTTP Basic', async () => {
    await serve(credentials([{ kind: 'basic', realm: 'Works' }]))
    const basic = (pair: string) => ({
      authorization: `Basic ${Buffer.from(pair).toString('base64')}`,
    })
    const answer = await get('/things', basic('Alder Homes:wrong'))
    expect(answer.headers['www-authenticate']).toBe('Basic realm="Works", charset="UTF-8"')
    expect((await get('/things', basic('Tarn Institute:alder'))).status).toBe(401)
    expect((await get('/things', basic('alder'))).status).toBe(401)
    const good = await get('/things', basic('Alder Homes:alder'))
    expect(good.status).toBe(200)
    expect(backend.seen.at(-1)!.headers).not.toHaveProperty('authorization')
    expect((await gateway.log(String(good.headers['x-request-id']))).consumer).toBe('Alder Homes')
  })

  it('verifies tokens, and says what is wrong with one', async () => {
    await serve(credentials([jwt({ claims: [{ name: 'zone', value: 'north' }] })]))
    const good = await issuer.token({ zone: 'north' })
    const answer = await get('/things', bearer(good))
    expect(answer.status).toBe(200)
    expect((await gateway.log(String(answer.headers['x-request-id']))).consumer).toBe('tenant-app')
    const seconds = Math.floor(Date.now() / 1000)
    const [header, payload, signature] = good.split('.')
    const encoded = (value: object) => Buffer.from(JSON.stringify(value)).toString('base64url')
    const bad: [string, RegExp][] = [
      [await issuer.token({ zone: 'north', exp: seconds - 60 }), /expired/],
      [await issuer.token({ zone: 'north', nbf: seconds + 90 }), /not valid yet/],
      [await issuer.token({ zone: 'north', aud: 'meters' }), /its claim aud/],
      [await issuer.token({ zone: 'north', iss: 'https://other.example' }), /its claim iss/],
      [await issuer.token({ zone: 'south' }), /its claim zone is not north/],
      [await issuer.token({ zone: 'north' }, { kid: 'nobody' }), /does not have/],
      [`${header}.${payload}.${signature!.slice(0, -6)}AAAAAA`, /signature|not a JWT/],
      [
        `${header}.${encoded({ iss: issuer.issuer, aud: 'supply', exp: seconds + 60, zone: 'north' })}.${signature}`,
        /signature/,
      ],
      [`${encoded({ alg: 'none' })}.${payload}.`, /not signed|not a JWT/],
      [`${encoded({ alg: 'HS256', kid: 'key-1' })}.${payload}.${signature}`, /not signed/],
      ['x'.repeat(9000), /longer than 8 kB/],
      ['not-a-token', /not a JWT/],
    ]
    for (const [token, why] of bad) {
      const refused = await get('/things', bearer(token))
      expect([refused.status, await reasonOf(refused)]).toEqual([401, expect.stringMatching(why)])
      expect(refused.headers['www-authenticate']).toBe('Bearer error="invalid_token"')
    }
    // Within the clock skew it is taken.
    expect(
      (await get('/things', bearer(await issuer.token({ zone: 'north', exp: seconds - 20 }))))
        .status,
    ).toBe(200)
  })

  it('asks for keys once, follows their rotation, and outlives an issuer that is down', async () => {
    await serve(credentials([jwt({ audience: [], jwks: `${issuer.jwks}/a` })]))
    const asked = issuer.asked
    const tokens = await Promise.all([1, 2, 3, 4].map((n) => issuer.token({ jti: String(n) })))
    const answers = await Promise.all(tokens.map((token) => get('/things', bearer(token))))
    expect(answers.map(({ status }) => status)).toEqual([200, 200, 200, 200])
    expect(issuer.asked).toBe(asked + 1)
    await issuer.rotate()
    clock += 15_000
    expect((await get('/things', bearer(await issuer.token()))).status).toBe(200)
    issuer.mood = 'down'
    clock += 60 * 60_000
    const later = Math.floor(now() / 1000) + 300
    expect((await get('/things', bearer(await issuer.token({ exp: later })))).status).toBe(200)
    // Nobody trusts keys for ever that cannot be read again; that is not the caller's fault.
    clock += 25 * 60 * 60_000
    const unknown = await get(
      '/things',
      bearer(await issuer.token({ exp: Math.floor(now() / 1000) + 300 })),
    )
    expect([unknown.status, unknown.headers['retry-after']]).toEqual([503, '10'])
    issuer.mood = 'well'
    clock += 15_000
    expect(
      (await get('/things', bearer(await issuer.token({ exp: Math.floor(now() / 1000) + 300 }))))
        .status,
    ).toBe(200)
  })

  it('does not wait for an issuer that says nothing', async () => {
    await serve(credentials([jwt({ jwks: `${issuer.jwks}/silent` })]))
    issuer.mood = 'silent'
    const begun = Date.now()
    const answers = await Promise.all(
      Array.from({ length: 20 }, async () => get('/things', bearer(await issuer.token()))),
    )
    expect(new Set(answers.map(({ status }) => status))).toEqual(new Set([503]))
    expect(Date.now() - begun).toBeLessThan(6000)
  })

  it('wants everything that belongs together, of the same client', async () => {
    await serve(credentials([key('header', 'X-A'), key('header', 'X-B')]))
    expect((await get('/things', { 'x-a': 'alder' })).status).toBe(401)
    expect(await reasonOf(await get('/things', { 'x-a': 'alder', 'x-b': 'tarn' }))).toMatch(
      /different clients/,
    )
    expect((await get('/things', { 'x-a': 'alder', 'x-b': 'alder' })).status).toBe(200)
  })
})

describe('authorise', () => {
  it('takes requests of some addresses only', async () => {
    await serve({ addresses: { allow: ['10.0.0.0/8'], refuse: [] } })
    const refused = await get()
    expect([refused.status, await reasonOf(refused)]).toEqual([403, '127.0.0.1 may not call this'])
    await serve({ addresses: { allow: ['127.0.0.0/8', '::1/128'], refuse: [] } })
    expect((await get()).status).toBe(200)
    await serve({ addresses: { allow: [], refuse: ['127.0.0.1/32'] } })
    expect((await get()).status).toBe(403)
  })

  it('asks tokens for scopes, by operation as the definition names them', async () => {
    const authentication: PolicySet['authentication'] = {
      kind: 'credentials',
      anyOf: [
        {
          allOf: [
            {
              kind: 'jwt',
              issuer: issuer.issuer,
              jwks: `${issuer.jwks}/scopes`,
              audience: [],
              skewSeconds: 0,
              client: 'azp',
              claims: [],
            },
          ],
        },
      ],
    }
    await serve(
      { authentication, scopes: { definition: true, also: [], claim: 'scope' } },
      {},
      new Map([
        ['GET /things', [['read']]],
        ['POST /things', [['write', 'read'], ['admin']]],
      ]),
    )
    const as = async (scope: unknown) => ({
      authorization: `Bearer ${await issuer.token({ scope })}`,
    })
    expect((await get('/things', await as('other read'))).status).toBe(200)
    expect((await get('/things', await as(['read']))).status).toBe(200)
    const refused = await get('/things', await as('reader'))
    expect(refused.status).toBe(403)
    expect(refused.headers['www-authenticate']).toBe(
      'Bearer error="insufficient_scope", scope="read"',
    )
    expect((await ask('POST', '/things', await as('read'))).status).toBe(403)
    expect((await ask('POST', '/things', await as('admin'))).status).toBe(200)
    expect((await get('/things/7', await as(''))).status).toBe(200)
  })

  it('asks for the scopes of the definition where one operation alone has the policy', async () => {
    const jwt = {
      ...{ kind: 'jwt' as const, issuer: issuer.issuer, jwks: `${issuer.jwks}/own`, audience: [] },
      ...{ skewSeconds: 0, client: 'azp', claims: [] },
    }
    await serve(
      { authentication: { kind: 'credentials', anyOf: [{ allOf: [jwt] }] } },
      { 'GET /things': { scopes: { definition: true, also: [], claim: 'scope' } } },
      new Map([['GET /things', [['read']]]]),
    )
    const as = async (scope: string) => ({
      authorization: `Bearer ${await issuer.token({ scope })}`,
    })
    expect((await get('/things', await as('other'))).status).toBe(403)
    expect((await get('/things', await as('read'))).status).toBe(200)
  })

  it('is closed for maintenance until it ends, and says when to ask again', async () => {
    const until = new Date(Date.now() + 90_000).toISOString().replace(/\.\d+Z/, 'Z')
    await serve({ maintenance: { message: 'Moving house', until, retryAfterSeconds: 600 } })
    const closed = await get()
    expect(closed.status).toBe(503)
    expect(Number(closed.headers['retry-after'])).toBeGreaterThan(60)
    expect(closed.body).toContain('Moving house')
    clock = 91_000
    expect((await get()).status).toBe(200)
  })

  it('is open at its hours, through the night and where clocks change', () => {
    const hours = {
      days: ['mon', 'tue', 'wed', 'thu', 'fri'] as const,
      from: '22:00',
      to: '06:00',
      zone: 'Europe/London',
    }
    const night = { ...hours, days: [...hours.days] }
    const at = (moment: string) => openAt(night, Date.parse(moment))
    expect(at('2026-11-30T21:59:00Z')).toBe(false)
    expect(at('2026-11-30T22:00:00Z')).toBe(true)
    // Saturday morning belongs to Friday's night; Saturday night to nobody.
    expect(at('2026-11-28T05:59:00Z')).toBe(true)
    expect(at('2026-11-28T22:30:00Z')).toBe(false)
    // In summer London is an hour ahead of UTC.
    expect(at('2026-07-01T21:00:00Z')).toBe(true)
    const again = opensAgain(night, Date.parse('2026-11-28T07:07:07Z'))
    expect(new Date(again).toISOString()).toBe('2026-11-30T22:00:00.000Z')
  })
})

describe('limit', () => {
  it('takes a burst, then the rate, and says what is left', async () => {
    await serve({ rate: { requests: 60, seconds: 60, burst: 2, per: 'address' } })
    const first = await get()
    expect(first.headers['ratelimit-policy']).toBe('"rate";q=60;w=60')
    expect(first.headers['ratelimit']).toBe('"rate";r=1;t=1')
    expect((await get()).status).toBe(200)
    const refused = await get()
    expect([refused.status, refused.headers['retry-after']]).toEqual([429, '1'])
    clock = 1000
    expect((await get()).status).toBe(200)
  })

  it('counts each client, operation and placement apart, and an operation of its own alone', async () => {
    const authentication: PolicySet['authentication'] = {
      kind: 'credentials',
      anyOf: [{ allOf: [{ kind: 'api-key', in: 'header', name: 'X-Api-Key' }] }],
    }
    const one = (per: 'client' | 'operation' | 'placement') => ({
      rate: { requests: 1, seconds: 600, per },
    })
    const as = (secret: string, path = '/things') =>
      get(path, { 'x-api-key': secret }).then(({ status }) => status)
    await serve({ authentication, ...one('client') })
    expect([await as('alder'), await as('tarn'), await as('alder', '/things/1')]).toEqual([
      200, 200, 429,
    ])
    await serve({ authentication, rate: { requests: 1, seconds: 601, per: 'operation' } })
    expect([await as('alder'), await as('tarn'), await as('tarn', '/things/1')]).toEqual([
      200, 429, 200,
    ])
    await serve({ authentication, rate: { requests: 1, seconds: 602, per: 'placement' } })
    expect([await as('alder'), await as('tarn', '/things/1')]).toEqual([200, 429])
    await serve(
      { authentication, rate: { requests: 2, seconds: 603, per: 'client' } },
      { 'GET /things/{id}': { rate: { requests: 1, seconds: 603, per: 'client' } } },
    )
    expect([
      await as('alder', '/things/1'),
      await as('alder', '/things/2'),
      await as('alder'),
      await as('alder'),
    ]).toEqual([200, 429, 200, 200])
  })

  it('keeps no more counters than it has room for', () => {
    const limiter = new RateLimiter(() => 0)
    for (let n = 0; n < 100_000; n++)
      limiter.admit(`client ${n}`, { requests: 1, seconds: 60, per: 'client' })
    expect(limiter.size).toBe(50_000)
    expect(
      limiter.admit('client 99999', { requests: 1, seconds: 60, per: 'client' }).admitted,
    ).toBe(false)
  })

  it('counts quotas by the day, over a restart, and with what others have taken', async () => {
    await serve({ quota: { requests: 4, in: 'day', per: 'placement' } })
    expect((await get()).headers['ratelimit']).toMatch(/^"quota";r=3;t=\d+$/)
    await gateway.restart()
    expect((await get()).headers['ratelimit']).toMatch(/^"quota";r=2;/)
    const admin = (init: RequestInit = {}) =>
      fetch(`http://127.0.0.1:${gateway.adminPort}/quotas`, {
        headers: { 'x-admin-secret': 's' },
        ...init,
      })
    const taken = (await (await admin()).json()) as { who: string; period: string; own: number }[]
    expect(taken).toMatchObject([{ own: 2 }])
    const learn = (others: unknown) => admin({ method: 'PUT', body: JSON.stringify(others) })
    const { who, period } = taken[0]!
    expect((await learn([{ who, period, taken: 1 }])).status).toBe(200)
    expect((await learn([{ who, period, taken: 'many' }])).status).toBe(400)
    expect((await get()).status).toBe(200)
    // What comes late, with less than is known, does not give anything back.
    await learn([{ who, period, taken: 0 }])
    const over = await get()
    expect(over.status).toBe(429)
    expect(Number(over.headers['retry-after'])).toBeLessThanOrEqual(86_400)
    clock = 24 * 60 * 60_000
    expect((await get()).status).toBe(200)
  })

  it('has so many under way at once, and gives places back', async () => {
    const slow = http.createServer((_request, response) =>
      setTimeout(() => response.end('late'), 300),
    )
    const port = await listen(slow)
    await gateway.place(
      placed(`http://127.0.0.1:${port}`, operations, {
        policies: { ...open, concurrency: { requests: 2, per: 'placement' } },
      }),
    )
    const first = await Promise.all([get(), get(), get()])
    expect(first.map(({ status }) => status).sort()).toEqual([200, 200, 429])
    expect((await get()).status).toBe(200)
    slow.close()
    slow.closeAllConnections()
  })
})

describe('validate', () => {
  const json = { 'content-type': 'application/json' }

  it('bounds bodies by size, in whatever framing they come', async () => {
    await serve({ body: { bytes: 100, mediaTypes: ['application/json', 'text/*'] } })
    expect((await ask('POST', '/things', json, 'x'.repeat(100))).status).toBe(200)
    expect(backend.seen.at(-1)!.body).toHaveLength(100)
    expect((await ask('POST', '/things', json, 'x'.repeat(101))).status).toBe(413)
    const chunked = { ...json, 'transfer-encoding': 'chunked' }
    expect((await ask('POST', '/things', chunked, 'x'.repeat(5000))).status).toBe(413)
    expect((await ask('POST', '/things', chunked, 'x'.repeat(99))).status).toBe(200)
    expect(backend.seen.at(-1)!.body).toHaveLength(99)
    expect((await ask('POST', '/things', { 'content-type': 'text/csv' }, 'a')).status).toBe(200)
    expect((await ask('POST', '/things', { 'content-type': 'image/png' }, 'a')).status).toBe(415)
    expect((await ask('POST', '/things', {}, 'a')).status).toBe(415)
    expect(backend.seen.filter(({ method }) => method === 'POST')).toHaveLength(3)
  })

  it('bounds depth and values of JSON and XML, and takes nothing it cannot look into', async () => {
    await serve({ body: { bytes: 1_000_000, depth: 4, values: 20, mediaTypes: [] } })
    const post = (type: string, body: string, headers = {}) =>
      ask('POST', '/things', { 'content-type': type, ...headers }, body)
    expect((await post('application/json', '[[[[1]]]]')).status).toBe(200)
    const deep = await post('application/json', '[[[[[1]]]]]')
    expect([deep.status, await reasonOf(deep)]).toEqual([
      400,
      'The body is nested more than 4 deep',
    ])
    expect((await post('application/problem+json', `[${'1,'.repeat(30)}1]`)).status).toBe(400)
    expect((await post('application/json', JSON.stringify('[[[[[[\\"[['))).status).toBe(200)
    expect((await post('application/json', '['.repeat(400_000))).status).toBe(400)
    expect((await post('application/xml', '<a><b><c><d/></c></b></a>')).status).toBe(200)
    expect((await post('application/soap+xml', '<a><b><c><d><e/></d></c></b></a>')).status).toBe(
      400,
    )
    const bomb = '<!DOCTYPE a [<!ENTITY x "xxxxxxxx"><!ENTITY y "&x;&x;&x;">]><a>&y;</a>'
    expect(await reasonOf(await post('text/xml', bomb))).toBe(
      'The body has a document type declaration',
    )
    expect((await post('text/xml', '<a>')).status).toBe(400)
    const zipped = await post('application/json', 'bytes', { 'content-encoding': 'gzip' })
    expect(zipped.status).toBe(415)
  })
})

describe('held against the definition', () => {
  const described = (): Described => ({
    schemas: [
      {
        name: 'Reading',
        schema: {
          type: 'object',
          required: ['value'],
          properties: {
            value: { type: 'integer' },
            next: { $ref: '#/components/schemas/Reading' },
          },
          additionalProperties: false,
        },
      },
    ],
    operations: {
      'GET /things': {
        parameters: [
          {
            name: 'limit',
            in: 'query',
            required: true,
            explode: true,
            schema: { type: 'integer', maximum: 50 },
          },
          {
            name: 'kind',
            in: 'query',
            required: false,
            explode: true,
            schema: { type: 'array', items: { enum: ['a', 'b'] } },
          },
          {
            name: 'X-Trace',
            in: 'header',
            required: false,
            explode: false,
            schema: { type: 'string', maxLength: 3 },
          },
        ],
        responses: [{ status: '200', content: [{ type: 'application/json' }] }],
      },
      'POST /things': {
        parameters: [],
        body: {
          required: true,
          content: [{ type: 'application/json', schema: { $ref: '#/components/schemas/Reading' } }],
        },
        responses: [],
      },
      'GET /things/{id}': {
        parameters: [
          { name: 'id', in: 'path', required: true, explode: false, schema: { type: 'integer' } },
        ],
        responses: [{ status: 'default', content: [] }],
      },
    },
  })
  const hold = async (requests: 'report' | 'refuse', responses: 'ignore' | 'report' = 'ignore') => {
    backend.seen.length = 0
    const policies: PolicySet = { ...open, contract: { requests, responses } }
    await gateway.place(placed(backend.url, operations, { policies }), { keys, described })
  }
  const json = { 'content-type': 'application/json' }
  const post = (body: string, headers: http.OutgoingHttpHeaders = json) =>
    ask('POST', '/things', headers, body)
  const detail = ({ body }: Answer) => (JSON.parse(body) as { detail: string }).detail

  it('refuses what breaks it, with the place and the reason', async () => {
    await hold('refuse')
    expect(detail(await get('/things'))).toBe('The query parameter limit is missing')
    expect(detail(await get('/things?limit=99&kind=a&kind=c', { 'x-trace': 'long' }))).toMatch(
      /query parameter limit is above 50\. The query parameter kind: "\[1\]" is .* none of the values allowed\. The header X-Trace has 4 characters/,
    )
    expect((await get('/things?limit=5&kind=a&kind=b')).status).toBe(200)
    expect(detail(await get('/things/seven'))).toMatch(
      /path parameter id is a string, and integer is asked for/,
    )
    expect((await get('/things/7')).status).toBe(200)
    expect(detail(await post('{"value":1,"next":{"value":"x"}}'))).toMatch(
      /"next\.value" is a string/,
    )
    expect(detail(await post('{"other":1}'))).toMatch(/which is required|does not know/)
    expect(detail(await post('{"value":'))).toBe('The body is not JSON')
    expect(detail(await post('a=1', { 'content-type': 'text/plain' }))).toMatch(
      /text\/plain, and application\/json is described/,
    )
    expect(detail(await ask('POST', '/things', json))).toBe('The body is missing')
    expect((await post('{"value":1,"next":{"value":2}}')).status).toBe(200)
    expect(backend.seen.at(-1)!.body).toBe('{"value":1,"next":{"value":2}}')
    expect(
      (await ask('POST', '/things', { ...json, 'transfer-encoding': 'chunked' }, '{"value":3}'))
        .status,
    ).toBe(200)
    expect(backend.seen.at(-1)!.body).toBe('{"value":3}')
  })

  it('notes what breaks it and lets it through where it only reports, responses too', async () => {
    await hold('report', 'report')
    const answer = await get('/things?limit=99')
    expect(answer.status).toBe(200)
    const texts = (await stepsOf(answer)).map(({ text }) => text)
    expect(texts).toContainEqual(
      expect.stringMatching(/only noted: The query parameter limit is above 50/),
    )
    expect(texts).toContainEqual(
      expect.stringMatching(/The response is text\/plain, and application\/json is described/),
    )
  })

  it('does not wait for what is deep, large or goes in circles', async () => {
    await hold('refuse')
    const deep = `${'{"value":1,"next":'.repeat(20_000)}{"value":1}${'}'.repeat(20_000)}`
    const begun = Date.now()
    expect((await post(deep)).status).toBeLessThan(500)
    const large = JSON.stringify({ value: 1, next: { value: 'x'.repeat(1_100_000) } })
    expect((await post(large)).status).toBe(200)
    expect(
      (await ask('POST', '/things', { ...json, 'transfer-encoding': 'chunked' }, large)).status,
    ).toBe(413)
    expect(Date.now() - begun).toBeLessThan(5000)
  })
})

describe('transform', () => {
  it('maps parameters, changes headers, and puts them where the backend wants them', async () => {
    await serve({
      parameters: {
        map: [
          { kind: 'rename', in: 'query', name: 'area', toIn: 'query', toName: 'areaCode' },
          { kind: 'rename', in: 'query', name: 'trace', toIn: 'header', toName: 'X-Trace-Id' },
          { kind: 'constant', in: 'query', name: 'channel', value: 'partner & co' },
          { kind: 'drop', in: 'cookie', name: 'session' },
        ],
      },
      requestHeaders: { set: [{ name: 'X-Zone', value: 'edge' }], add: [], remove: ['X-Debug'] },
    })
    await get('/things?area=n%C3%B6rd&trace=42&channel=mine&keep=%2f&areaCode=spoofed', {
      'x-zone': 'mine',
      'x-debug': '1',
      'x-trace-id': 'spoofed',
      cookie: 'session=1; lang=en',
    })
    const { url, headers } = backend.seen.at(-1)!
    expect(url).toBe('/things?keep=%2f&areaCode=n%C3%B6rd&channel=partner%20%26%20co')
    expect(headers).toMatchObject({ 'x-zone': 'edge', 'x-trace-id': '42', cookie: 'lang=en' })
    expect(headers).not.toHaveProperty('x-debug')
    const bad = await get('/things?trace=%0d%0aX-Evil:1')
    expect([bad.status, await reasonOf(bad)]).toEqual([
      400,
      'The parameter trace has a character that no header can carry',
    ])
  })

  it('sends an operation on to another path and method, with its path parameters', async () => {
    await serve({}, { 'GET /things/{id}': { rewrite: { path: '/old/{id}/thing', method: 'PUT' } } })
    await get('/things/a%20b?x=1')
    expect(backend.seen.at(-1)).toMatchObject({ method: 'PUT', url: '/old/a%20b/thing?x=1' })
    await get('/things')
    expect(backend.seen.at(-1)).toMatchObject({ method: 'GET', url: '/things' })
  })

  it('takes values out of a path as it was matched, however it is encoded, and never an empty one', async () => {
    await serve({}, { 'GET /report-{id}': { rewrite: { path: '/reports/{id}' } } })
    for (const [path, inside] of [
      ['/report-5', '/reports/5'],
      ['/%72eport-5', '/reports/5'],
      ['/%72eport-a%3Bb', '/reports/a%3Bb'],
      ['/report-a;b', '/reports/a;b'],
    ] as const) {
      await get(path)
      expect(backend.seen.at(-1)!.url).toBe(inside)
    }
    backend.seen.length = 0
    for (const path of ['/report-.', '/report-..']) expect((await get(path)).status).toBe(400)
    expect(backend.seen).toEqual([])
  })
})

describe('respond', () => {
  const cors = (more: object = {}) => ({
    cors: {
      origins: ['https://app.example', 'https://*.brackenmere.example'],
      headers: ['X-Api-Key'],
      expose: ['X-Own'],
      credentials: true,
      maxAgeSeconds: 60,
      ...more,
    },
  })

  it('answers preflights itself, and lets scripts of named origins read', async () => {
    await serve({
      ...cors(),
      authentication: {
        kind: 'credentials',
        anyOf: [{ allOf: [{ kind: 'api-key', in: 'header', name: 'X-Api-Key' }] }],
      },
    })
    const preflight = (origin: string, method = 'POST') =>
      ask('OPTIONS', '/things', { origin, 'access-control-request-method': method })
    const allowed = await preflight('https://app.example')
    expect(allowed.status).toBe(204)
    expect(allowed.headers).toMatchObject({
      'access-control-allow-origin': 'https://app.example',
      'access-control-allow-credentials': 'true',
      'access-control-allow-methods': 'GET, POST',
      'access-control-allow-headers': 'X-Api-Key',
      'access-control-max-age': '60',
      vary: 'Origin',
    })
    for (const origin of [
      'https://evil.example',
      'https://app.example.evil.example',
      'https://evilbrackenmere.example',
      'null',
    ]) {
      const refused = await preflight(origin)
      expect([refused.status, refused.headers['access-control-allow-origin']]).toEqual([
        204,
        undefined,
      ])
    }
    expect(
      (await preflight('https://a.brackenmere.example')).headers['access-control-allow-origin'],
    ).toBe('https://a.brackenmere.example')
    // A preflight for what is not routed is an ordinary request for OPTIONS.
    expect((await preflight('https://app.example', 'DELETE')).status).toBe(405)
    // Errors of the gateway can be read by scripts too.
    const refused = await get('/things', { origin: 'https://app.example' })
    expect([refused.status, refused.headers['access-control-allow-origin']]).toEqual([
      401,
      'https://app.example',
    ])
    expect(backend.seen).toEqual([])
  })

  it('says how long responses may be kept, changes headers, and shapes errors', async () => {
    await serve({
      caching: { visibility: 'public', maxAgeSeconds: 300 },
      responseHeaders: {
        set: [{ name: 'Content-Type', value: 'text/x-own' }],
        add: [{ name: 'X-By', value: 'elm' }],
        remove: ['X-Powered-By'],
      },
      errors: { shape: 'soap-fault' },
      body: { bytes: 1, mediaTypes: [] },
    })
    const good = await get()
    expect(good.headers).toMatchObject({
      'cache-control': 'public, max-age=300',
      'content-type': 'text/x-own',
      'x-by': 'elm',
    })
    const refused = await ask('POST', '/things', {}, 'too large')
    expect(refused.headers['cache-control']).toBe('no-store')
    expect(refused.body).toMatch(
      /<faultcode>soap:Client<\/faultcode><faultstring>The body is too large\. The body is larger than 1 B\./,
    )
  })
})

describe('forward', () => {
  const failing = async (statuses: (number | 'cut')[]) => {
    let asked = 0
    const bodies: string[] = []
    const server = http.createServer((request, response) => {
      let body = ''
      request.on('data', (chunk: Buffer) => (body += chunk.toString()))
      request.on('end', () => {
        bodies.push(body)
        const status = statuses[Math.min(asked++, statuses.length - 1)]!
        if (status === 'cut') request.socket.destroy()
        else response.writeHead(status).end('x')
      })
    })
    const url = `http://127.0.0.1:${await listen(server)}`
    const close = () => {
      server.close()
      server.closeAllConnections()
    }
    return { url, bodies, asked: () => asked, close }
  }
  const retry = { attempts: 2, statuses: [503], budgetPercent: 20 }
  const through = (
    url: string,
    policies: PolicySet,
    others: { url: string; weight?: number }[] = [],
  ) => {
    const spec = placed(url, operations, { policies: { ...open, ...policies } })
    const [main] = spec.backends
    return gateway.place({
      ...spec,
      backends: [{ ...main!, ...(others.length > 0 && { others }) }],
    })
  }

  it('sends again what may be sent twice, and nothing else', async () => {
    const server = await failing([503, 'cut', 200])
    await through(server.url, { retry })
    const good = await ask('PUT', '/things/1', {}, 'body')
    expect([good.status, server.bodies]).toEqual([200, ['body', 'body', 'body']])
    server.close()
    const once = await failing([503])
    await through(once.url, { retry })
    expect((await ask('POST', '/things', {}, 'body')).status).toBe(503)
    expect(once.asked()).toBe(1)
    expect((await get()).status).toBe(503)
    expect(once.asked()).toBe(4)
    once.close()
  })

  it('does not let retries become the load', async () => {
    const server = await failing([503])
    await through(server.url, { retry: { attempts: 5, statuses: [503], budgetPercent: 10 } })
    for (let n = 0; n < 30; n++) await get()
    // Ten are always allowed; thirty requests have no more.
    expect(server.asked()).toBeLessThanOrEqual(41)
    server.close()
  })

  it('leaves a target alone that keeps failing, and tries whether it is back', async () => {
    const server = await failing([503, 503, 503, 200])
    await through(server.url, { breaker: { failures: 3, seconds: 10 } })
    for (let n = 0; n < 3; n++) expect((await get()).status).toBe(503)
    const refused = await get()
    expect([refused.status, refused.headers['retry-after'], server.asked()]).toEqual([503, '10', 3])
    clock = 10_500
    expect((await get()).status).toBe(200)
    clock = 0
    server.close()
  })

  it('shares requests by weight, and passes by a target that is not healthy', async () => {
    const [heavy, light] = [await failing([200]), await failing([200])]
    await through(heavy.url, {}, [{ url: light.url, weight: 1 }])
    const spec = placed(heavy.url, operations)
    const [main] = spec.backends
    await gateway.place({
      ...spec,
      backends: [{ ...main!, weight: 9, others: [{ url: light.url, weight: 1 }] }],
    })
    for (let n = 0; n < 200; n++) await get()
    expect(heavy.asked()).toBeGreaterThan(150)
    expect(light.asked()).toBeGreaterThan(2)
    light.close()
    const health = { path: '/health', seconds: 1, failures: 1 }
    await through(heavy.url, { health }, [{ url: light.url, weight: 50 }])
    const states = async () => {
      const answer = await fetch(`http://127.0.0.1:${gateway.adminPort}/health`, {
        headers: { 'x-admin-secret': 's' },
      })
      return (await answer.json()) as { url: string; state: string }[]
    }
    await expect
      .poll(async () => (await states()).find(({ url }) => url === light.url)?.state)
      .toBe('unhealthy')
    for (let n = 0; n < 20; n++) expect((await get()).status).toBe(200)
    heavy.close()
  })

  it('ends a request that takes longer than it may in all', async () => {
    const slow = http.createServer((_request, response) => {
      response.writeHead(200).write('begins')
    })
    const port = await listen(slow)
    await through(`http://127.0.0.1:${port}`, { timeout: { milliseconds: 150 } })
    const begun = Date.now()
    await expect(get()).rejects.toThrow(/aborted|hang up|reset/)
    expect(Date.now() - begun).toBeLessThan(900)
    slow.close()
    slow.closeAllConnections()
  })
})

describe('log', () => {
  it('keeps what the policy says, and never a credential', async () => {
    await serve({
      log: { headers: ['User-Agent'], address: 'shortened', query: 'names', percent: 100 },
    })
    const answer = await get('/things?secret=1&area=2', {
      'user-agent': 'crew/1',
      authorization: 'Bearer x',
    })
    const entry = await gateway.log(String(answer.headers['x-request-id']))
    expect(entry).toMatchObject({
      address: '127.0.0.0/24',
      query: 'secret, area',
      headers: { 'User-Agent': 'crew/1' },
    })
    await serve({
      authentication: {
        kind: 'credentials',
        anyOf: [
          { allOf: [{ kind: 'api-key', in: 'query', name: 'key' }] },
          { allOf: [{ kind: 'api-key', in: 'header', name: 'X-Key' }] },
        ],
      },
      log: { headers: ['X-Key', 'X-Other'], address: 'whole', query: 'whole', percent: 100 },
    })
    const shown = await get('/things?key=alder&area=2', { 'x-key': 'tarn', 'x-other': 'o' })
    const kept = await gateway.log(String(shown.headers['x-request-id']))
    expect(kept).toMatchObject({
      query: '?area=2',
      headers: { 'X-Other': 'o' },
      address: '127.0.0.1',
    })
    expect(JSON.stringify(kept)).not.toMatch(/"tarn"|=alder/)
    await serve({ log: { headers: [], address: 'dropped', query: 'dropped', percent: 0 } })
    const sampled = await get('/things?x=1')
    const found = await fetch(
      `http://127.0.0.1:${gateway.adminPort}/log/${String(sampled.headers['x-request-id'])}`,
      { headers: { 'x-admin-secret': 's' } },
    )
    expect(found.status).toBe(404)
    const failed = await get('/nowhere')
    expect((await gateway.log(String(failed.headers['x-request-id']))).status).toBe(404)
  })
})
