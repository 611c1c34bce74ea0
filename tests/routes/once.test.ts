import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { once } from '../../server/http/once'
import { changeApi } from '../../server/services/catalog'
import { mortal } from '../support/mortal'
import {
  bringIn,
  contextOf,
  definition,
  makeWorld,
  type Visitor,
  type World,
} from '../support/world'

let world: World
let tomas: Visitor
beforeAll(async () => {
  world = await makeWorld()
  tomas = await world.visitor('tomas')
  await bringIn(tomas, definition('leak-sensors/0.3.0.yaml'))
})
afterAll(() => world.close())

const label = (key: string, labels: string[], who = tomas) =>
  who.call<{ labels: string[]; type: string; detail: string }>(
    'PATCH',
    '/apis/leak-sensors',
    { labels },
    { 'idempotency-key': key },
  )
const entries = async () =>
  (await tomas.api.listLedgerEntries({ action: 'api.changed', limit: 500 })).items

describe('a request with a key', () => {
  it('is carried out once, and answered the same however often it is sent', async () => {
    const [first, second] = [await label('"a-1"', ['one']), await label('a-1', ['one'])]
    expect(first.status).toBe(200)
    expect(second).toMatchObject({ status: 200, body: first.body })
    expect(second.headers.get('etag')).toBe(first.headers.get('etag'))
    expect(await entries()).toHaveLength(1)
    expect((await label('a-1', ['two'])).status).toBe(422)
    expect((await label('b-1', ['one', 'more'])).status).toBe(200)
    expect((await label('a-1', ['one'])).body.labels).toEqual(['one'])
    expect(await entries()).toHaveLength(2)
  })

  it('is somebody’s own, and has a key that can be one', async () => {
    const imara = await world.visitor('imara')
    expect((await label('a-1', ['of imara'], imara)).body.labels).toEqual(['of imara'])
    for (const bad of ['', 'a b', 'x'.repeat(201)])
      expect((await label(bad, ['three'])).status).toBe(422)
  })

  it('is carried out by one of many at once', async () => {
    const before = (await entries()).length
    const all = await Promise.all(Array.from({ length: 8 }, () => label('c-1', ['at once'])))
    for (const { status } of all) expect([200, 409]).toContain(status)
    expect(all.map(({ status }) => status)).toContain(200)
    expect(await entries()).toHaveLength(before + 1)
  })

  it('may be sent again where it was refused, and then does what it could not do', async () => {
    const wren = await world.visitor('wren')
    expect((await label('d-1', ['by a reader'], wren)).status).toBe(403)
    expect((await label('d-1', ['by a reader'], wren)).status).toBe(403)
  })

  it('does it once, wherever the process dies in between', async () => {
    const context = contextOf(world, 'tomas')
    const act = (services: typeof world.services, key: string, labels: string[]) =>
      once(services, context.actor.id, key, ['PATCH', key], async () => {
        const seen = { ...context, ...services, db: services.seenBy('everything') }
        const body = await changeApi(seen, 'leak-sensors', { labels })
        return { status: 200, headers: {}, body: JSON.stringify(body) }
      })
    const outcomes = new Set<string>()
    for (let at = 0; ; at++) {
      const before = (await entries()).length
      const key = `kill-${at}`
      const labels = [key]
      const { services, pool } = mortal(world.services, world.url, { at, when: 'after' })
      const died = await act(services, key, labels).then(
        () => false,
        () => pool.dead,
      )
      // Nobody waits for what a dead process holds.
      void pool.end().catch(() => undefined)
      // A later process: nobody works on the first try any more.
      const later = { ...world.services, now: () => new Date(Date.now() + 120_000) }
      outcomes.add(
        await act(later, key, labels).then(
          () => 'done',
          (error: { title: string }) => error.title,
        ),
      )
      expect((await entries()).length - before, `dying after statement ${at}`).toBe(1)
      if (!died) break
    }
    expect([...outcomes].sort()).toEqual(['Done already', 'done'])
  })
})
