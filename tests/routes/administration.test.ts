import http from 'node:http'
import { eq, sql } from 'drizzle-orm'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { GroupItem } from '../../shared/api/gateways'
import type { Invitation, MemberItem, SessionItem } from '../../shared/api/people'
import { people, sessions, signInAttempts } from '../../server/db/schema'
import { operations } from '../../server/operations'
import { listen } from '../support/gateway'
import { adminHeaders, bringIn, definition, makeWorld, Visitor, type World } from '../support/world'

let world: World
let ada: Visitor, imara: Visitor, oskar: Visitor, tomas: Visitor

beforeAll(async () => {
  world = await makeWorld()
  ada = await world.visitor('ada')
  imara = await world.visitor('imara')
  oskar = await world.visitor('oskar')
  tomas = await world.visitor('tomas')
})
afterAll(() => world.close())

const codeOf = ({ path }: Invitation) => new URL(path!, 'http://x').searchParams.get('code')!
const answer = (code: string, password: string) =>
  new Visitor(world.base).call<{ name: string }>(
    'POST',
    '/invitations',
    { password },
    { 'x-one-time-code': code },
  )

describe('people', () => {
  it('are added by an administrator, and set their own password by a link that works once', async () => {
    const start = { name: 'Nell', displayName: 'Nell Ash', role: 'owner', team: 'Field' }
    for (const other of [imara, oskar, tomas])
      expect((await other.call('POST', '/people', start)).status).toBe(403)
    expect((await ada.call('POST', '/people', { ...start, team: undefined })).status).toBe(422)
    expect((await ada.call('POST', '/people', { ...start, team: 'Nowhere' })).status).toBe(422)
    const invitation = (await ada.call<Invitation>('POST', '/people', start)).body
    expect((await ada.call('POST', '/people', start)).status).toBe(409)
    const code = codeOf(invitation)
    expect((await answer(code, 'short')).status).toBe(422)
    expect((await answer('not-the-code', 'a password of some length')).status).toBe(404)
    const both = await Promise.all([
      answer(code, 'a password of some length'),
      answer(code, 'another password of length'),
    ])
    expect(both.map(({ status }) => status).sort()).toEqual([201, 404])
    expect((await answer(code, 'a third password of length')).status).toBe(404)
    const [row] = await world.db.select().from(people).where(eq(people.name, 'nell'))
    expect(JSON.stringify(row)).not.toContain(code)
  })

  it('change, and lose every session with the end of their access', async () => {
    const nell = new Visitor(world.base)
    const given = codeOf((await ada.call<Invitation>('POST', '/people/nell/invitation')).body)
    await answer(given, 'the password of nell')
    expect((await nell.signIn('nell', 'the password of nell')).status).toBe(201)
    expect((await nell.call('GET', '/self')).status).toBe(200)
    const made = await nell.call<{ secret: string }>('POST', '/tokens', {
      name: 'a build',
      scopes: ['read'],
      until: new Date(Date.now() + 5 * 86_400_000).toISOString().slice(0, 10),
    })
    expect(made.status).toBe(201)
    const byToken = () =>
      new Visitor(world.base).call('GET', '/self', undefined, {
        authorization: `Bearer ${made.body.secret}`,
      })
    expect((await byToken()).status).toBe(200)
    await ada.call('PATCH', '/people/nell', { role: 'operator' })
    expect((await nell.call('GET', '/self')).body).toMatchObject({ role: 'operator' })
    expect((await ada.call('PATCH', '/people/nell', { ended: true })).status).toBe(204)
    expect((await nell.call('GET', '/self')).status).toBe(401)
    expect((await nell.signIn('nell', 'the password of nell')).status).toBe(401)
    expect((await byToken()).status).toBe(401)
    expect((await ada.call('POST', '/people/nell/invitation')).status).toBe(409)
    const { items } = (await ada.call<{ items: MemberItem[] }>('GET', '/people')).body
    expect(items.find(({ name }) => name === 'nell')).toMatchObject({ state: 'ended', sessions: 0 })
    // What they had does not come back with them.
    expect((await ada.call('PATCH', '/people/nell', { ended: false })).status).toBe(204)
    expect((await byToken()).status).toBe(401)
    expect((await nell.call('GET', '/self')).status).toBe(401)
  })

  it('lose every token with a new invitation, and with single sign-on in the place of a password', async () => {
    for (const renew of [
      () => ada.call('POST', '/people/nell/invitation'),
      () => ada.call('PATCH', '/people/nell', { signOn: true }),
    ]) {
      const code = codeOf((await ada.call<Invitation>('POST', '/people/nell/invitation')).body)
      await answer(code, 'the password of nell')
      const nell = new Visitor(world.base)
      await nell.signIn('nell', 'the password of nell')
      const { body } = await nell.call<{ secret: string }>('POST', '/tokens', {
        ...{ name: 'a build', scopes: ['read'] },
        until: new Date(Date.now() + 5 * 86_400_000).toISOString().slice(0, 10),
      })
      const byToken = () =>
        new Visitor(world.base).call('GET', '/self', undefined, {
          authorization: `Bearer ${body.secret}`,
        })
      expect((await byToken()).status).toBe(200)
      await renew()
      expect((await byToken()).status).toBe(401)
    }
    const { items } = await ada.api.listLedgerEntries({ action: 'token.ended' })
    expect(items.filter(({ subject }) => subject === 'nell').length).toBeGreaterThanOrEqual(3)
  })

  it('always have an administrator among them', async () => {
    expect((await ada.call('PATCH', '/people/ada', { role: 'reader' })).status).toBe(409)
    expect((await ada.call('PATCH', '/people/ada', { ended: true })).status).toBe(409)
    expect((await ada.call('GET', '/self')).body).toMatchObject({ role: 'administrator' })
  })

  it('see and end their own sessions, and a new password ends the others', async () => {
    const [here, there] = [new Visitor(world.base), new Visitor(world.base)]
    await here.signIn('wren')
    await there.signIn('wren')
    const { items } = (await here.call<{ items: SessionItem[] }>('GET', '/self/sessions')).body
    const other = items.find(({ current }) => !current)!
    expect(items.filter(({ current }) => current)).toHaveLength(1)
    expect((await oskar.call('DELETE', `/self/sessions/${other.id}`)).status).toBe(404)
    expect((await here.call('DELETE', `/self/sessions/${other.id}`)).status).toBe(204)
    expect((await there.call('GET', '/self')).status).toBe(401)
    await there.signIn('wren')
    const change = (current: string) =>
      here.call('PUT', '/self/password', { current, password: 'a new password of wren' })
    expect((await change('wrong')).status).toBe(422)
    expect((await change('elm-demo-2026')).status).toBe(204)
    expect((await here.call('GET', '/self')).status).toBe(200)
    expect((await there.call('GET', '/self')).status).toBe(401)
  })
})

