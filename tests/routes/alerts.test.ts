import { createHmac } from 'node:crypto'
import http from 'node:http'
import { eq } from 'drizzle-orm'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { TrafficEvent } from '../../core/traffic/event'
import { notices } from '../../server/db/schema'
import { deliverNotices } from '../../server/services/notices'
import { watchAlerts } from '../../server/services/alert-watching'
import type { Services } from '../../server/services/context'
import { countEvents } from '../../server/services/traffic-intake'
import type { AlertChange, AlertItem } from '../../shared/api/alerts'
import { Mailbox } from '../../standins/mailbox'
import { freePort, listen } from '../support/gateway'
import { Killed, mortal } from '../support/mortal'
import { bringIn, definition, makeWorld, type Visitor, type World } from '../support/world'

let world: World
let services: Services
let oskar: Visitor, tomas: Visitor, wren: Visitor
const mailbox = new Mailbox()
const received: { headers: http.IncomingHttpHeaders; body: string }[] = []
let answers = 204
const hook = http.createServer((request, response) => {
  const chunks: Buffer[] = []
  request.on('data', (chunk: Buffer) => chunks.push(chunk))
  request.on('end', () => {
    received.push({ headers: request.headers, body: Buffer.concat(chunks).toString() })
    response.writeHead(answers).end()
  })
})
let hookUrl = ''
const api = 'supply-interruptions'

beforeAll(async () => {
  world = await makeWorld({ gateways: { 'north-edge': 'edge' } })
  const mail = await mailbox.listen(await freePort())
  const port = await freePort()
  await listen(hook, port)
  hookUrl = `http://127.0.0.1:${port}/ledger`
  services = {
    ...world.services,
    allowedTargets: [`127.0.0.1:${port}`],
    mail: { server: `smtp://127.0.0.1:${mail}`, from: 'ledger@brackenmere.example' },
  }
  ;[oskar, tomas, wren] = (await Promise.all(
    ['oskar', 'tomas', 'wren'].map((name) => world.visitor(name)),
  )) as [Visitor, Visitor, Visitor]
  await bringIn(tomas, definition('supply-interruptions/2.4.0.yaml'))
})
afterAll(async () => {
  hook.closeAllConnections()
  hook.close()
  await mailbox.close()
  await world.close()
})

const change = (over: Partial<AlertChange> = {}): AlertChange => ({
  ...{ title: 'Errors at the edge', kind: 'errors', threshold: 10, minutes: 15 },
  ...{ mails: ['oskar@brackenmere.example'], webhook: '' },
  ...over,
})
const at = (minutes: number): Services => ({
  ...services,
  now: () => new Date(Date.now() + minutes * 60_000),
})
const read = async (id: number) =>
  (await oskar.api.listAlerts({})).items.find(({ alert }) => alert === id)!
const events = async (id: number) =>
  (await read(id)).notices.map(({ event, channel }) => `${event} ${channel}`).reverse()

let seq = 0
async function calls(times: number, status: number): Promise<void> {
  const from = seq === 0 ? undefined : { journal: 'made-up', seq }
  const made = Array.from({ length: times }, (): TrafficEvent => ({
    ...{ seq: ++seq, id: '', at: Date.now() - 1000, placement: '', version: '', host: 'x.example' },
    ...{ operation: 'GET /x', client: '', address: '', status, step: '', policy: '', ms: 12 },
    ...{ bytesIn: 1, bytesOut: 1, requestType: '', responseType: '', query: [], members: [] },
    breaks: '',
  }))
  const gateway = { name: 'north-edge', group: 'edge' }
  await countEvents(world.services, gateway, from, { journal: 'made-up', events: made, upTo: seq })
}

