import { spawn } from 'node:child_process'
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { eq } from 'drizzle-orm'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { CheckItem } from '../../shared/api/checks'
import type { ProposalItem, ProposalOutcome, ProposedText } from '../../shared/api/proposals'
import type { IssuedToken, TokenItem } from '../../shared/api/tokens'
import { checks, tokens } from '../../server/db/schema'
import { checkAllGateways } from '../../server/services/gateways'
import {
  bringIn,
  definition,
  makeWorld,
  type Answer,
  type Visitor,
  type World,
} from '../support/world'

let world: World
let tomas: Visitor
let imara: Visitor
let wren: Visitor
const folder = mkdtempSync(join(tmpdir(), 'elm-programs-'))

beforeAll(async () => {
  world = await makeWorld()
  tomas = await world.visitor('tomas')
  imara = await world.visitor('imara')
  wren = await world.visitor('wren')
})
afterAll(async () => {
  await world.close()
  rmSync(folder, { recursive: true, force: true })
})

const inDays = (days: number) => new Date(Date.now() + days * 86_400_000).toISOString().slice(0, 10)
const issue = async (scopes: string[], who = tomas) =>
  (
    await who.call<IssuedToken>('POST', '/tokens', {
      name: 'Build of the field services',
      scopes,
      until: inDays(30),
    })
  ).body

/** Calls as a program does, with nothing but a token. */
async function program<T>(
  secret: string,
  method: string,
  path: string,
  body?: string,
): Promise<Answer<T>> {
  const response = await fetch(`${world.base}/api/v1${path}`, {
    method,
    headers: { authorization: `Bearer ${secret}`, 'content-type': 'text/plain' },
    ...(body !== undefined && { body }),
  })
  const text = await response.text()
  const isJson = (response.headers.get('content-type') ?? '').includes('json')
  return {
    status: response.status,
    body: (isJson ? JSON.parse(text) : text) as T,
    headers: response.headers,
  }
}

describe('an access token', () => {
  it('is said once, kept as a digest, and acts for its person within its scopes', async () => {
    const { secret, begins } = await issue(['read'])
    expect(secret.startsWith(begins)).toBe(true)
    const listed = await tomas.call<{ items: TokenItem[] }>('GET', '/tokens')
    expect(JSON.stringify(listed.body)).not.toContain(secret)
    expect(JSON.stringify(await world.db.select().from(tokens))).not.toContain(secret)
    expect((await program<{ name: string }>(secret, 'GET', '/self')).body.name).toBe('tomas')
    const refused = await program<{ detail: string }>(secret, 'POST', '/checks', 'openapi: 3.1.0')
    expect(refused.status).toBe(403)
    expect(refused.body.detail).toContain('"check"')
    expect((await program(secret, 'GET', '/tokens')).status).toBe(403)
    expect((await program(secret, 'DELETE', '/session')).status).toBe(403)
  })

  it('ends with its last day, and when its person ends it', async () => {
    const { secret, token } = await issue(['read'])
    await world.db
      .update(tokens)
      .set({ until: inDays(-1) })
      .where(eq(tokens.id, token))
    expect((await program(secret, 'GET', '/self')).status).toBe(401)
    await world.db
      .update(tokens)
      .set({ until: inDays(1) })
      .where(eq(tokens.id, token))
    expect((await program(secret, 'GET', '/self')).status).toBe(200)
    expect((await imara.call('DELETE', `/tokens/${token}`)).status).toBe(404)
    expect((await tomas.call('DELETE', `/tokens/${token}`)).status).toBe(204)
    expect((await program(secret, 'GET', '/self')).status).toBe(401)
  })

  it('is not made without scopes, for too long or for a day that is past', async () => {
    const make = (change: object) =>
      tomas.call('POST', '/tokens', {
        name: 'A build',
        scopes: ['read'],
        until: inDays(9),
        ...change,
      })
    expect((await make({ scopes: [] })).status).toBe(422)
    expect((await make({ scopes: ['everything'] })).status).toBe(422)
    expect((await make({ until: inDays(800) })).status).toBe(422)
    expect((await make({ until: inDays(-1) })).status).toBe(422)
    expect((await make({ until: 'next year' })).status).toBe(422)
  })
})

