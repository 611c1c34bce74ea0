import { createHash } from 'node:crypto'
import { fork } from 'node:child_process'
import { appendFileSync, mkdtempSync, readdirSync, rmSync } from 'node:fs'
import http from 'node:http'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { build } from 'esbuild'
import { issuedKey } from '../core/runtime/issued-keys'
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import { readEvent, shapeOf, type TrafficEvent } from '../core/traffic/event'
import { listen, testGateway, type TestGateway } from '../tests/support/gateway'
import { Journal } from './journal'

const bounds = { fileBytes: 4000, bytes: 20_000 }
const event = (id: string): Omit<TrafficEvent, 'seq'> => ({
  id,
  at: 1_800_000_000_000,
  placement: 'p',
  version: '1.0.0',
  operation: 'GET /things',
  host: '',
  client: 'Alder Homes',
  address: '10.0.0.0/24',
  status: 200,
  step: '',
  policy: '',
  ms: 12.5,
  bytesIn: 100,
  bytesOut: 200,
  requestType: '',
  responseType: 'application/json',
  query: ['limit'],
  members: [],
  breaks: '',
})
const numbers = (journal: Journal, after: number, most = 1000) =>
  journal.take(after, most).lines.map((line) => readEvent(JSON.parse(line))!.seq)
const from = (first: number, last: number) =>
  Array.from({ length: last - first + 1 }, (_, index) => first + index)

/** Writes events without end, and tells how many are on disk. */
const writer = `
import { Journal } from './journal'
const journal = new Journal(process.argv[2]!, { fileBytes: 20_000, bytes: 1e8 })
let count = 0
function turn() {
  for (let n = 0; n < 10; n++) journal.add(${JSON.stringify(event('w'))} as never)
  count += 10
  setImmediate(() => {
    process.send!(count)
    setImmediate(turn)
  })
}
turn()
`

describe('a journal of events', () => {
  let folder: string
  let journal: Journal
  const open = (within = bounds) => (journal = new Journal(folder, within))
  const fill = (count: number) => {
    for (let n = 0; n < count; n++) journal.add(event(`e${n}`))
  }
  beforeEach(() => {
    folder = mkdtempSync(join(tmpdir(), 'elm-journal-'))
  })
  afterEach(() => {
    journal.close()
    rmSync(folder, { recursive: true })
  })

  it('gives out what was not taken yet, some at a time, in order', () => {
    open()
    fill(5)
    expect(numbers(journal, 0, 2)).toEqual([1, 2])
    expect(numbers(journal, 2, 2)).toEqual([3, 4])
    // Who did not come to counting them asks again.
    expect(numbers(journal, 2)).toEqual([3, 4, 5])
    expect(numbers(journal, 5)).toEqual([])
    fill(1)
    expect(numbers(journal, 5)).toEqual([6])
  })

  it('goes on where it was, over files and restarts, and forgets what was taken', () => {
    open()
    for (let turn = 0; turn < 5; turn++) {
      fill(10)
      journal.close()
      open()
    }
    const { id } = { id: journal.id }
    expect(readdirSync(folder).length).toBeGreaterThan(3)
    let after = 0
    const read: number[] = []
    for (let some = numbers(journal, after); some.length > 0; some = numbers(journal, after)) {
      read.push(...some)
      after = some.at(-1)!
    }
    expect(read).toEqual(from(1, 50))
    expect(journal.id).toBe(id)
    expect(readdirSync(folder).length).toBe(2)
  })

  it('takes half a line away that a process left which died', () => {
    open()
    fill(3)
    journal.close()
    appendFileSync(join(folder, readdirSync(folder).sort()[0]!), '{"seq":4,"id":"half')
    open()
    fill(1)
    expect(numbers(journal, 0)).toEqual([1, 2, 3, 4])
  })

  it('loses the oldest where nobody takes them, and its numbers tell', () => {
    open()
    for (let turn = 0; turn < 30; turn++) {
      fill(10)
      journal.take(0, 1)
    }
    const kept = numbers(journal, 0)
    expect(kept[0]).toBeGreaterThan(150)
    expect(journal.take(0, 1).last).toBe(300)
  })

  it('shows what is behind something seen, and forgets only what was counted', () => {
    open()
    fill(300)
    const behind = journal.take(0, 10, 40).lines.map((line) => readEvent(JSON.parse(line))!.seq)
    expect(behind).toEqual([41, 42, 43, 44, 45, 46, 47, 48, 49, 50])
    expect(numbers(journal, 0, 3)).toEqual([1, 2, 3])
  })

  it('begins another journal where its identity is gone', () => {
    open()
    fill(3)
    const before = journal.take(0, 1).journal
    journal.close()
    rmSync(join(folder, 'journal'))
    open()
    expect(journal.take(0, 10)).toMatchObject({ last: 0, lines: [] })
    expect(journal.id).not.toBe(before)
  })

  it('has every event that it said it had, when its process is killed', async () => {
    open().close()
    const programs = mkdtempSync(join(tmpdir(), 'elm-writer-'))
    await build({
      stdin: { contents: writer, resolveDir: import.meta.dirname, loader: 'ts' },
      bundle: true,
      platform: 'node',
      format: 'esm',
      outfile: join(programs, 'writer.mjs'),
    })
    const child = fork(join(programs, 'writer.mjs'), [folder], { silent: true })
    const told = await new Promise<number>((resolve, reject) => {
      child.once('error', reject)
      child.once('exit', (code) => reject(new Error(`ended with ${code}`)))
      child.on('message', (count: number) => {
        if (count < 2000) return
        child.removeAllListeners('exit')
        child.once('exit', () => resolve(count))
        child.kill('SIGKILL')
      })
    })
    open({ fileBytes: 1e6, bytes: 1e8 })
    let after = 0
    for (let some = numbers(journal, 0); some.length > 0; some = numbers(journal, after)) {
      expect(some).toEqual(from(after + 1, some.at(-1)!))
      after = some.at(-1)!
    }
    expect(after).toBeGreaterThanOrEqual(told)
    rmSync(programs, { recursive: true })
  })
})

