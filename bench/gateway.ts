import { createHash } from 'node:crypto'
import { fork, type ChildProcess } from 'node:child_process'
import { mkdtempSync } from 'node:fs'
import http from 'node:http'
import type { AddressInfo } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import autocannon from 'autocannon'
import type { Described } from '../core/runtime/described'
import type { PolicySet } from '../core/runtime/policies'
import { apiKeyIn } from '../core/runtime/policies/authenticate'
import { compilePlacement } from '../core/runtime/compile'
import { routesOf } from '../core/runtime/read'
import { readResources, writeResources } from '../core/runtime/resources'
import { Router } from '../core/runtime/routes'
import { testIssuer } from '../tests/support/issuer'
import { lines } from './measure'

const bare = 4951
const data = 4952
const admin = 4953
const path = '/v1/things-150/7'

/** Requests a second, over five seconds after two of warming up. */
async function loadOf(
  port: number,
  headers: Record<string, string> = {},
  query = '',
): Promise<number> {
  const run = (duration: number) =>
    autocannon({
      url: `http://127.0.0.1:${port}${path}${query}`,
      connections: 32,
      duration,
      headers: { host: 'a.example', ...headers },
    })
  await run(2)
  const result = await run(5)
  if (result.non2xx > 0)
    throw new Error(`${port} answered ${result.non2xx} times with something else than 2xx`)
  return result.requests.average
}

const start = (script: string, env: Record<string, string>) =>
  new Promise<ChildProcess>((resolve) => {
    const child = fork(join(import.meta.dirname, script), { env: { ...process.env, ...env } })
    child.once('message', () => resolve(child))
  })

const secret = 'bench-key'
const keys = [{ name: 'Alder Homes', sha256: createHash('sha256').update(secret).digest('hex') }]

function configuration(
  url: string,
  count: number,
  policies: PolicySet,
  described?: Described,
): string {
  const routes = Array.from({ length: count }, (_, n) => ({
    method: 'GET',
    path: `/things-${n}/{id}`,
    treatment: { kind: 'route' as const, backend: 'main' },
  }))
  return writeResources(
    compilePlacement(
      {
        host: 'a.example',
        basePath: '/v1',
        prefix: { kind: 'strip' },
        backends: [{ name: 'main', url, timeoutMs: 5000 }],
        routes,
        policies,
      },
      {
        name: 'p',
        gateway: 'inner',
        version: '1.0.0',
        revision: 1,
        keys,
        mocks: new Map(),
        ...(described && { described: () => described }),
      },
    ),
  )
}

const put = (body: string) =>
  fetch(`http://127.0.0.1:${admin}/configuration`, {
    method: 'PUT',
    body,
    headers: { 'x-admin-secret': 's' },
  }).then((answer) => {
    if (answer.status !== 200) throw new Error(`the configuration was answered ${answer.status}`)
  })