describe('a check over the API', () => {
  const text = definition('supply-interruptions/2.5.0.yaml')

  it('says what a text breaks, in every form a build reads', async () => {
    const { secret } = await issue(['check'])
    const { status, body } = await program<CheckItem>(
      secret,
      'POST',
      '/checks?file=supply.yaml&team=Network%20Control',
      text,
    )
    expect(status).toBe(202)
    expect(body).toMatchObject({ state: 'done', file: 'supply.yaml' })
    expect(body.findings.must).toBeGreaterThan(0)
    const report = await program<{ rule: string; file: string; line: number }[]>(
      secret,
      'GET',
      `/checks/${body.check}/report?level=MUST`,
    )
    expect(report.body).toHaveLength(body.findings.must)
    expect(report.body.map(({ rule }) => rule)).toContain('contact-email')
    const sarif = await program<{ version: string }>(
      secret,
      'GET',
      `/checks/${body.check}/report?format=sarif`,
    )
    expect(sarif.body.version).toBe('2.1.0')
    const junit = await program<string>(secret, 'GET', `/checks/${body.check}/report?format=junit`)
    expect(junit.headers.get('content-type')).toContain('xml')
    expect(junit.body).toContain('<testsuite ')
  })

  it('leaves a large text to the workers', async () => {
    const { secret } = await issue(['check'])
    const large = `${text}${'# padding\n'.repeat(40_000)}`
    const started = await program<CheckItem>(secret, 'POST', '/checks?file=large.yaml', large)
    const done = await program<CheckItem>(secret, 'GET', `/checks/${started.body.check}`)
    expect(done.body).toMatchObject({ state: 'done', file: 'large.yaml' })
    const [row] = await world.db.select().from(checks).where(eq(checks.id, started.body.check))
    expect(row!.bytes).toBeNull()
  })

  it('knows the waivers of the API whose next text it is', async () => {
    await bringIn(tomas, text, { team: 'Network Control', audience: 'partner' })
    const findings = await tomas.call<{ items: { key: string; rule: string }[] }>(
      'GET',
      '/findings?api=supply-interruptions&level=MUST',
    )
    const one = findings.body.items[0]!
    await tomas.call('POST', '/findings/acts', {
      findings: [{ api: 'supply-interruptions', key: one.key }],
      accept: true,
    })
    const { secret } = await issue(['check'])
    const { body } = await program<CheckItem>(
      secret,
      'POST',
      '/checks?api=supply-interruptions',
      text,
    )
    expect(body.waived).toBe(1)
  })

  it('says of a text that is no definition where it goes wrong', async () => {
    const { secret } = await issue(['check'])
    const { body } = await program<CheckItem>(secret, 'POST', '/checks?file=no.yaml', 'openapi: [')
    const report = await program<string>(secret, 'GET', `/checks/${body.check}/report?format=text`)
    expect(report.body).toMatch(/no\.yaml:\d+:\d+/)
    expect((await program(secret, 'GET', '/checks/nothing')).status).toBe(404)
  })
})

const run = (...args: string[]) =>
  new Promise<{ status: number | null; stdout: string; stderr: string }>((resolve) => {
    const child = spawn(process.execPath, ['dist/cli.mjs', ...args])
    let [stdout, stderr] = ['', '']
    child.stdout.on('data', (data) => (stdout += String(data)))
    child.stderr.on('data', (data) => (stderr += String(data)))
    child.on('close', (status) => resolve({ status, stdout, stderr }))
  })

describe('the command line with a server', () => {
  const lint = (...args: string[]) => run('lint', ...args)

  it('checks against the edition that is in force there', async () => {
    const file = join(folder, 'supply.yaml')
    writeFileSync(file, definition('supply-interruptions/2.5.0.yaml'))
    const { secret } = await issue(['read'])
    const server = ['--server', world.base, '--token', secret]
    const found = await lint(file, ...server, '--format', 'json', '--level', 'must')
    expect(found.status).toBe(1)
    const rules = (JSON.parse(found.stdout) as { rule: string; message: string }[]).map(
      ({ rule }) => rule,
    )
    // Only a rulebook of the organisation knows its domain; the one that ships asks for none.
    expect(rules).toContain('contact-email')
    const wrong = await lint(file, '--server', world.base, '--token', 'elt_nothing')
    expect(wrong).toMatchObject({ status: 2 })
    expect(wrong.stderr).toContain('401')
    const away = await lint(file, '--server', 'http://127.0.0.1:9', '--token', secret)
    expect(away.status).toBe(2)
    expect((await lint(file, ...server, '--rulebook', 'own.yaml')).status).toBe(2)
  })
})

