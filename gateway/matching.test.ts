import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { FurtherRoute } from '../core/runtime/placement'
import { exchange, placed, recorder, testGateway, type TestGateway } from '../tests/support/gateway'

let gateway: TestGateway
let main: Awaited<ReturnType<typeof recorder>>
let other: Awaited<ReturnType<typeof recorder>>

const to = (backend: string) => ({ kind: 'route' as const, backend })
const further: FurtherRoute[] = [
  { name: 'unknown-paths', path: '/', below: true, treatment: to('other') },
  {
    name: 'field',
    method: 'GET',
    path: '/things',
    conditions: [{ in: 'header', name: 'X-Channel', value: 'field' }],
    treatment: to('other'),
  },
  {
    name: 'old-layout',
    method: 'GET',
    path: '/things',
    conditions: [{ in: 'query', name: 'layout', value: 'old one' }],
    treatment: { kind: 'withheld', reason: 'Nobody reads it any more' },
  },
  { name: 'files', path: '/files', below: true, treatment: to('main') },
]

beforeAll(async () => {
  main = await recorder()
  other = await recorder()
  gateway = await testGateway()
  const spec = placed(main.url, ['GET /things', 'GET /secrets withheld'])
  const backends = [...spec.backends, { name: 'other', url: other.url, timeoutMs: 1000 }]
  await gateway.place({ ...spec, backends, furtherRoutes: further })
})
afterAll(async () => {
  await gateway.close()
  await main.close()
  await other.close()
})

/** Where a request came out: at the first backend, at the other one, or with a status of the gateway. */
async function came(line: string, ...headers: string[]): Promise<string> {
  main.seen.length = other.seen.length = 0
  const fields = ['Host: a.example', 'Connection: close', ...headers].join('\r\n')
  const said = await exchange(gateway.dataPort, `${line} HTTP/1.1\r\n${fields}\r\n\r\n`)
  const { method, url } = main.seen[0] ?? other.seen[0] ?? { method: said.slice(9, 12), url: '' }
  return `${main.seen.length > 0 ? 'main' : other.seen.length > 0 ? 'other' : 'gateway'} ${method} ${url}`.trim()
}

describe('further routes', () => {
  it.each([
    ['an operation', 'GET /v1/things', [], 'main GET /things'],
    ['a header', 'GET /v1/things', ['X-Channel: field'], 'other GET /things'],
    ['another value of it', 'GET /v1/things', ['X-Channel: Field'], 'main GET /things'],
    [
      'the header twice',
      'GET /v1/things',
      ['X-Channel: field', 'X-Channel: field'],
      'main GET /things',
    ],
    ['a query parameter', 'GET /v1/things?layout=old+one', [], 'gateway 404'],
    ['it in other letters', 'GET /v1/things?%6cayout=old%20one', [], 'gateway 404'],
    [
      'it twice',
      'GET /v1/things?layout=old+one&layout=new',
      [],
      'main GET /things?layout=old+one&layout=new',
    ],
    [
      'a header before a query parameter',
      'GET /v1/things?layout=old+one',
      ['X-Channel: field'],
      'other GET /things?layout=old+one',
    ],
    ['any method below a path', 'DELETE /v1/files/a/b', [], 'main DELETE /files/a/b'],
    ['the path itself', 'PUT /v1/files', [], 'main PUT /files'],
    ['a longer word', 'GET /v1/filesystem', [], 'other GET /filesystem'],
    ['an unknown path', 'GET /v1/elsewhere', [], 'other GET /elsewhere'],
    ['another method of an operation', 'DELETE /v1/things', [], 'other DELETE /things'],
    ['what is withheld', 'GET /v1/secrets', [], 'gateway 404'],
    ['outside of the base path', 'GET /v2/things', [], 'gateway 404'],
  ])('%s', async (_, line, headers, expected) => {
    expect(await came(line, ...headers)).toBe(expected)
  })

  it('are refused by a gateway where a match is no exact one', async () => {
    const text = `apiVersion: gateway.networking.k8s.io/v1
kind: HTTPRoute
metadata: { name: x }
spec:
  hostnames: [b.example]
  rules:
    - matches: [{ path: { type: Exact, value: /a }, headers: [{ type: RegularExpression, name: X, value: "(a+)+$" }] }]
      backendRefs: [{ kind: Withheld, name: w }]
---
apiVersion: policy.elm-ledger.example/v1
kind: Withheld
metadata: { name: w }
spec: {}
`
    const answer = await gateway.put(text)
    expect(answer.status).toBe(422)
    expect(await answer.text()).toMatch(/a match is Exact; found RegularExpression/)
  })
})