describe('an alert', () => {
  it('is refused where it is set wrongly, with everything at fault', async () => {
    const refused = await oskar.call<{ faults: { field: string }[] }>('POST', '/alerts', {
      ...change({ mails: ['not a mail'], webhook: 'ftp://x', threshold: 900, stage: 'Nowhere' }),
      quiet: { from: '22:00', to: '06:00', timeZone: 'Moon/Base' },
    })
    expect(refused.status).toBe(422)
    expect(refused.body.faults.map(({ field }) => field).sort()).toEqual(
      ['mails', 'quiet.timeZone', 'stage', 'threshold', 'webhook'].sort(),
    )
    const nobody = await oskar.call('POST', '/alerts', change({ mails: [' '] }))
    expect(nobody.status).toBe(422)
    expect((await wren.call('POST', '/alerts', change())).status).toBe(403)
    // An owner's are those of the team's APIs.
    expect((await tomas.call('POST', '/alerts', change())).status).toBe(403)
    expect((await tomas.call('POST', '/alerts', change({ api }))).status).toBe(201)
  })

  it('tells once when something goes wrong, and once when it is over', async () => {
    const { alert, secret } = await oskar.api.createAlert({}, change({ webhook: hookUrl }))
    expect(secret).toMatch(/^whsec_/)
    await calls(40, 200)
    await watchAlerts(services)
    expect(await events(alert)).toEqual([])
    await calls(20, 503)
    await Promise.all([watchAlerts(services), watchAlerts(services), watchAlerts(services)])
    await watchAlerts(services)
    expect(await events(alert)).toEqual(['began mail', 'began webhook'])
    expect((await read(alert)).says).toBe('33.3 % of 60 requests failed in 15 minutes')
    await Promise.all([deliverNotices(services), deliverNotices(services)])
    const mails = mailbox.letters.filter(({ to }) => to === 'oskar@brackenmere.example')
    expect(mails.map(({ subject }) => subject)).toContain('Alert: Errors at the edge')
    const mine = received.filter(({ body }) => body.includes(`"alert":${alert},`))
    expect(mine).toHaveLength(1)
    const { headers, body } = mine[0]!
    const signed = `${headers['webhook-id'] as string}.${headers['webhook-timestamp'] as string}.${body}`
    const key = Buffer.from(secret!.slice('whsec_'.length), 'base64')
    expect(headers['webhook-signature']).toBe(
      `v1,${createHmac('sha256', key).update(signed).digest('base64')}`,
    )
    expect(JSON.parse(body)).toMatchObject({ type: 'alert.began', data: { kind: 'errors' } })
    await watchAlerts(at(30))
    expect(await events(alert)).toEqual([
      'began mail',
      'began webhook',
      'ended mail',
      'ended webhook',
    ])
    expect((await read(alert)).beganAt).toBeUndefined()
    // The secret is told once.
    expect(JSON.stringify(await oskar.api.listAlerts({}))).not.toContain('whsec_')
  })

  it('is tried by its test, which says what went wrong, and is tried again', async () => {
    answers = 500
    const { alert } = await oskar.api.createAlert({}, change({ mails: [], webhook: hookUrl }))
    await oskar.api.testAlert({ alert })
    expect((await oskar.call('POST', `/alerts/${alert}/test`)).status).toBe(409)
    await deliverNotices(services)
    expect((await read(alert)).notices).toMatchObject([
      { event: 'test', trouble: 'It answered 500.', failed: false },
    ])
    answers = 204
    await deliverNotices(services)
    expect((await read(alert)).notices[0]!.sentAt, 'not before its time').toBeUndefined()
    await deliverNotices(at(5))
    expect((await read(alert)).notices[0]!.sentAt).toBeDefined()
    expect((await wren.call('POST', `/alerts/${alert}/test`)).status).toBe(403)
  })

  it('never calls private addresses, and gives up in the end', async () => {
    const inside = `${world.adminUrl}/configuration`
    const { alert } = await oskar.api.createAlert({}, change({ mails: [], webhook: inside }))
    await oskar.api.testAlert({ alert })
    for (let round = 0; round < 9; round++) await deliverNotices(at(round * 24 * 60))
    expect((await read(alert)).notices).toMatchObject([
      { failed: true, trouble: expect.stringMatching(/private, loopback/) as string },
    ])
  })

  it('waits for the end of quiet hours, and ends on its last day', async () => {
    const clock = (minutes: number) =>
      new Date(Date.now() + minutes * 60_000).toISOString().slice(11, 16)
    const quiet = { from: clock(-60), to: clock(60), timeZone: 'UTC' }
    const { alert } = await oskar.api.createAlert({}, change({ threshold: 1, quiet }))
    await calls(30, 503)
    await watchAlerts(services)
    expect(await events(alert)).toEqual(['began mail'])
    await deliverNotices(services)
    expect((await read(alert)).notices[0]!.sentAt).toBeUndefined()
    await deliverNotices(at(62))
    expect((await read(alert)).notices[0]!.sentAt).toBeDefined()
    const over = { ...change({ threshold: 1 }), until: '2020-01-01' }
    const old = await oskar.api.createAlert({}, over)
    await watchAlerts(services)
    expect(await events(old.alert)).toEqual([])
  })

  it('tells nobody twice, and loses nothing, when a process dies between any two statements', async () => {
    const { alert } = await oskar.api.createAlert({}, change({ threshold: 1 }))
    await calls(30, 503)
    let survived = false
    for (let step = 1; !survived; step++) {
      const { services: dying, pool } = mortal(services, world.url, { at: step, when: 'after' })
      await watchAlerts({ ...dying, mail: services.mail }).catch((error: unknown) => {
        if (!(error instanceof Killed) && !pool.dead) throw error
      })
      survived = !pool.dead
      if (survived) await pool.end()
      expect(step).toBeLessThan(100)
    }
    expect(await events(alert)).toEqual(['began mail'])
    const told = () => mailbox.letters.filter(({ text }) => text.includes('failed in')).length
    const before = told()
    const { services: dying, pool } = mortal(services, world.url, { at: 3, when: 'after' })
    await deliverNotices({ ...dying, mail: services.mail }).catch(() => undefined)
    if (!pool.dead) await pool.end()
    await deliverNotices(at(3))
    await deliverNotices(at(6))
    const waiting = await world.db.select().from(notices).where(eq(notices.alertId, alert))
    expect(waiting.map(({ sentAt }) => sentAt !== null)).toEqual([true])
    expect(told()).toBeGreaterThan(before)
  })

  it('of a confidential API is not there for others, and goes with what it told', async () => {
    const mine: AlertItem = await tomas.api.createAlert({}, change({ api, title: 'Ours alone' }))
    await tomas.api.updateApi({ api }, { confidential: true })
    expect((await wren.api.listAlerts({})).items.map(({ title }) => title)).not.toContain(
      'Ours alone',
    )
    expect((await oskar.call('DELETE', `/alerts/${mine.alert}`)).status).toBe(404)
    await tomas.api.updateApi({ api }, { confidential: false })
    await tomas.api.removeAlert({ alert: mine.alert })
    expect(await read(mine.alert)).toBeUndefined()
    const { items } = await oskar.api.listLedgerEntries({ action: 'alert', limit: 1000 })
    expect(items.map(({ action }) => action)).toContain('alert.removed')
  })
})