describe('a snapshot from the command line', () => {
  it('is taken of a gateway that is only read, with what was not understood', async () => {
    const group = { serves: 'A contractor’s', audiences: ['private'] }
    const ada = await world.visitor('ada')
    await ada.call('PUT', '/gateway-groups/shore', group)
    const kept = { kind: 'uploaded', group: 'shore', serves: 'A contractor’s' }
    expect((await ada.call('PUT', '/gateways/shore', kept)).status).toBe(204)
    const file = join(folder, 'routes.json')
    const route = {
      apiVersion: 'gateway.networking.k8s.io/v1',
      kind: 'HTTPRoute',
      metadata: { name: 'tides', namespace: 'shore', uid: 'x' },
      spec: {
        hostnames: ['tides.example'],
        rules: [{ backendRefs: [{ name: 'tides', port: 80 }] }],
      },
    }
    writeFileSync(file, JSON.stringify({ kind: 'List', items: [route, { kind: 'Pod' }] }))
    const operator = await world.visitor('oskar')
    const { secret: uploads } = await issue(['upload'], operator)
    const to = ['snapshot', 'push', '--gateway', 'shore', '--server', world.base]
    const pushed = await run(...to, '--token', uploads, file)
    expect(pushed).toMatchObject({ status: 0, stderr: '' })
    expect(pushed.stdout).toBe(
      'shore: 1 route read, 0 placements differing, 1 route of nobody’s placement\n  not understood: Beside routes: 1 Pod\n',
    )
    const { secret } = await issue(['read'])
    const refused = await run(...to, '--token', secret, file)
    expect(refused).toMatchObject({ status: 2 })
    expect(refused.stderr).toContain('403')
    expect((await run(...to, '--token', uploads, join(folder, 'none.yaml'))).status).toBe(2)
  })
})

describe('promotions from the command line', () => {
  const api = 'leak-sensors'
  let placement: string
  const server = (secret: string) => ['--server', world.base, '--token', secret]
  const place = async (version: string, text: string) => {
    await bringIn(tomas, text, version === '0.3.0' ? undefined : { api })
    const { spec, group } = await tomas.api.getPlacementDraft({ api, version })
    const routes = spec.routes.map((row) => ({ ...row, treatment: { kind: 'mock' as const } }))
    const placed = await tomas.api.createPlacement(
      {},
      { api, version, group, spec: { ...spec, routes } },
    )
    placement = String(placed.id)
    await checkAllGateways(world.services)
  }

  it('are asked for, waited for and carried out, and say by their status how they stand', async () => {
    const text = definition('leak-sensors/0.3.0.yaml')
    await place('0.3.0', text)
    const { secret: own } = await issue(['read', 'write'])
    const asked = await run('promote', `${api}@0.3.0`, '--from', 'Trial', ...server(own), '--json')
    expect(asked).toMatchObject({ status: 0, stderr: '' })
    const { promotion, state } = JSON.parse(asked.stdout) as { promotion: number; state: string }
    expect(state).toBe('waiting')
    // Asked for once more, it is the same one.
    const again = await run('promote', `${api}@0.3.0`, '--from', 'Trial', ...server(own))
    expect(again.stdout).toContain(`Promotion ${promotion}: ${api} 0.3.0 from Trial into Rehearsal`)
    const shut = await run('status', String(promotion), ...server(own))
    expect([1, 3]).toContain(shut.status)
    const timed = await run('wait', String(promotion), '--timeout', '0', ...server(own))
    expect(timed.status).toBe(shut.status)
    expect((await run('status', `${api}@0.3.0`, ...server(own))).stdout).toMatch(/^Trial {2}/)
    expect((await run('status', `${api}@9.9.9`, ...server(own))).status).toBe(1)
    for (const wrong of [
      ['status', 'nothing'],
      ['wait', 'x'],
      ['wait', '1', '--until', 'never'],
      ['wait', '1', '--timeout', 'soon'],
      ['promote', api, '--from', 'Trial'],
      ['promote', `${api}@9.9.9`, '--from', 'Trial'],
      ['status', '99999'],
      ['rollback', placement, '--reason', 'none'],
      ['rollback', placement, '--reason', 'none', '--to', '9.9.9'],
    ])
      expect((await run(...wrong, ...server(own))).status, wrong.join(' ')).toBe(2)
    const operator = await world.visitor('oskar')
    const { secret: acts } = await issue(['read', 'write'], operator)
    const ruth = await world.visitor('ruth')
    const waits = run('wait', String(promotion), '--until', 'open', ...server(acts))
    const { digest, gates } = await ruth.api.getPromotion({ promotion })
    const isOpen = gates.every((gate) => gate.id === 'approval' || gate.state === 'passed')
    await ruth.api.approvePromotion({ promotion }, { note: '', digest: digest! })
    expect(isOpen, JSON.stringify(gates)).toBe(true)
    expect((await waits).status).toBe(0)
    const done = await run(
      ...['promote', `${api}@0.3.0`, '--from', 'Trial', '--carry-out', ...server(acts)],
    )
    expect(done).toMatchObject({ status: 0 })
    expect((await run('status', String(promotion), ...server(own))).status).toBe(0)
    expect((await run('status', `${api}@0.3.0`, ...server(own))).stdout).toMatch(/^Rehearsal /m)
  })

  it('are gone back from, by whoever may', async () => {
    const text = definition('leak-sensors/0.3.0.yaml').replace('version: 0.3.0', 'version: 0.3.1')
    await place('0.3.1', text)
    const { secret: own } = await issue(['read', 'write'])
    const back = ['rollback', placement, '--to', '0.3.0', '--reason', 'Sensors are silent']
    const refused = await run(...back, ...server(own))
    expect(refused).toMatchObject({ status: 2 })
    expect(refused.stderr).toContain('403')
    const { secret: acts } = await issue(['read', 'write'], await world.visitor('oskar'))
    const done = await run(...back, ...server(acts), '--json')
    expect(done).toMatchObject({ status: 0, stderr: '' })
    expect(JSON.parse(done.stdout)).toMatchObject({ placement, version: '0.3.0' })
  })
})

