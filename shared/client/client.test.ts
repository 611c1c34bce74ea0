import { describe, expect, it } from 'vitest'
import { addressOf, clientOver, type Outgoing } from './client'
import { routes } from './table'

/** A server that answers from a list, and what it was asked. */
function serverOf(...answers: (object | string)[]) {
  const asked: Outgoing[] = []
  const api = clientOver((request) => {
    asked.push(request)
    const answer = answers.shift() ?? {}
    return Promise.resolve(
      typeof answer === 'string' ? new Response(answer) : Response.json(answer),
    )
  })
  return { api, asked }
}

describe('the client', () => {
  it('fills the path, and makes the rest the query, without what is absent or empty', async () => {
    const { api, asked } = serverOf({})
    await api.getSchema({ api: 'a/b', revision: 3, schema: 'Ä ?' })
    await api.listFindings({ api: 'x', team: '', level: undefined, limit: 5 })
    expect(asked.map(({ method, path }) => `${method} ${path}`)).toEqual([
      'GET /apis/a%2Fb/revisions/3/schemas/%C3%84%20%3F',
      'GET /findings?api=x&limit=5',
    ])
  })

  it('reads a list whole, page by page, unless a page is asked for', async () => {
    const pages = [
      { stages: ['Trial'], items: [1, 2], nextCursor: 'b' },
      { stages: ['Trial'], items: [3], nextCursor: 'c' },
      { stages: ['Trial'], items: [4] },
    ]
    const whole = serverOf(...pages)
    expect(await whole.api.listApis()).toEqual({ stages: ['Trial'], items: [1, 2, 3, 4] })
    expect(whole.asked.map(({ path }) => path)).toEqual([
      '/apis?limit=1000',
      '/apis?limit=1000&cursor=b',
      '/apis?limit=1000&cursor=c',
    ])
    const one = serverOf(pages[0]!)
    expect((await one.api.listApis({ limit: 2 })).nextCursor).toBe('b')
    expect(one.asked).toHaveLength(1)
  })

  it('sends bodies as what they are, with the state that is changed', async () => {
    const { api, asked } = serverOf({}, {}, {})
    await api.saveRevision({ api: 'x' }, 'openapi: 3.1.0', { ifMatch: '"revision-1"' })
    await api.updateApi({ api: 'x' }, { lifecycle: 'active' })
    await api.verifyLedger()
    expect(asked.map(({ headers, body }) => [headers, body])).toEqual([
      [{ 'Content-Type': 'text/plain', 'If-Match': '"revision-1"' }, 'openapi: 3.1.0'],
      [{ 'Content-Type': 'application/json' }, '{"lifecycle":"active"}'],
      [{}, undefined],
    ])
  })

  it('gives text as text, nothing as nothing, and the response itself where it is asked for', async () => {
    const { api } = serverOf('words', '', 'raw')
    expect(await api.getEditionText({ edition: 1 })).toBe('words')
    expect(await api.removeHost({ host: 'x' })).toBeUndefined()
    expect(await (await api.raw.getEditionText({ edition: 1 })).text()).toBe('raw')
  })

  it('knows the address of every operation', () => {
    expect(addressOf('exportLedger')).toBe('/api/v1/ledger/export')
    expect(addressOf('getArchive', { api: 'x', revision: 2 })).toBe(
      '/api/v1/apis/x/revisions/2/archive',
    )
    expect(Object.keys(routes).length).toBeGreaterThan(100)
  })
})
