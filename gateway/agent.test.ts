import http from 'node:http'
import dns from 'node:dns'
import { afterAll, afterEach, beforeAll, describe, expect, it, vi } from 'vitest'
import { request } from 'undici'
import { listen } from '../tests/support/gateway'
import { guardedAgent } from './agent'

let port = 0
let asked = 0
const server = http.createServer((_, response) => {
  asked++
  response.end('ok')
})
beforeAll(async () => {
  port = await listen(server)
})
afterAll(() => void server.close())
afterEach(() => vi.restoreAllMocks())

/** Has a name resolve to an address. */
const resolving = (address: string) =>
  vi
    .spyOn(dns, 'lookup')
    .mockImplementation(((
      _host: string,
      _options: object,
      done: (error: null, all: { address: string; family: number }[]) => void,
    ) => done(null, [{ address, family: 4 }])) as never)

describe('a connection to a backend', () => {
  it('is not made to the installation’s own addresses, whatever name leads there', async () => {
    resolving('127.0.0.1')
    const agent = guardedAgent([`http://127.0.0.1:${port}`])
    for (const host of ['inside.example', 'localhost', '127.0.0.1', 'inside.example.'])
      await expect(request(`http://${host}:${port}/`, { dispatcher: agent })).rejects.toThrow(
        /of this installation/,
      )
    expect(asked).toBe(0)
    const open = guardedAgent([`http://127.0.0.1:${port + 1}`])
    await request(`http://inside.example:${port}/`, { dispatcher: open })
    expect(asked).toBe(1)
    await Promise.all([agent.destroy(), open.destroy()])
  })

  it('is not made where its name leads to an address that no request may be sent to', async () => {
    resolving('169.254.169.254')
    const agent = guardedAgent([])
    await expect(request('http://inside.example/', { dispatcher: agent })).rejects.toThrow(
      /link-local/,
    )
    await agent.destroy()
  })
})