describe('events of a gateway', () => {
  let gateway: TestGateway
  let backend: http.Server
  let open: Parameters<TestGateway['place']>[0]
  beforeAll(async () => {
    backend = http.createServer((request, response) => {
      request.resume()
      response.writeHead(request.url!.includes('missing') ? 404 : 200, {
        'content-type': 'application/json; charset=utf-8',
      })
      response.end('{"ok":true}')
    })
    const url = `http://127.0.0.1:${await listen(backend)}`
    gateway = await testGateway()
    open = {
      host: 'a.example',
      basePath: '/v1',
      prefix: { kind: 'strip' },
      backends: [{ name: 'main', url, timeoutMs: 2000 }],
      routes: [
        { method: 'GET', path: '/things/{id}', treatment: { kind: 'route', backend: 'main' } },
        { method: 'POST', path: '/things', treatment: { kind: 'route', backend: 'main' } },
        { method: 'GET', path: '/hidden', treatment: { kind: 'withheld', reason: 'Not yet' } },
      ],
      policies: {
        authentication: { kind: 'none', reason: 'For a test' },
        body: { bytes: 1000 } as never,
      },
    }
    await gateway.place(open)
  })
  afterAll(async () => {
    await gateway.close()
    backend.close()
    backend.closeAllConnections()
  })

  const ask = (path: string, method = 'GET', body = '', more = {}) =>
    new Promise<void>((resolve, reject) => {
      const request = http.request(
        {
          host: '127.0.0.1',
          port: gateway.dataPort,
          path,
          method,
          headers: {
            host: 'a.example',
            ...(body && { 'content-type': 'application/json' }),
            ...more,
          },
          agent: false,
        },
        (response) => {
          response.resume()
          response.on('close', () => resolve())
        },
      )
      request.on('error', reject)
      request.end(body)
    })
  const take = async (after: number, secret = 's') => {
    const url = `http://127.0.0.1:${gateway.adminPort}/events?after=${after}`
    const answer = await fetch(url, {
      headers: { 'x-admin-secret': secret, connection: 'close' },
    })
    return {
      status: answer.status,
      body: (await answer.json()) as { last: number; events: TrafficEvent[] },
    }
  }
  /** The events of some requests, once they have all been noted. */
  async function eventsOf(act: () => Promise<void>): Promise<TrafficEvent[]> {
    const { last } = (await take(0)).body
    await act()
    let found: TrafficEvent[] = []
    await expect
      .poll(async () => (found = (await take(last)).body.events).length)
      .toBeGreaterThan(0)
    return found
  }

  it('say what became of a request, with names and without values', async () => {
    const [one] = await eventsOf(() => ask('/v1/things/secret-4711?limit=5&token=hush'))
    expect(one).toMatchObject({
      placement: 'p',
      operation: 'GET /things/{id}',
      status: 200,
      step: '',
      query: ['limit', 'token'],
      responseType: 'application/json',
      breaks: '',
    })
    expect(one!.upstreamMs).toBeLessThanOrEqual(one!.ms)
    expect(one!.bytesOut).toBeGreaterThan(100)
    expect(JSON.stringify(one)).not.toMatch(/4711|hush/)
  })

  it.each([
    ['/v1/things/missing', { operation: 'GET /things/{id}', status: 404, step: '' }],
    ['/v1/hidden', { placement: 'p', operation: 'GET /hidden', status: 404, step: 'match' }],
    [
      '/v1/reports/4711/lines',
      { placement: '', operation: 'GET /v1/reports/*/lines', host: 'a.example', step: 'match' },
    ],
  ])(
    'tell a backend’s answer from what was withheld, and from what nobody placed: %s',
    async (path, expected) => {
      const [one] = await eventsOf(() => ask(path))
      expect(one).toMatchObject(expected)
    },
  )

  it('name the policy that stopped a request', async () => {
    const [one] = await eventsOf(() => ask('/v1/things', 'POST', `{"a":"${'x'.repeat(2000)}"}`))
    expect(one).toMatchObject({ status: 413, step: 'validate', policy: 'body' })
    expect(one!.upstreamMs).toBeUndefined()
  })

  it('tell of a key that was refused, where the ledger may have issued it, how its digest begins, and of no other', async () => {
    const method = { kind: 'api-key' as const, in: 'header' as const, name: 'X-Api-Key' }
    const authentication = { kind: 'credentials' as const, anyOf: [{ allOf: [method] }] }
    await gateway.place({ ...open, policies: { authentication } })
    const key = issuedKey(Buffer.alloc(24, 7))
    const tried = async (headers: object) =>
      (await eventsOf(() => ask('/v1/things/1', 'GET', '', headers))).map((one) => [
        one.status,
        one.tried,
      ])
    const digest = createHash('sha256').update(key).digest('hex')
    expect(await tried({ 'x-api-key': key })).toEqual([[401, digest.slice(0, 16)]])
    for (const other of ['my own password', `${key}x`, key.slice(4), 'elm_'])
      expect(await tried({ 'x-api-key': other })).toEqual([[401, undefined]])
    expect(await tried({})).toEqual([[401, undefined]])
    await gateway.place(open)
  })

  it('are for whoever knows the secret, and number the requests of restarts on', async () => {
    expect((await take(0, 'wrong')).status).toBe(401)
    expect((await take(-1)).status).toBe(400)
    const { last } = (await take(0)).body
    await gateway.restart()
    const [one] = await eventsOf(() => ask('/v1/things/1'))
    expect(one!.seq).toBe(last + 1)
  })
})

describe('the shape of a path', () => {
  it.each([
    ['/areas/4711', '/areas/*'],
    ['/areas/north-east/status', '/areas/north-east/status'],
    ['/users/tomas@brackenmere.example', '/users/*'],
    ['/a/%3Cscript%3E', '/a/*'],
    [`/${'long'.repeat(9)}`, '/*'],
  ])('has no data in it: %s', (path, shape) => {
    expect(shapeOf(path)).toBe(shape)
  })
})
