import { mkdtempSync, rmSync } from 'node:fs'
import http from 'node:http'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { compilePlacement } from '../core/runtime/compile'
import { writeResources } from '../core/runtime/resources'
import { freePort, listen } from '../tests/support/gateway'
import { startGateway } from './gateway'
import { RateLimiter } from './limiter'

let close: () => Promise<void>
let admin = ''
let options: Parameters<typeof startGateway>[0]
const seen: { url: string; headers: http.IncomingHttpHeaders; body: string }[] = []
const backend = http.createServer((request, response) => {
  let body = ''
  request.on('data', (chunk: Buffer) => (body += chunk.toString()))
  request.on('end', () => {
    seen.push({ url: request.url!, headers: request.headers, body })
    if (request.url === '/slow') return
    response.writeHead(201, { 'x-own': 'yes', 'content-type': 'text/plain' }).end('made')
  })
})

beforeAll(async () => {
  const url = `http://127.0.0.1:${await listen(backend)}`
  options = {
    name: 'inner',
    dataPort: await freePort(),
    adminPort: await freePort(),
    secret: 's',
    directory: mkdtempSync(join(tmpdir(), 'elm-gw-')),
  }
  ;({ close } = await startGateway(options))
  admin = `http://127.0.0.1:${options.adminPort}`
  const routes = ['/things', '/slow', '/gone'].map((path) => ({
    method: 'POST',
    path,
    treatment: { kind: 'route' as const, backend: path === '/gone' ? 'gone' : 'main' },
  }))
  const text = writeResources(
    compilePlacement(
      {
        host: 'a.example',
        basePath: '/v1',
        prefix: { kind: 'strip' },
        backends: [
          { name: 'main', url, timeoutMs: 200 },
          { name: 'gone', url: 'http://127.0.0.1:1', timeoutMs: 200 },
        ],
        routes,
        policies: { authentication: { kind: 'none', reason: 'test' } },
      },
      { name: 'p', gateway: 'inner', version: '1.0.0', revision: 1, keys: [], mocks: new Map() },
    ),
  )
  expect((await put(text)).status).toBe(200)
})
afterAll(async () => {
  await close()
  backend.closeAllConnections()
  backend.close()
  rmSync(options.directory, { recursive: true })
})

const put = (body: string, headers: Record<string, string> = {}) =>
  fetch(`${admin}/configuration`, {
    method: 'PUT',
    body,
    headers: { 'x-admin-secret': 's', ...headers },
  })

function send(
  path: string,
  headers: Record<string, string> = {},
): Promise<{ status: number; headers: http.IncomingHttpHeaders; body: string }> {
  return new Promise((resolve, reject) => {
    const request = http.request(
      {
        port: options.dataPort,
        host: '127.0.0.1',
        path,
        method: 'POST',
        agent: false,
        headers: { host: 'a.example', ...headers },
      },
      (answer) => {
        let body = ''
        answer.on('data', (chunk: Buffer) => (body += chunk.toString()))
        answer.on('end', () =>
          resolve({ status: answer.statusCode!, headers: answer.headers, body }),
        )
      },
    )
    request.on('error', reject)
    request.end('{"a":1}')
  })
}

describe('the data port', () => {
  it('passes a request on, rewritten, with its body, and the answer back', async () => {
    const answer = await send('/v1/things?x=1', { connection: 'keep-alive', 'x-trace': 't' })
    expect(answer).toMatchObject({ status: 201, body: 'made', headers: { 'x-own': 'yes' } })
    expect(seen.at(-1)).toMatchObject({
      url: '/things?x=1',
      body: '{"a":1}',
      headers: { 'x-trace': 't', 'x-forwarded-host': 'a.example' },
    })
  })

  it('answers for backends that are silent or gone, in problem details', async () => {
    for (const [path, status] of [
      ['/v1/slow', 504],
      ['/v1/gone', 502],
    ] as const) {
      const answer = await send(path)
      expect(answer.status).toBe(status)
      expect(answer.headers['content-type']).toBe('application/problem+json')
      // The log has the backend and its address; whoever calls has the identifier.
      expect(answer.body).not.toMatch(/main|127\.0\.0\.1|localhost/)
      const id = String(answer.headers['x-request-id'])
      expect(answer.body).toContain(id)
      expect(JSON.parse(answer.body)).toMatchObject({
        status,
        detail: expect.stringMatching(/by the identifier [\da-f-]{36}$/) as string,
      })
    }
  })
})

describe('the admin port', () => {
  it('asks for its secret', async () => {
    expect((await fetch(`${admin}/configuration`)).status).toBe(401)
    expect(
      (await fetch(`${admin}/configuration`, { headers: { 'x-admin-secret': 'x' } })).status,
    ).toBe(401)
  })

  it('refuses a bad configuration whole and keeps the running one', async () => {
    const refused = await put(
      'apiVersion: v1\nkind: HTTPRoute\nmetadata: { name: bad }\nspec: { hostnames: [b.example], rules: [{ matches: [] }] }',
    )
    expect(refused.status).toBe(422)
    expect(await refused.json()).toMatchObject({
      detail: expect.stringMatching(/HTTPRoute bad, rule 1, backendRefs must be a list/) as string,
    })
    expect((await send('/v1/things')).status).toBe(201)
  })

  it('refuses a change on top of another’s', async () => {
    expect((await put('', { 'if-match': '"old"' })).status).toBe(412)
  })

  it('keeps its log and its configuration over a restart', async () => {
    const { headers } = await send('/v1/nothing')
    const id = headers['x-request-id'] as string
    const entry = await fetch(`${admin}/log/${id}`, { headers: { 'x-admin-secret': 's' } })
    expect(await entry.json()).toMatchObject({ status: 404, path: '/v1/nothing' })
    await close()
    ;({ close } = await startGateway(options))
    expect((await send('/v1/things')).status).toBe(201)
  })
})

describe('a limit', () => {
  it('admits so many in a window, each caller on their own, and opens again', () => {
    let time = 0
    const limiter = new RateLimiter(() => time)
    const limit = { requests: 2, seconds: 10, per: 'client' as const }
    expect(limiter.admit('a', limit)).toEqual({ admitted: true, remaining: 1, reset: 5 })
    expect(limiter.admit('a', limit)).toEqual({ admitted: true, remaining: 0, reset: 10 })
    time = 2500
    expect(limiter.admit('a', limit)).toEqual({ admitted: false, retryAfter: 3 })
    expect(limiter.admit('b', limit)).toMatchObject({ admitted: true, remaining: 1 })
    time = 10_000
    expect(limiter.admit('a', limit)).toMatchObject({ admitted: true, remaining: 1 })
    // A clock that was put back takes nothing away.
    time = 0
    expect(limiter.admit('a', limit)).toMatchObject({ admitted: true, remaining: 0 })
  })
})