describe('signing in', () => {
  it('counts tries that come at once, and does not lock the owner out', async () => {
    const owner = new Visitor(world.base)
    expect((await owner.signIn('nadia')).status).toBe(201)
    const tries = await Promise.all(
      Array.from({ length: 60 }, () => new Visitor(world.base).signIn('nadia', 'wrong')),
    )
    const statuses = tries.map(({ status }) => status)
    expect(statuses.filter((status) => status === 401).length).toBeLessThanOrEqual(8)
    expect(statuses.filter((status) => status === 429).length).toBeGreaterThanOrEqual(52)
    expect(tries.find(({ status }) => status === 429)!.headers.get('retry-after')).toBe('60')
    // The stranger is refused even with the right password; the owner's own browser is not.
    expect((await new Visitor(world.base).signIn('nadia')).status).toBe(429)
    expect((await owner.signIn('nadia')).status).toBe(201)
    await world.db.delete(signInAttempts)
    expect((await new Visitor(world.base).signIn('edwin')).status).toBe(201)
  })

  it('keeps no more of a session than it needs', async () => {
    const [row] = await world.db.select().from(sessions).limit(1)
    expect(Object.keys(row!).sort()).toEqual([
      'address',
      'agent',
      'expiresAt',
      'id',
      'personId',
      'startedAt',
    ])
  })
})

