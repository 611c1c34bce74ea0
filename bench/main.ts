import http from 'node:http'
import type { AddressInfo } from 'node:net'
import { mkdtempSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { fork } from 'node:child_process'
import autocannon from 'autocannon'
import { compilePlacement, writeResources } from '../core/routing/resources'
import { compare } from './compare'
import { formats } from './formats'
import { impact } from './impact'
import { lines } from './measure'
import { register } from './register'
import { rollouts } from './rollouts'
import { rules } from './rules'
import { searching } from './search'

interface Load {
  perSecond: number
  p99: number
}

async function loadOf(url: string, host: string): Promise<Load> {
  const run = (duration: number) =>
    autocannon({ url, connections: 32, duration, headers: { host } })
  await run(2)
  const result = await run(5)
  if (result.non2xx > 0)
    throw new Error(`${url} answered ${result.non2xx} times with something else than 2xx`)
  return { perSecond: result.requests.average, p99: result.latency.p99 }
}

/** Both proxies run in processes of their own, in front of the same backend. */
async function proxies(): Promise<void> {
  const backend = http.createServer((_request, response) => response.end('{"ok":true}'))
  await new Promise<void>((resolve) => backend.listen(0, '127.0.0.1', resolve))
  const port = (backend.address() as AddressInfo).port
  const start = (script: string, env: Record<string, string>) =>
    new Promise<ReturnType<typeof fork>>((resolve) => {
      const child = fork(join(import.meta.dirname, script), { env: { ...process.env, ...env } })
      child.once('message', () => resolve(child))
    })
  const bare = await start('bare-proxy.mjs', { PORT: '4951', BACKEND: String(port) })
  const gateway = await start('gateway.mjs', {
    ELM_GATEWAY: 'inner:4952:4953',
    ELM_GATEWAY_SECRET: 's',
    ELM_GATEWAY_DATA: mkdtempSync(join(tmpdir(), 'elm-bench-')),
  })
  const routes = Array.from({ length: 200 }, (_, n) => ({
    method: 'GET',
    path: `/things-${n}/{id}`,
    treatment: { kind: 'route' as const, backend: 'main' },
  }))
  const body = writeResources(
    compilePlacement(
      {
        host: 'a.example',
        basePath: '/v1',
        prefix: { kind: 'strip' },
        backends: [{ name: 'main', url: `http://127.0.0.1:${port}`, timeoutMs: 5000 }],
        routes,
        key: { required: false, reason: 'bench' },
        limit: { requests: 1_000_000, seconds: 60 },
      },
      { name: 'p', gateway: 'inner', version: '1.0.0', revision: 1, keys: [], mocks: new Map() },
    ),
  )
  await fetch('http://127.0.0.1:4953/configuration', {
    method: 'PUT',
    body,
    headers: { 'x-admin-secret': 's' },
  })
  const plain = await loadOf('http://127.0.0.1:4951/v1/things-150/7', 'a.example')
  const ours = await loadOf('http://127.0.0.1:4952/v1/things-150/7', 'a.example')
  lines.push(
    `${'The gateway, 200 routes, a limit and its log'.padEnd(52)} ${ours.perSecond.toFixed(0).padStart(7)} /s   ${(ours.perSecond / plain.perSecond).toFixed(2).padStart(6)} × a bare Node reverse proxy (${plain.perSecond.toFixed(0)} /s)`,
  )
  bare.kill()
  gateway.kill()
  backend.close()
  backend.closeAllConnections()
}

/** Each part is measured in a process of its own, so that none pays for what another has left behind. */
const parts: Record<string, () => void | Promise<void>> = {
  formats,
  compare,
  rules,
  search: searching,
  register,
  impact,
  gateway: proxies,
  rollouts,
}
const part = parts[process.argv[2] ?? '']
if (!part) throw new Error(`There is ${Object.keys(parts).join(', ')} to measure`)
await part()
console.log(lines.join('\n'))
// What a part has opened ends with it.
process.exit(0)
