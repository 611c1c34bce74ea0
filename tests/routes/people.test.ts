import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { people, sessions } from '../../server/db/schema'
import { operations } from '../../server/operations'
import { makeWorld, Visitor, type World } from '../support/world'

let world: World
beforeAll(async () => (world = await makeWorld()))
afterAll(() => world.close())

describe('signing in', () => {
  it('opens a session in a sealed cookie that scripts cannot read, and signing out ends it', async () => {
    const visitor = new Visitor(world.base)
    const signedIn = await visitor.signIn('tomas')
    expect(signedIn).toMatchObject({
      status: 201,
      body: { name: 'tomas', role: 'owner', team: 'Network Control' },
    })
    const cookie = signedIn.headers.getSetCookie()[0]!
    expect(cookie).toMatch(/^elm_session=Fe26\.2.*HttpOnly.*SameSite=Lax/i)
    expect((await visitor.call('GET', '/self')).status).toBe(200)
    const stolen = { cookie: cookie.split(';')[0]! }
    expect((await visitor.call('DELETE', '/session')).status).toBe(204)
    expect((await visitor.call('GET', '/self')).status).toBe(401)
    expect((await new Visitor(world.base).call('GET', '/self', undefined, stolen)).status).toBe(401)
  })

  it('says the same whether the name or the password is wrong, and slows guessing down', async () => {
    const visitor = new Visitor(world.base)
    const wrong = await visitor.signIn('wren', 'no')
    const unknown = await visitor.signIn('nobody', 'no')
    expect(wrong).toMatchObject({
      status: 401,
      body: { detail: 'The name or the password is wrong.' },
    })
    expect(unknown.body).toEqual(wrong.body)
    for (let i = 0; i < 8; i++) await visitor.signIn('wren', 'no')
    expect((await visitor.signIn('wren')).status).toBe(429)
  })

  it('keeps passwords only as scrypt', async () => {
    const rows = await world.db.select().from(people)
    for (const { passwordHash } of rows)
      expect(passwordHash).toMatch(/^scrypt\$[0-9a-f]{32}\$[0-9a-f]{64}$/)
  })

  it('refuses changes that come from another site', async () => {
    const visitor = await world.visitor('imara')
    expect(
      (
        await visitor.call('POST', '/ledger/verify', undefined, {
          origin: 'https://elsewhere.example',
        })
      ).status,
    ).toBe(403)
    expect(
      (await visitor.call('POST', '/ledger/verify', undefined, { origin: world.base })).status,
    ).toBe(200)
  })
})

describe('every operation', () => {
  it('asks for a session', async () => {
    const stranger = new Visitor(world.base)
    for (const { method, path, calledWith } of operations) {
      if (calledWith === 'password') continue
      const answer = await stranger.call(
        method,
        path.replace(/\{\w+\}/g, 'x'),
        method === 'GET' || method === 'DELETE' ? undefined : {},
      )
      expect([method, path, answer.status]).toEqual([method, path, 401])
    }
  })

  it('that changes something is refused to a reader, in words that name who may', async () => {
    const owner = await world.visitor('tomas')
    const { bringIn, definition } = await import('../support/world')
    await bringIn(owner, definition('leak-sensors/0.3.0.yaml'))
    const spec = (await owner.call<{ spec: unknown }>('GET', '/apis/leak-sensors/placement-draft'))
      .body.spec
    const reader = await world.visitor('imara').then(() => new Visitor(world.base))
    await world.db.delete(sessions)
    await reader.signIn('oskar')
    expect(await reader.call('POST', '/intakes', 'openapi: 3.1.0')).toMatchObject({
      status: 403,
      body: {
        detail:
          'Changing a definition takes the role governance or owner. You are signed in as operator.',
      },
    })
    await reader.signIn('edwin')
    expect(
      await reader.call('PATCH', '/apis/leak-sensors', { lifecycle: 'retired' }),
    ).toMatchObject({
      status: 403,
      body: {
        detail:
          'Changing a definition takes the role governance or owner for Network Control. You are signed in as owner for Customer.',
      },
    })
    expect(
      (
        await reader.call('POST', '/placements', {
          api: 'leak-sensors',
          version: '0.3.0',
          group: 'edge',
          spec,
        })
      ).status,
    ).toBe(403)
    await reader.signIn('ruth')
    expect(
      (
        await reader.call('POST', '/placements', {
          api: 'leak-sensors',
          version: '0.3.0',
          group: 'edge',
          spec,
        })
      ).status,
    ).toBe(403)
    expect(
      (
        await reader.call('POST', '/promotions', {
          api: 'leak-sensors',
          version: '0.3.0',
          from: 'Trial',
          note: '',
        })
      ).status,
    ).toBe(403)
  })

  it('refuses fields it does not know and names those at fault', async () => {
    const visitor = await world.visitor('imara')
    const answer = await visitor.call<{ faults: { field: string }[] }>('POST', '/requests', {
      placement: '',
      method: 'get',
      path: 'x',
      nonsense: 1,
    })
    expect(answer.status).toBe(422)
    expect(new Set(answer.body.faults.map(({ field }) => field))).toEqual(
      new Set(['placement', 'method', 'path', 'nonsense']),
    )
    expect((await visitor.call('POST', '/requests', 'not json')).status).toBe(400)
    expect((await visitor.call('GET', '/apis?limit=0')).status).toBe(422)
  })
})