describe('a proposed fix', () => {
  const broken = definition('supply-interruptions/2.5.0.yaml')
    .replace('version: 2.5.0', 'version: 2.5.0 # kept')
    .replace(
      /operationId: (\w)(\w*)/,
      (_, a: string, b: string) => `operationId: ${a.toUpperCase()}${b}`,
    )
  const rule = 'operation-identifier-casing'
  const list = async (query = '') =>
    (await wren.call<{ items: ProposalItem[] }>('GET', `/proposals?rule=${rule}${query}`)).body
      .items

  beforeAll(async () => {
    const latest = await tomas.call('GET', '/apis/supply-interruptions')
    expect(latest.status).toBe(200)
    const { latest: now } = latest.body as { latest: { revision: number } }
    const saved = await tomas.call('POST', '/apis/supply-interruptions/revisions', broken, {
      'if-match': `"revision-${now.revision}"`,
    })
    expect(saved.status).toBe(201)
  })

  it('is put before every owner, shows what it changes, and becomes a revision', async () => {
    const refused = await tomas.call('POST', `/rules/${rule}/proposals`, { fix: 0 })
    expect(refused.status).toBe(403)
    const made = await imara.call<{ proposals: number }>('POST', `/rules/${rule}/proposals`, {
      fix: 0,
      note: 'Before the audit, please',
    })
    expect(made).toMatchObject({ status: 202, body: { proposals: 1 } })
    const [item] = await list('&state=waiting')
    expect(item).toMatchObject({ api: 'supply-interruptions', places: 1, by: 'Imara Holt' })
    const texts = await tomas.call<{ items: ProposedText[] }>(
      'GET',
      `/proposals/${item!.proposal}/texts`,
    )
    const [text] = texts.body.items
    expect(text!.before).toBe(broken)
    const [gone, ...none] = text!.before
      .split('\n')
      .filter((line, i) => line !== text!.after.split('\n')[i])
    expect(gone).toMatch(/operationId/)
    expect(none).toEqual([])
    const strange = await world.visitor('edwin')
    expect(
      (await strange.call('POST', `/proposals/${item!.proposal}/decision`, { accept: true }))
        .status,
    ).toBe(403)
    const accepted = await tomas.call<ProposalOutcome>(
      'POST',
      `/proposals/${item!.proposal}/decision`,
      { accept: true, version: '2.5.1' },
    )
    expect(accepted.status).toBe(200)
    const after = await tomas.call<string>(
      'GET',
      `/apis/supply-interruptions/revisions/${accepted.body.revision}/text`,
    )
    expect(after.body).toContain('version: 2.5.1 # kept')
    expect((await list())[0]).toMatchObject({ state: 'accepted', revision: accepted.body.revision })
    const again = await tomas.call('POST', `/proposals/${item!.proposal}/decision`, {
      accept: true,
    })
    expect(again.status).toBe(409)
    const none_ = await imara.call('POST', `/rules/${rule}/proposals`, { fix: 0 })
    expect(none_.status).toBe(409)
  })
})
