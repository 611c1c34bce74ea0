import { spawn } from 'node:child_process'
import { mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { checkAllGateways } from '../../server/services/gateways'
import type { AppliedResource, ResourcePlan } from '../../shared/api/resources'
import type { IssuedToken } from '../../shared/api/tokens'
import {
  adminHeaders,
  bringIn,
  definition,
  makeWorld,
  type Visitor,
  type World,
} from '../support/world'

let world: World
let folder: string
let imara: Visitor, tomas: Visitor, oskar: Visitor, ruth: Visitor, wren: Visitor, ada: Visitor
const api = 'supply-interruptions'
const tokens = new Map<Visitor, string>()

const run = (...args: string[]) =>
  new Promise<{ status: number | null; stdout: string; stderr: string }>((resolve) => {
    const child = spawn(process.execPath, ['dist/cli.mjs', ...args])
    let [stdout, stderr] = ['', '']
    child.stdout.on('data', (data) => (stdout += String(data)))
    child.stderr.on('data', (data) => (stderr += String(data)))
    child.on('close', (status) => resolve({ status, stdout, stderr }))
  })
const as = (visitor: Visitor) => ['--server', world.base, '--token', tokens.get(visitor)!]
const plan = (visitor: Visitor, ...paths: string[]) =>
  run('plan', ...paths.flatMap((path) => ['-f', join(folder, path)]), ...as(visitor))
const apply = (visitor: Visitor, path: string, ...more: string[]) =>
  run('apply', '-f', join(folder, path), ...as(visitor), ...more)
const read = (path: string) => readFileSync(join(folder, path), 'utf8')
const write = (path: string, text: string) => writeFileSync(join(folder, path), text)
/** Lets a change of a file be undone. */
function changed(path: string, from: string | RegExp, to: string): () => void {
  const before = read(path)
  const after = before.replace(from, to)
  expect(after).not.toBe(before)
  write(path, after)
  return () => write(path, before)
}

beforeAll(async () => {
  world = await makeWorld()
  folder = mkdtempSync(join(tmpdir(), 'elm-files-'))
  const visitors = await Promise.all(
    ['imara', 'tomas', 'oskar', 'ruth', 'wren', 'ada'].map((name) => world.visitor(name)),
  )
  ;[imara, tomas, oskar, ruth, wren, ada] = visitors as [
    ...[Visitor, Visitor, Visitor],
    ...[Visitor, Visitor, Visitor],
  ]
  const until = new Date(Date.now() + 5 * 86_400_000).toISOString().slice(0, 10)
  for (const visitor of visitors) {
    const scopes = visitor === wren ? ['read'] : ['read', 'write']
    const body = { name: 'Files', scopes, until }
    tokens.set(visitor, (await visitor.call<IssuedToken>('POST', '/tokens', body)).body.secret)
  }
  await bringIn(tomas, definition(`${api}/2.4.0.yaml`))
  const { spec, group } = await tomas.api.getPlacementDraft({ api, version: '2.4.0' })
  const routes = spec.routes.map((row) => ({ ...row, treatment: { kind: 'mock' as const } }))
  const policies = { authentication: { kind: 'none' as const, reason: 'Only a test asks' } }
  const body = { api, version: '2.4.0', group, spec: { ...spec, routes, policies } }
  await tomas.api.createPlacement({}, body)
  await imara.api.createPipeline(
    {},
    {
      ...{ title: 'Short', note: 'Two stages' },
      text: 'pipeline: 1\nstages:\n  - name: Trial\n  - name: Live\n    gates: { approval: {} }\n',
    },
  )
  await checkAllGateways(world.services)
  expect(await run('export', '-o', folder, ...as(ada))).toMatchObject({ status: 0, stderr: '' })
})
afterAll(async () => {
  rmSync(folder, { recursive: true, force: true })
  await world.close()
})

describe('an export', () => {
  it('has everything in files, and applied it changes nothing', async () => {
    expect(readdirSync(folder).sort()).toEqual([
      ...['api', 'gateway', 'gateway-group', 'host', 'intended', 'pipeline', 'placement'],
      ...['policies', 'resource.schema.json', 'rulebook', 'stages'],
    ])
    expect(
      read(
        `api/definitions/${api}/2.4.0/${readdirSync(join(folder, `api/definitions/${api}/2.4.0`))[0]}`,
      ),
    ).toBe(definition(`${api}/2.4.0.yaml`))
    const planned = await plan(ada, '.')
    expect(planned).toMatchObject({ status: 0, stderr: '' })
    expect(planned.stdout).toMatch(/^0 changes, \d+ stand as they are wanted\n$/)
    const last = (await wren.api.listLedgerEntries({ limit: 1 })).items[0]!.number
    expect(await apply(ada, '.', '--prune')).toMatchObject({ status: 0 })
    expect((await wren.api.listLedgerEntries({ limit: 1 })).items[0]!.number).toBe(last)
  })

  it('writes what gateways are meant to run, as the drift of files reads it', async () => {
    const running = join(folder, 'running.yaml')
    const site = world.sites[0]!
    const text = await (
      await fetch(`${site.adminUrl}/configuration`, {
        headers: adminHeaders(site.adminUrl),
      })
    ).text()
    writeFileSync(running, text)
    const intent = join(folder, 'intended/north-edge.yaml')
    const same = await run('drift', '--intent', intent, '--running', running)
    expect(same).toMatchObject({ status: 0 })
    writeFileSync(running, text.replaceAll('trial.api', 'other.api'))
    expect((await run('drift', '--intent', intent, '--running', running)).status).toBe(1)
    rmSync(running)
  })

  it('says nothing of where gateways are written to those who do not write them', async () => {
    const { items } = await wren.api.listResources({ kind: 'Gateway' })
    expect(JSON.stringify(items)).not.toContain('adminUrl')
    expect((await wren.call('GET', '/gateways/north-edge/intent')).status).toBe(403)
  })
})

describe('files that say something else', () => {
  it('are planned value by value, and done at once in the first stage', async () => {
    const file = `placement/${api}-trial-1.yaml`
    changed(
      file,
      /policies:\n/,
      'policies:\n      rate: { requests: 60, seconds: 60, per: client }\n',
    )
    const planned = await plan(tomas, '.')
    expect(planned.status).toBe(1)
    expect(planned.stdout).toContain(`~ Placement ${api}-trial-1\n      serving.policies.rate`)
    // Reading is enough for a plan, and for nothing else.
    expect(await apply(wren, 'placement')).toMatchObject({ status: 1, stdout: /takes a token/ })
    const done = await apply(tomas, 'placement')
    expect(done).toMatchObject({ status: 0, stdout: /^✓ Placement .*: It runs so\n/ })
    expect(read(file)).toContain('generation: 2')
  })

  it('become a request where they reach a stage that is reviewed, once', async () => {
    const text = read(`placement/${api}-trial-1.yaml`)
      .replace(`name: ${api}-trial-1`, 'name: supply-live')
      .replace('stage: Trial', 'stage: Live')
      .replace('host: trial.', 'host: ')
      .replaceAll('/trial/', '/live/')
      .replace(/status:[\s\S]*/, '')
    write('placement/live.yaml', text)
    expect((await plan(tomas, 'placement')).stdout).toContain(
      '+ Placement supply-live, by promotion',
    )
    const asked = await apply(tomas, 'placement')
    expect(asked).toMatchObject({ status: 3, stdout: /… Placement supply-live: Request \d+ waits/ })
    const again = await apply(tomas, 'placement')
    expect(again).toMatchObject({ status: 3, stdout: /Promotion \d+ waits already/ })
    const { items } = await wren.api.listPromotions({ api })
    expect(items).toHaveLength(1)
    const { id, digest } = await wren.api.getPromotion({ promotion: items[0]!.id })
    await ruth.api.approvePromotion({ promotion: id }, { note: 'Read', digest: digest! })
    await oskar.api.promoteVersion({ promotion: id })
    expect(await plan(tomas, 'placement')).toMatchObject({ status: 0 })

    // What stands under another name is met by its address.
    changed('placement/live.yaml', 'requests: 60', 'requests: 30')
    const change = await apply(tomas, 'placement', '--note', 'Partners are few')
    expect(change).toMatchObject({
      status: 3,
      stdout: /supply-live: Request \d+ waits for its gates/,
    })
    const [request] = (await wren.api.listPromotions({ api, state: 'waiting' })).items
    expect(request).toMatchObject({ kind: 'change', note: 'Partners are few' })
    expect((await plan(tomas, 'placement')).stdout).toMatch(
      /… Placement .*: Request \d+ waits there/,
    )
    await tomas.api.withdrawPromotion({ promotion: request!.id })
    changed('placement/live.yaml', 'requests: 30', 'requests: 60')
  })

  it('bring definitions in: new versions of an API, and new APIs', async () => {
    const next = definition(`${api}/2.5.0.yaml`)
    const main = readdirSync(join(folder, `api/definitions/${api}/2.4.0`))[0]!
    const dir = join(folder, `api/definitions/${api}/2.5.0`)
    mkdirSync(dir)
    writeFileSync(join(dir, main), next)
    changed(
      `api/${api}.yaml`,
      /(\nspec:[\s\S]*?)\nstatus:/,
      `$1\n    - version: 2.5.0\n      folder: definitions/${api}/2.5.0\n      files:\n        - ${main}\nstatus:`,
    )
    expect(await plan(tomas, 'api')).toMatchObject({
      stdout: /^~ Api supply-interruptions/,
      stderr: '',
    })
    const saved = await apply(tomas, 'api')
    expect(saved).toMatchObject({ status: 0, stdout: /2\.5\.0 saved/ })
    expect((await wren.api.getApi({ api })).latest).toMatchObject({ version: '2.5.0' })

    mkdirSync(join(folder, 'api/definitions/levels'))
    writeFileSync(
      join(folder, 'api/definitions/levels/levels.json'),
      definition('reservoir-levels/1.2.0.json'),
    )
    const own = {
      ...{ format: 1, kind: 'Api', name: 'reservoir-levels' },
      spec: {
        ...{ team: 'Network Control', audience: 'public', labels: ['open-data'] },
        versions: [{ version: '1.2.0', folder: 'definitions/levels', files: ['levels.json'] }],
      },
    }
    write('api/levels.json', JSON.stringify(own))
    const made = await apply(tomas, 'api')
    expect(made).toMatchObject({ status: 0, stderr: '' })
    expect(await wren.api.getApi({ api: 'reservoir-levels' })).toMatchObject({
      ...{ audience: 'public', labels: ['open-data'] },
    })
    expect((await plan(tomas, 'api')).status).toBe(0)
  })

  it('publish pipelines and rulebooks, and leave what somebody is writing alone', async () => {
    const undo = changed('pipeline/short.yaml', 'approval: {}', 'approval: { number: 2 }')
    expect(await apply(tomas, 'pipeline')).toMatchObject({ status: 1, stdout: /403/ })
    expect(await apply(imara, 'pipeline')).toMatchObject({ status: 0, stdout: /Edition 2/ })
    undo()
    expect(await apply(imara, 'pipeline')).toMatchObject({ status: 0, stdout: /Edition 3/ })

    const { saved } = await imara.api.raw
      .getRulebookDraft({ rulebook: 'house' })
      .then((response) => ({ saved: response.headers.get('etag')! }))
    const draft = { text: 'rulebook: 1\n# I am writing this\n' }
    await imara.call('PUT', '/rulebooks/house', draft, { 'if-match': saved })
    changed('rulebook/house.yaml', /( *)rulebook: 1\n/, '$1rulebook: 1\n$1# From a file\n')
    const refused = await apply(imara, 'rulebook')
    expect(refused).toMatchObject({
      status: 1,
      stdout: /not published; publish or undo that first/,
    })
  })

  it('take away what no file has, where that is asked for, by the same reviews', async () => {
    rmSync(join(folder, 'placement/live.yaml'))
    const kept = await plan(tomas, 'placement')
    expect(kept).toMatchObject({ status: 0, stdout: /1 that stand are in no file/ })
    const pruned = await apply(tomas, 'placement', '--prune', '--note', 'Not wanted any more')
    expect(pruned).toMatchObject({ status: 3, stdout: /Request \d+ waits/ })
    const [request] = (await wren.api.listPromotions({ api, state: 'waiting' })).items
    expect(request).toMatchObject({ kind: 'removal', note: 'Not wanted any more' })
    await tomas.api.withdrawPromotion({ promotion: request!.id })
  })
})

describe('files that cannot be applied', () => {
  it('are refused one by one by the server, each with what is wrong', async () => {
    write(
      'host/odd.yaml',
      'format: 1\nkind: Host\nname: x.example\nspec: { audiences: [nobody] }\n',
    )
    const planned = await plan(ada, 'host')
    expect(planned).toMatchObject({ status: 2 })
    expect(planned.stdout).toMatch(/✕ Host x\.example: .*(?:Stage|Audiences)/)
    rmSync(join(folder, 'host/odd.yaml'))
  })

  it('do nothing where what they were planned on has changed since', async () => {
    const spec = { serves: 'Everything' }
    const resources = [{ kind: 'GatewayGroup', name: 'edge', spec }]
    const { body } = await ada.call<ResourcePlan>('POST', '/resource-plans', { resources })
    const put = (etag: string, visitor = ada) =>
      visitor.call<AppliedResource>(
        'PUT',
        '/resources/GatewayGroup/edge',
        { spec, note: 'From a test' },
        { 'if-match': etag },
      )
    const [item] = body.items
    expect((await put('"something"')).status).toBe(412)
    expect((await put(item!.etag, tomas)).status).toBe(403)
    const two = await Promise.all([put(item!.etag), put(item!.etag)])
    expect(two.some(({ status }) => status === 200)).toBe(true)
    expect((await put(item!.etag)).status).toBe(412)
    expect(
      (await ada.call('PUT', '/resources/Nothing/edge', { spec, note: 'From a test' })).status,
    ).toBe(404)
  })
})