describe('an administrator', () => {
  it('has administration, and none of the work', async () => {
    await bringIn(tomas, definition('leak-sensors/0.3.0.yaml'))
    const work: [string, string, unknown][] = [
      ['PATCH', '/apis/leak-sensors', { labels: [] }],
      ['POST', '/gateways/north-edge/read', {}],
      ['PUT', '/rulebooks/house/draft', 'x'],
      ['POST', '/promotions', { api: 'leak-sensors', version: '0.3.0', from: 'Trial', note: '' }],
    ]
    const refused = await Promise.all(
      work.map(([method, path, body]) => ada.call(method, path, body)),
    )
    for (const { status } of refused) expect([403, 404, 428]).toContain(status)
    const administers = operations.filter(
      ({ tag, method }) => tag === 'Administration' && method !== 'GET',
    )
    for (const { method, path, calledWith } of administers) {
      if (calledWith === 'code') continue
      const status = (await imara.call(method, path.replace(/\{\w+\}/g, 'x'), {})).status
      expect([403, 422], `${method} ${path}`).toContain(status)
    }
  })

  it('keeps stages, hosts, groups and gateways, with what is in use protected', async () => {
    const stages = (await ada.call<{ items: { name: string }[] }>('GET', '/stages')).body.items
    const put = (list: unknown[]) =>
      ada.call<{ detail: string }>('PUT', '/stages', { stages: list })
    expect((await put(stages.slice(1))).body.detail).toMatch(/Trial has \d+ placements and 2 hosts/)
    const dark = { name: 'Dark', schemes: ['https'], backendHosts: [], networks: ['10.0.0.0/8'] }
    expect((await put([...stages, { ...dark, networks: ['10.0.0.0/99'] }])).status).toBe(422)
    expect((await put([...stages, dark])).status).toBe(204)
    expect((await put(stages)).status).toBe(204)

    const host = (name: string, stage = 'Trial') =>
      ada.call('PUT', `/hosts/${encodeURIComponent(name)}`, { stage, audiences: ['partner'] })
    expect((await host('new.brackenmere.example', 'Nowhere')).status).toBe(422)
    expect((await host('https://x')).status).toBe(422)
    expect((await host('new.brackenmere.example')).status).toBe(204)
    expect((await ada.call('DELETE', '/hosts/new.brackenmere.example')).status).toBe(204)

    const gateway = {
      group: 'west',
      serves: 'A third site',
      dataUrl: world.dataUrl,
      adminUrl: world.adminUrl,
    }
    expect((await ada.call('PUT', '/gateways/west-edge', gateway)).status).toBe(422)
    const group = { serves: 'West', audiences: ['public'] }
    expect((await ada.call('PUT', '/gateway-groups/west', group)).status).toBe(204)
    expect((await ada.call('PUT', '/gateways/west-edge', gateway)).status).toBe(204)
    const groups = await ada.call<{ items: GroupItem[] }>('GET', '/gateway-groups')
    expect(groups.body.items.map(({ name, members }) => [name, members])).toEqual([
      ['edge', ['north-edge']],
      ['west', ['west-edge']],
    ])
    const tried = (adminUrl: string) =>
      ada.call<{ answers: boolean; says: string }>('POST', '/gateway-tests', {
        ...gateway,
        adminUrl,
      })
    // One that is registered is sent its own secret, whoever else is tried at nothing.
    expect((await ada.call('DELETE', '/gateways/west-edge')).status).toBe(204)
    expect((await tried(world.adminUrl)).body).toMatchObject({ answers: true })
    const heard: (string | undefined)[] = []
    const stranger = http.createServer((request, response) => {
      heard.push(request.headers['x-admin-secret'] as string | undefined)
      response.writeHead(401).end()
    })
    const strange = `http://127.0.0.1:${await listen(stranger)}`
    expect((await tried(strange)).body).toMatchObject({ answers: true })
    expect(heard).toEqual([undefined])
    const moved = { ...gateway, adminUrl: strange }
    expect((await ada.call('PUT', '/gateways/west-edge', moved)).status).toBe(204)
    expect((await tried(strange)).body).toMatchObject({ answers: false })
    expect(heard).toHaveLength(2)
    expect(heard[1]).not.toBe(adminHeaders(world.adminUrl)['x-admin-secret'])
    const shown = await ada.call<{ secret: string }>('POST', '/gateways/west-edge/secret')
    expect(shown.body.secret).toBe(heard[1])
    stranger.close()
    expect((await tried('http://169.254.169.254/latest')).status).toBe(422)
    expect((await tried('http://metadata.google.internal.')).status).toBe(422)
    const { items: told } = await ada.api.listLedgerEntries({ action: 'gateway.tested' })
    expect(told.map(({ subject }) => subject)).toContain(strange)
    const { items: read } = await ada.api.listLedgerEntries({ action: 'gateway.secret' })
    expect(read).toMatchObject([{ subject: 'west-edge', actor: 'ada' }])
    expect((await tried('http://127.0.0.1:1')).body).toMatchObject({ answers: false })
    expect((await tried('ftp://x')).status).toBe(422)
    expect((await ada.call('DELETE', '/gateways/west-edge')).status).toBe(204)
  })
})

describe('an empty product', () => {
  it('is set up by whoever reads the code on its terminal, once', async () => {
    const empty = await makeWorld({ empty: true })
    try {
      const stranger = new Visitor(empty.base)
      expect(await stranger.call('GET', '/self')).toMatchObject({
        status: 401,
        body: { type: '/problems/not-set-up' },
      })
      const start = {
        organisation: 'Fenmoor Rail',
        name: 'Ivo',
        displayName: 'Ivo Marsh',
        password: 'a password of some length',
      }
      const begin = (code: string, body: object = start) =>
        new Visitor(empty.base).call('POST', '/setup', body, { 'x-one-time-code': code })
      expect((await stranger.call('POST', '/setup', start)).status).toBe(401)
      expect((await begin('guess')).status).toBe(403)
      expect((await begin('the-code', { ...start, password: 'short' })).status).toBe(422)
      const both = await Promise.all([
        begin('the-code'),
        begin('the-code', { ...start, name: 'bo' }),
      ])
      expect(both.map(({ status }) => status).sort()).toEqual([201, 409])
      expect((await begin('the-code')).status).toBe(409)
      const made = (await empty.db.select().from(people)).map(({ name }) => name)
      expect(made).toHaveLength(1)
      const first = new Visitor(empty.base)
      expect((await first.signIn(made[0]!, start.password)).body).toMatchObject({
        role: 'administrator',
      })
      const shell = (await first.call('GET', '/shell')).body
      expect(shell).toMatchObject({
        organisation: 'Fenmoor Rail',
        stages: ['Trial', 'Live'],
        counts: { apis: 0, gateways: 0 },
      })
      expect(JSON.stringify(shell)).not.toMatch(/Brackenmere/i)
      const { rows } = await empty.db.execute(sql`select text from editions`)
      expect(JSON.stringify(rows)).not.toMatch(/Brackenmere/i)
    } finally {
      await empty.close()
    }
  })
})
