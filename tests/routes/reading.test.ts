import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { routes } from '../../shared/client/table'
import { bringIn, definition, makeWorld, Visitor, type World } from '../support/world'

let world: World
let tomas: Visitor, imara: Visitor

beforeAll(async () => {
  world = await makeWorld()
  tomas = await world.visitor('tomas')
  imara = await world.visitor('imara')
  for (const name of ['supply-interruptions/2.4.0.yaml', 'leak-sensors/0.3.0.yaml'])
    await bringIn(imara, definition(name))
  for (const version of ['2.5.0', '2.6.0', '2.7.0']) {
    const { latest } = await tomas.api.getApi({ api: 'supply-interruptions' })
    const text = definition('supply-interruptions/2.4.0.yaml').replace(
      'version: 2.4.0',
      `version: ${version}`,
    )
    await tomas.api.saveRevision({ api: 'supply-interruptions' }, text, {
      ifMatch: `"revision-${latest.revision}"`,
    })
  }
})
afterAll(() => world.close())

describe('a list', () => {
  const lists = Object.entries(routes).filter(
    ([, [method, path, , gives]]) => method === 'GET' && gives === 'list' && !path.includes('{'),
  )
  const needed: Record<string, string> = { listMatches: 'q=notice' }

  it.each(lists.map(([name]) => name))(
    '%s is the same in pages as in one, whatever their size',
    async (name) => {
      const [, path] = routes[name as keyof typeof routes]
      const visitor = await world.visitor(name === 'listPeople' ? 'ada' : 'imara')
      const get = (query: string) =>
        visitor.call<{ items: object[]; nextCursor?: string }>(
          'GET',
          `${path}?${needed[name] ?? ''}&${query}`,
        )
      const whole = (await get('limit=1000')).body
      expect(whole.nextCursor).toBeUndefined()
      // Hundreds of pages say nothing that a dozen do not.
      for (const limit of whole.items.length > 30 ? [7, 30] : [1, 3]) {
        const paged: object[] = []
        let next: string | undefined
        // A page that leads to itself would never end.
        for (let turn = 0; turn <= whole.items.length; turn++) {
          const { status, body } = await get(
            `limit=${limit}${next ? `&cursor=${encodeURIComponent(next)}` : ''}`,
          )
          expect(status).toBe(200)
          expect(body.items.length).toBeLessThanOrEqual(limit)
          paged.push(...body.items)
          next = body.nextCursor
          if (next === undefined) break
        }
        expect(next).toBeUndefined()
        expect(paged).toHaveLength(whole.items.length)
        if (!moving.has(name)) expect(paged).toEqual(whole.items)
      }
    },
  )

  /** What they say of the moment changes from one reading to the next. */
  const moving = new Set(['listSessions', 'listGateways', 'listPeople'])

  it.each(['limit=0', 'limit=-1', 'limit=x', 'limit=1000000', 'cursor=nowhere', 'cursor=-3'])(
    'refuses %s',
    async (query) => {
      const { status, body } = await imara.call<{ type: string }>('GET', `/ledger?${query}`)
      expect([422, 400]).toContain(status)
      expect(body.type).toMatch(/^\/problems\//)
    },
  )

  it('of revisions goes back to the first one', async () => {
    const { items } = await imara.api.listRevisions({ api: 'supply-interruptions' })
    expect(items.map(({ revision }) => revision)).toEqual([4, 3, 2, 1])
    const part = await imara.api.listRevisions({ api: 'supply-interruptions', limit: 2 })
    expect(part.items).toHaveLength(2)
  })
})

describe('what is around a definition', () => {
  it('is its facts, and what others hold under the names it uses', async () => {
    const around = await tomas.api.getSurroundings({ api: 'supply-interruptions' })
    expect(around.facts).toMatchObject({ team: 'Network Control', audience: 'partner' })
    expect(Array.isArray(around.estate)).toBe(true)
  })

  it('is not there for an API that is not', async () => {
    expect((await tomas.call('GET', '/apis/nowhere/surroundings')).status).toBe(404)
  })
})

describe('parts of a revision', () => {
  const at = { api: 'supply-interruptions', revision: 1 }

  it('are read one by one: operations, webhooks, schemas', async () => {
    const { operations, webhooks, schemas } = await tomas.api.getRevision(at)
    expect(webhooks.length).toBeGreaterThan(0)
    const operation = await tomas.api.getOperation({ ...at, operation: 0 })
    expect(operation.name).toBe(`${operations[0]!.method} ${operations[0]!.path}`)
    const webhook = await tomas.api.getWebhook({ ...at, webhook: 0 })
    expect(webhook).toMatchObject({ name: webhooks[0]!.name, line: webhooks[0]!.line })
    const schema = await tomas.api.getSchema({ ...at, schema: schemas[0]!.name })
    expect(schema).toMatchObject({ name: schemas[0]!.name, line: schemas[0]!.line })
  })

  it.each([
    '/apis/supply-interruptions/revisions/1/operations/9999',
    '/apis/supply-interruptions/revisions/1/webhooks/9999',
    '/apis/supply-interruptions/revisions/1/schemas/Nowhere',
    '/apis/supply-interruptions/revisions/1/schemas/__proto__',
    '/apis/supply-interruptions/revisions/99/operations/0',
    '/apis/supply-interruptions/revisions/-1/operations/0',
    '/apis/supply-interruptions/revisions/1.5',
  ])('%s is not there', async (path) => {
    expect((await tomas.call('GET', path)).status).toBe(404)
  })
})

describe('looking for something', () => {
  it('finds what is called so, and corrects what is mistyped', async () => {
    const { items } = await tomas.api.listMatches({ q: 'interruption' })
    expect(items[0]).toMatchObject({ api: 'supply-interruptions' })
    const mistyped = await tomas.call<{ items: { api: string }[]; corrected: string[] }>(
      'GET',
      '/search?q=interuption',
    )
    expect(mistyped.body.items.map(({ api }) => api)).toContain('supply-interruptions')
    expect(mistyped.body.corrected.length).toBeGreaterThan(0)
  })

  it.each(["' OR 1=1 --", '&|!():*', '\\', '%', 'a'.repeat(200), '<->'])(
    'takes %j for words',
    async (q) => {
      expect((await tomas.call('GET', `/search?q=${encodeURIComponent(q)}`)).status).toBe(200)
    },
  )
})

describe('what ships with the product', () => {
  it.each([
    ['/dictionary', /water/],
    ['/rulebook-schema', /"\$schema"/],
    ['/definition', /"openapi"/],
    ['/ledger/key', /BEGIN PUBLIC KEY/],
  ])('%s is there', async (path, says) => {
    const { status, body } = await tomas.call<unknown>('GET', path)
    expect(status).toBe(200)
    expect(typeof body === 'string' ? body : JSON.stringify(body)).toMatch(says)
  })
})

/** Topics as they arrive on a stream of events. */
async function listen(visitor: Visitor) {
  const ended = new AbortController()
  const response = await fetch(`${world.base}/api/v1/events`, {
    headers: { cookie: visitor.cookie() },
    signal: ended.signal,
  })
  const heard: string[] = []
  let over = false
  const reading = (async () => {
    const decoder = new TextDecoder()
    const reader = response.body!.getReader()
    for (let part = await reader.read(); !part.done; part = await reader.read())
      for (const [, topic] of decoder.decode(part.value).matchAll(/^data: (.+)$/gm))
        heard.push(topic!)
  })()
    .catch(() => undefined)
    .finally(() => (over = true))
  return { response, heard, isOver: () => over, stop: () => (ended.abort(), reading) }
}
const until = async (holds: () => boolean) => {
  for (let turn = 0; turn < 100 && !holds(); turn++)
    await new Promise((resolve) => setTimeout(resolve, 50))
  expect(holds()).toBe(true)
}

describe('the stream of changes', () => {
  it('asks to sign in', async () => {
    const { response, stop } = await listen(new Visitor(world.base))
    expect(response.status).toBe(401)
    await stop()
  })

  it('tells everybody who listens what kind of thing has changed, and nothing else', async () => {
    const [one, two] = await Promise.all([listen(tomas), listen(imara)])
    expect(one.response.headers.get('content-type')).toMatch(/text\/event-stream/)
    await until(
      () =>
        one.heard.includes('reconnected') ||
        two.heard.includes('reconnected') ||
        one.heard.length > 0,
    )
    await tomas.api.updateApi({ api: 'supply-interruptions' }, { labels: ['heard'] })
    await until(() => one.heard.includes('api') && two.heard.includes('api'))
    expect([...one.heard, ...two.heard].join()).not.toContain('supply')
    await Promise.all([one.stop(), two.stop()])
  })

  it('ends with the session of whoever listens', async () => {
    const wren = await world.visitor('wren')
    const stream = await listen(wren)
    await until(() => stream.heard.length >= 0)
    await wren.call('DELETE', '/session')
    await until(stream.isOver)
  })
})