/** The gateway beside a bare proxy, both in processes of their own, in front of the same backend. */
export async function gateway(): Promise<void> {
  const backend = http.createServer((_request, response) => response.end('{"ok":true}'))
  await new Promise<void>((resolve) => backend.listen(0, '127.0.0.1', resolve))
  const port = (backend.address() as AddressInfo).port
  const url = `http://127.0.0.1:${port}`
  const issuer = await testIssuer()
  const proxies = [
    await start('bare-proxy.mjs', { PORT: String(bare), BACKEND: String(port) }),
    await start('gateway.mjs', {
      ELM_GATEWAY: `inner:${data}:${admin}`,
      ELM_GATEWAY_SECRET: 's',
      ELM_GATEWAY_DATA: mkdtempSync(join(tmpdir(), 'elm-bench-')),
    }),
  ]
  /** Each beside the bare proxy at the same time of the run: machines are not equally fast all the time. */
  const beside = async (what: string, aim: number, load: () => Promise<number>) => {
    const before = await loadOf(bare)
    const perSecond = await load()
    const plain = (before + (await loadOf(bare))) / 2
    lines.push(
      `${what.padEnd(52)} ${perSecond.toFixed(0).padStart(7)} /s   ${(perSecond / plain).toFixed(2).padStart(6)} × a bare Node proxy (${plain.toFixed(0)} /s), aim ${aim}`,
    )
  }
  const rate: PolicySet['rate'] = { requests: 1_000_000, seconds: 60, per: 'client' }
  await put(configuration(url, 200, { authentication: apiKeyIn('X-Api-Key'), rate }))
  // What is measured first would be measured before it is compiled.
  for (const port of [bare, data]) await loadOf(port, { 'x-api-key': secret })
  await beside('Key, limit and log, 200 routes', 0.65, () => loadOf(data, { 'x-api-key': secret }))
  const token = await issuer.token()
  await put(
    configuration(url, 200, {
      authentication: {
        kind: 'credentials',
        anyOf: [
          {
            allOf: [
              {
                kind: 'jwt',
                issuer: issuer.issuer,
                jwks: issuer.jwks,
                audience: ['supply'],
                skewSeconds: 30,
                client: 'azp',
                claims: [],
              },
            ],
          },
        ],
      },
      rate,
    }),
  )
  await beside('JWT verified, limit and log', 0.5, () =>
    loadOf(data, { authorization: `Bearer ${token}` }),
  )
  const held = {
    schemas: [],
    operations: {
      'GET /things-150/{id}': {
        parameters: [
          { name: 'id', in: 'path', required: true, explode: false, schema: { type: 'integer' } },
          {
            name: 'limit',
            in: 'query',
            required: false,
            explode: true,
            schema: { type: 'integer', minimum: 1, maximum: 200 },
          },
        ],
        responses: [],
      },
    },
  }
  const strict: PolicySet = {
    authentication: apiKeyIn('X-Api-Key'),
    contract: { requests: 'refuse', responses: 'ignore' },
  }
  await put(configuration(url, 200, { ...strict, rate }, held))
  await beside('Request held against its schema, key and limit', 0.4, () =>
    loadOf(data, { 'x-api-key': secret }, '?limit=5'),
  )
  matching(configuration(url, 10_000, { authentication: { kind: 'none', reason: 'bench' }, rate }))
  await taking(url)
  for (const proxy of proxies) proxy.kill()
  await issuer.close()
  backend.close()
  backend.closeAllConnections()
}

/** Matching among 10,000 routes: the slowest of a hundred, over enough requests to tell. */
function matching(text: string): void {
  const router = new Router(routesOf(readResources(text)))
  const times: number[] = []
  for (let n = 0; n < 200_000; n++) {
    const asked = `/v1/things-${(n * 7919) % 10_000}/${n}`
    const begun = process.hrtime.bigint()
    router.match({ host: 'a.example', method: 'GET', path: asked })
    times.push(Number(process.hrtime.bigint() - begun))
  }
  times.sort((a, b) => a - b)
  const p99 = times[Math.floor(times.length * 0.99)]! / 1000
  lines.push(
    `${'Matching among 10,000 routes, p99'.padEnd(52)} ${p99.toFixed(1).padStart(7)} µs, aim 20`,
  )
}

/** Taking a configuration of 10,000 routes while requests go on: how long it takes, and whether any is dropped. */
async function taking(url: string): Promise<void> {
  const open: PolicySet = { authentication: { kind: 'none', reason: 'bench' } }
  await put(configuration(url, 200, open))
  const [first, second] = [configuration(url, 10_000, open), configuration(url, 9999, open)]
  const load = autocannon({
    url: `http://127.0.0.1:${data}${path}`,
    connections: 8,
    duration: 8,
    headers: { host: 'a.example' },
  })
  const times: number[] = []
  for (const text of [first, second, first]) {
    await new Promise((resolve) => setTimeout(resolve, 500))
    const begun = performance.now()
    await put(text)
    times.push(performance.now() - begun)
  }
  const { non2xx, errors } = await load
  times.sort((a, b) => a - b)
  lines.push(
    `${'Taking a configuration of 10,000 routes under load'.padEnd(52)} ${times[1]!.toFixed(0).padStart(7)} ms, aim 1000; ${non2xx + errors} requests dropped`,
  )
}
