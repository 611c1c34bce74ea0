import { fork } from 'node:child_process'
import { mkdtempSync } from 'node:fs'
import http from 'node:http'
import net, { type AddressInfo } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { envelope } from '../core/contract/envelopes'
import { compilePlacement } from '../core/runtime/compile'
import type { PolicySet } from '../core/runtime/policies'
import { writeResources } from '../core/runtime/resources'
import { lines } from './measure'

const data = 4954
const admin = 4955
const open: PolicySet = { authentication: { kind: 'none', reason: 'bench' } }
const described = {
  schemas: [],
  operations: {
    'POST /things': {
      parameters: [],
      body: {
        required: true,
        content: [
          {
            type: 'application/json',
            schema: {
              type: 'array',
              items: { anyOf: [{ type: 'string' }, { pattern: '^(a|b)+$' }] },
            },
          },
        ],
      },
      responses: [],
    },
  },
} as const

function configuration(url: string): string {
  const facts = { gateway: 'inner', version: '1.0.0', revision: 1, keys: [], mocks: new Map() }
  const place = (name: string, operation: string, policies: PolicySet, more = {}) =>
    writeResources(
      compilePlacement(
        {
          host: 'a.example',
          basePath: `/${name}`,
          prefix: { kind: 'strip' },
          backends: [{ name: 'main', url, timeoutMs: 60_000 }],
          routes: [
            { method: 'POST', path: operation, treatment: { kind: 'route', backend: 'main' } },
            { method: 'GET', path: '/ping', treatment: { kind: 'route', backend: 'main' } },
          ],
          policies: { ...open, ...policies },
        },
        { ...facts, name, ...more },
      ),
    )
  return [
    place(
      'soap',
      '/get',
      {},
      { soap: new Map([['POST /get', [{ version: '1.1', element: '{urn:x}get' }]]]) },
    ),
    place(
      'rest',
      '/things',
      { contract: { requests: 'refuse', responses: 'ignore' } },
      { described: () => described },
    ),
    place('deep', '/things', {
      body: { bytes: 16_000_000, depth: 1000, values: 10_000_000, mediaTypes: [] },
    }),
  ].join('---\n')
}

/** Sends a body and says what it came to; a gateway that refuses may end the connection before it has read all of it. */
const send = (path: string, type: string, body: Buffer) =>
  new Promise<string>((resolve) => {
    const socket = net.connect(data, '127.0.0.1')
    let text = ''
    socket.on('data', (chunk) => (text += chunk.toString('latin1')))
    socket.on('error', () => resolve(text.slice(9, 12) || 'ended'))
    socket.on('close', () => resolve(text.slice(9, 12) || 'ended'))
    socket.write(
      `POST ${path} HTTP/1.1\r\nHost: a.example\r\nContent-Type: ${type}\r\nConnection: close\r\nContent-Length: ${body.length}\r\n\r\n`,
    )
    socket.write(body)
  })

/** The longest that another request waited while some act went on, in milliseconds. */
async function longestWait(act: () => Promise<unknown>): Promise<number> {
  const agent = new http.Agent({ keepAlive: true, maxSockets: 4 })
  let over = false
  let longest = 0
  const ask = () =>
    new Promise<void>((resolve) => {
      const begun = performance.now()
      const headers = { host: 'a.example' }
      const port = data
      http.get({ port, path: '/rest/ping', headers, agent }, (answer) => {
        answer.resume()
        answer.on('end', () => {
          longest = Math.max(longest, performance.now() - begun)
          resolve()
        })
      })
    })
  const lane = async () => {
    while (!over) {
      await ask()
      await new Promise((resolve) => setTimeout(resolve, 2))
    }
  }
  const lanes = [lane(), lane()]
  await act()
  over = true
  await Promise.all(lanes)
  agent.destroy()
  return longest
}

/** How long others wait while bodies are sent that are made to be looked at for long. */
export async function bodies(): Promise<void> {
  const backend = http.createServer((request, response) => {
    request.resume()
    request.on('end', () => response.end('{}'))
  })
  await new Promise<void>((resolve) => backend.listen(0, '127.0.0.1', resolve))
  const url = `http://127.0.0.1:${(backend.address() as AddressInfo).port}`
  const child = fork(join(import.meta.dirname, 'gateway.mjs'), {
    env: {
      ...process.env,
      ELM_GATEWAY: `inner:${data}:${admin}`,
      ELM_GATEWAY_SECRET: 's',
      ELM_GATEWAY_DATA: mkdtempSync(join(tmpdir(), 'elm-bodies-')),
    },
  })
  await new Promise((resolve) => child.once('message', resolve))
  const answer = await fetch(`http://127.0.0.1:${admin}/configuration`, {
    method: 'PUT',
    body: configuration(url),
    headers: { 'x-admin-secret': 's' },
  })
  if (answer.status !== 200) throw new Error(await answer.text())
  const mb = (unit: string, size: number) =>
    unit.repeat(Math.floor((size * 1_000_000) / unit.length))
  const nested = Array.from({ length: 95 }, (_, n) => `<p${n}:a xmlns:p${n}="u">`).join('')
  const called = (rest: string) => envelope('1.1', `<get xmlns="urn:x"/>${rest}`)
  const attacks: [string, string, string, string][] = [
    ['nothing', '/rest/nothing', 'text/plain', ''],
    [
      'an envelope, nested, with prefixes',
      '/soap',
      'text/xml',
      envelope('1.1', nested + mb('<p0:b p1:c=""/>', 15)),
    ],
    ['an envelope of many elements', '/soap', 'text/xml', called(mb('<a/>', 15))],
    ['an envelope of long text', '/soap', 'text/xml', called(mb('&lt;xxxx', 15))],
    [
      'JSON of many items, held against a schema',
      '/rest/things',
      'application/json',
      `[${mb('"ab",', 0.9)}1]`,
    ],
    [
      'JSON of one long text, held against a pattern',
      '/rest/things',
      'application/json',
      `["${mb('ab', 0.9)}"]`,
    ],
    ['XML that is measured', '/deep/things', 'text/xml', `<a>${mb('<b c=""/>', 15)}</a>`],
    ['JSON that is measured', '/deep/things', 'application/json', `[${mb('[],', 15)}1]`],
  ]
  for (const [what, path, type, text] of attacks) {
    const body = Buffer.from(text)
    let said = ''
    for (let n = 0; n < 3; n++) await longestWait(() => send(path, type, body))
    const longest = await longestWait(async () => {
      for (let n = 0; n < 5; n++) said = await send(path, type, body)
    })
    lines.push(
      `${`Longest wait beside ${what}`.padEnd(66)} ${longest.toFixed(0).padStart(5)} ms, aim 50 (${said})`,
    )
  }
  child.kill()
  backend.close()
  backend.closeAllConnections()
}
