import { createServer } from 'node:http'
import { mkdirSync, readdirSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs'
import fs from 'node:fs'
import { join } from 'node:path'
import git from 'isomorphic-git'
import { eq } from 'drizzle-orm'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { compilePlacement } from '../../core/runtime/compile'
import type { PlacementSpec, RouteRow } from '../../core/runtime/placement'
import { routesOf } from '../../core/runtime/read'
import { placementOf, type Resource } from '../../core/runtime/resources'
import { isSame } from '../../core/text/values'
import { gateways } from '../../server/db/schema'
import { adapterOf } from '../../server/gateways'
import type { Adapter, Change } from '../../server/gateways/adapter'
import { checkGateway, findGateway } from '../../server/services/gateways'
import type { GatewayHealth, GatewayItem } from '../../shared/api/gateways'
import type { PlacementDetail } from '../../shared/api/placements'
import { placementEtag } from '../../shared/etags'
import { listen } from '../support/gateway'
import { changeDying } from '../support/dying-change'
import { bringIn, makeWorld, type Visitor, type World } from '../support/world'

let world: World
let ada: Visitor, imara: Visitor, oskar: Visitor, tomas: Visitor, wren: Visitor

const folder = (name: string) => join(world.services.gatewayFolders, name)

const rounds = `openapi: 3.1.0
info: { title: Filter Rounds, version: 1.0.0 }
paths:
  /rounds:
    get: { operationId: listRounds, responses: { '200': { description: Rounds } } }
  /filters:
    get: { operationId: listFilters, responses: { '200': { description: Filters } } }
`

const byHand = `# Written by hand, with a comment.
apiVersion: gateway.networking.k8s.io/v1
kind: HTTPRoute
metadata: { name: old-rounds, uid: 17 }
spec:
  hostnames: [trial.inner.brackenmere.example]
  rules:
    - matches: [{ path: { type: Exact, value: /old/rounds }, method: GET }]
      backendRefs: [{ name: old-rounds, port: 8080 }]
`

beforeAll(async () => {
  world = await makeWorld({ gateways: { 'north-edge': 'edge' } })
  ;[ada, imara, oskar, tomas, wren] = (await Promise.all(
    ['ada', 'imara', 'oskar', 'tomas', 'wren'].map((name) => world.visitor(name)),
  )) as [Visitor, Visitor, Visitor, Visitor, Visitor]
  for (const name of ['plain', 'committed', 'bare']) mkdirSync(folder(name), { recursive: true })
  writeFileSync(join(folder('plain'), 'by-hand.yaml'), byHand)
  await git.init({ fs, dir: folder('committed'), defaultBranch: 'main' })
  writeFileSync(join(folder('committed'), 'by-hand.yaml'), byHand)
  await git.add({ fs, dir: folder('committed'), filepath: 'by-hand.yaml' })
  await git.commit({
    ...{ fs, dir: folder('committed'), message: 'Begin' },
    author: { name: 'Somebody', email: 's@example.org' },
  })
  await git.init({ fs, gitdir: folder('bare'), bare: true, defaultBranch: 'main' })
  const group = (name: string) =>
    ada.call('PUT', `/gateway-groups/${name}`, { serves: 'A plant', audiences: ['private'] })
  const gateway = (name: string, body: object) => ada.call('PUT', `/gateways/${name}`, body)
  for (const name of ['plain', 'committed', 'bare']) {
    expect((await group(name)).status).toBe(204)
    const body = { kind: 'files', group: name, serves: 'A plant', folder: name }
    expect((await gateway(name, body)).status).toBe(204)
  }
  await group('shore')
  await gateway('shore', { kind: 'uploaded', group: 'shore', serves: 'A contractor’s' })
  await bringIn(tomas, rounds, { team: 'Network Control', audience: 'private' })
})
afterAll(() => world.close())

const spec = (more: Partial<PlacementSpec> = {}): PlacementSpec => ({
  host: 'trial.inner.brackenmere.example',
  basePath: '/filters/v1',
  prefix: { kind: 'strip' },
  backends: [{ name: 'main', url: 'http://rounds.plant.svc:8080', timeoutMs: 4000 }],
  routes: ['/rounds', '/filters'].map((path): RouteRow => ({
    method: 'GET',
    path,
    treatment: { kind: 'route', backend: 'main' },
  })),
  policies: { authentication: { kind: 'none', reason: 'Only inside the plant' } },
  ...more,
})

/** What holds everywhere in the demo and no cluster enforces, put aside. */
const compiled = (name: string, at: Partial<PlacementSpec> = {}): Resource[] =>
  compilePlacement(spec(at), {
    ...{ name, gateway: 'g', version: '1.0.0', revision: 1, keys: [], mocks: new Map() },
  })

const adapterFor = async (name: string): Promise<Adapter> =>
  adapterOf(world.services, await findGateway(world.db, name))

describe.each(['north-edge', 'plain', 'committed', 'bare'])('the kind of %s', (name) => {
  let adapter: Adapter
  const running = async () => adapter.understand((await adapter.read()).text).resources
  const own = async (placement: string) =>
    (await running()).filter((resource) => placementOf(resource) === placement)
  const named = (resources: readonly Resource[]) =>
    [...resources].sort((a, b) =>
      `${a.kind} ${a.metadata.name}` < `${b.kind} ${b.metadata.name}` ? -1 : 1,
    )
  /** Puts a placement there, or takes it off. */
  const changeOf = async (placement: string, wanted: Resource[]): Promise<Change> => ({
    resources: [
      ...(await running()).filter((resource) => placementOf(resource) !== placement),
      ...wanted,
    ],
    placements: [placement],
    author: 'Oskar Lind',
    message: `Place ${placement}`,
  })

  beforeAll(async () => {
    adapter = await adapterFor(name)
  })

  it('says the same, with the same tag, while nothing changes', async () => {
    expect(await adapter.read()).toEqual(await adapter.read())
  })

  it('runs what is written, and is read back as that was said to be', async () => {
    const wanted = adapter.asRead(compiled('a'))
    expect(adapter.asRead(wanted)).toEqual(wanted)
    const before = await adapter.read()
    const strangers = (await running()).filter((one) => placementOf(one) !== 'a')
    expect(await adapter.write!(await changeOf('a', wanted), before.etag)).toMatchObject({
      taken: true,
    })
    expect((await adapter.read()).etag).not.toBe(before.etag)
    expect(isSame(named(await own('a')), named(wanted))).toBe(true)
    expect((await running()).filter((one) => placementOf(one) !== 'a')).toEqual(strangers)
    expect(routesOf(await own('a')).map(({ path }) => path)).toEqual([
      '/filters/v1/rounds',
      '/filters/v1/filters',
    ])
  })

  it('takes nothing that was made for something older', async () => {
    const { etag } = await adapter.read()
    const next = adapter.asRead(compiled('b', { basePath: '/other/v1' }))
    expect((await adapter.write!(await changeOf('b', next), etag)).taken).toBe(true)
    const { text } = await adapter.read()
    expect((await adapter.write!(await changeOf('a', []), etag)).taken).toBe(false)
    expect((await adapter.read()).text).toBe(text)
  })

  it('takes a placement off, and leaves the others', async () => {
    const { etag } = await adapter.read()
    expect((await adapter.write!(await changeOf('a', []), etag)).taken).toBe(true)
    expect(await own('a')).toEqual([])
    expect(await own('b')).not.toEqual([])
    const again = await adapter.read()
    await adapter.write!(await changeOf('b', []), again.etag)
  })
})

describe('a gateway that is fed from files', () => {
  it('keeps what others wrote to the letter, and lists it as nobody’s', async () => {
    expect(readFileSync(join(folder('plain'), 'by-hand.yaml'), 'utf8')).toBe(byHand)
    await checkGateway(world.services, 'plain')
    const { items } = await wren.api.listGateways()
    expect(items.find(({ name }) => name === 'plain')).toMatchObject({
      kind: 'files',
      routes: 1,
      unclaimed: ['GET trial.inner.brackenmere.example/old/rounds'],
      trouble: '',
    })
  })

  it('commits with who wanted it and what it was', async () => {
    const dir = folder('committed')
    const [last] = await git.log({ fs, dir, depth: 2 })
    expect(last!.commit).toMatchObject({
      author: { name: 'Oskar Lind' },
      committer: { name: 'Elm Ledger' },
      message: 'Place b\n',
    })
    const states = await git.statusMatrix({ fs, dir })
    expect(states.every(([, head, work, stage]) => head === 1 && work === 1 && stage === 1)).toBe(
      true,
    )
  })

  it('waits while git holds the branch, and takes over what a dead process of ours left', async () => {
    const adapter = await adapterFor('committed')
    const lock = join(folder('committed'), '.git/refs/heads/main.lock')
    const { etag } = await adapter.read()
    const change = {
      resources: adapter.asRead(compiled('c')),
      ...{ placements: ['c'], author: 'Oskar Lind', message: 'Place c' },
    }
    writeFileSync(lock, '')
    expect((await adapter.write!(change, etag)).taken).toBe(false)
    writeFileSync(lock, 'elm-ledger\n')
    expect((await adapter.write!(change, etag)).taken).toBe(true)
    expect(fs.existsSync(lock)).toBe(false)
    const next = await adapter.read()
    await adapter.write!({ ...change, resources: [] }, next.etag)
  })

  it('never leaves its folder', async () => {
    const secret = join(world.services.gatewayFolders, '..', 'outside')
    mkdirSync(secret, { recursive: true })
    writeFileSync(join(secret, 'x.yaml'), byHand)
    symlinkSync(secret, folder('link'))
    const set = (at: string) =>
      ada.call<{ detail: string }>('PUT', '/gateways/link', {
        ...{ kind: 'files', group: 'plain', serves: '', folder: at },
      })
    for (const at of ['..', '../outside', '/etc', 'a/../../b', '', '.git']) {
      expect((await set(at)).status, at).toBe(422)
    }
    const tried = await ada.call<{ answers: boolean; says: string }>('POST', '/gateway-tests', {
      ...{ kind: 'files', group: 'plain', serves: '', folder: 'link' },
    })
    expect(tried.body).toMatchObject({
      answers: false,
      says: expect.stringContaining('not below') as string,
    })
    // A link in the folder is no file, and what is written under its name goes nowhere else.
    symlinkSync(join(secret, 'x.yaml'), join(folder('plain'), 'd.yaml'))
    const adapter = await adapterFor('plain')
    const { etag } = await adapter.read()
    await adapter.write!(
      {
        resources: adapter.asRead(compiled('d')),
        ...{ placements: ['d'], author: 'x', message: 'x' },
      },
      etag,
    )
    expect(readFileSync(join(secret, 'x.yaml'), 'utf8')).toBe(byHand)
    rmSync(join(folder('plain'), 'd.yaml'))
  })

  it('commits to no branch that leads out of its repository', async () => {
    const adapter = await adapterFor('bare')
    const head = join(folder('bare'), 'HEAD')
    const before = readFileSync(head, 'utf8')
    writeFileSync(head, 'ref: refs/heads/../../../../escaped\n')
    const { etag } = await adapter.read().catch(() => ({ etag: 'no commit yet' }))
    const change = {
      resources: adapter.asRead(compiled('e')),
      ...{ placements: ['e'], author: 'x', message: 'x' },
    }
    await expect(adapter.write!(change, etag)).rejects.toThrow(/not on a branch/)
    expect(readdirSync(world.services.gatewayFolders)).not.toContain('escaped.lock')
    writeFileSync(head, before)
    // A repository that is a link is none of the gateway's.
    symlinkSync(join(folder('committed'), '.git'), join(folder('plain'), '.git'))
    const plain = await adapterFor('plain')
    expect((await plain.read()).etag).not.toBe((await (await adapterFor('committed')).read()).etag)
    rmSync(join(folder('plain'), '.git'))
  })

  it('says which file nobody can read, and that a folder is gone', async () => {
    const broken = join(folder('plain'), 'broken.yaml')
    writeFileSync(broken, 'a: [')
    const read = () => imara.call<{ detail: string }>('POST', '/gateways/plain/read')
    expect(await read()).toMatchObject({
      status: 502,
      body: { detail: expect.stringContaining('broken.yaml') as string },
    })
    rmSync(broken)
    expect((await read()).status).toBe(200)
    await world.db.update(gateways).set({ folder: 'gone' }).where(eq(gateways.name, 'bare'))
    expect(await imara.call('POST', '/gateways/bare/read')).toMatchObject({
      status: 502,
      body: { detail: expect.stringContaining('has no folder called gone') as string },
    })
    await world.db.update(gateways).set({ folder: 'bare' }).where(eq(gateways.name, 'bare'))
  })
})

describe('placing on a cluster', () => {
  const id = 'filter-rounds-trial-1'
  const off = { off: 'The cluster keeps its own' }
  /** What the organisation asks of everything, put aside where a cluster cannot do it. */
  const policies = {
    ...spec().policies,
    ...Object.fromEntries(['log', 'errors', 'body', 'rate'].map((kind) => [kind, off])),
  }
  const place = (more: Partial<PlacementSpec> = {}) =>
    tomas.call<PlacementDetail & { faults: { field: string; message: string }[] }>(
      'POST',
      '/placements',
      {
        ...{ api: 'filter-rounds', version: '1.0.0', group: 'committed' },
        spec: { ...spec({ policies, ...more }) },
      },
    )

  it('refuses what it could not enforce, by name', async () => {
    const limited = await place({
      policies: { ...policies, rate: { requests: 5, seconds: 60, per: 'client' } },
    })
    expect(limited.status).toBe(422)
    expect(limited.body.faults).toEqual([
      expect.objectContaining({
        field: 'policies.rate',
        message: expect.stringContaining('committed can enforce') as string,
      }),
    ])
    const outside = await place({
      backends: [{ name: 'main', url: `${world.standins}/trial/supply`, timeoutMs: 1000 }],
    })
    expect(outside.body.faults[0]).toMatchObject({ field: 'backends' })
  })

  it('rolls out as one commit, and comes back from what somebody committed since', async () => {
    const made = await place()
    expect(made).toMatchObject({ status: 201, body: { id, mark: 'in-step' } })
    const dir = folder('committed')
    const [commit] = await git.log({ fs, dir, depth: 1 })
    expect(commit!.commit.author.name).toBe('Tomas Verrall')
    expect(commit!.commit.message).toMatch(/Filter Rounds 1\.0\.0.*\n\nRollout \d+/)
    const file = join(dir, `${id}.yaml`)
    const text = readFileSync(file, 'utf8')
    expect(text).toContain('namespace: plant')
    writeFileSync(file, text.replace('/filters/v1/rounds', '/filters/v1/tours'))
    const author = { name: 'Hasty', email: 'h@example.org' }
    await git.add({ fs, dir, filepath: `${id}.yaml` })
    await git.commit({ fs, dir, author, message: 'Quick change' })
    await checkGateway(world.services, 'committed')
    const drifted = (await tomas.call<PlacementDetail>('GET', `/placements/${id}`)).body
    expect(drifted.differences.map(({ where }) => where).sort()).toEqual([
      'GET /filters/v1/rounds',
      'GET /filters/v1/tours',
    ])
    expect((await oskar.call('POST', `/placements/${id}/put-back`)).status).toBeLessThan(300)
    expect(readFileSync(file, 'utf8')).toBe(text)
  })

  it('keeps what somebody committed, where that is approved', async () => {
    const dir = folder('committed')
    const file = join(dir, `${id}.yaml`)
    writeFileSync(
      file,
      readFileSync(file, 'utf8').replaceAll('backendRequest: 4s', 'backendRequest: 7s'),
    )
    const author = { name: 'Careful', email: 'c@example.org' }
    await git.add({ fs, dir, filepath: `${id}.yaml` })
    await git.commit({ fs, dir, author, message: 'Wait longer' })
    await checkGateway(world.services, 'committed')
    const kept = await oskar.call<PlacementDetail>('POST', `/placements/${id}/keep`)
    expect(kept).toMatchObject({
      status: 200,
      body: { mark: 'in-step', spec: { backends: [{ name: 'main', timeoutMs: 7000 }], policies } },
    })
    const [last] = await git.log({ fs, dir, depth: 1 })
    expect(last!.commit.message).toBe('Wait longer\n')
  })

  it('ends as one commit that was wanted, wherever its process dies', async () => {
    const dir = folder('committed')
    const commits = async () => (await git.log({ fs, dir })).length
    const before = await commits()
    let points = 0
    for (const when of ['before', 'after'] as const)
      for (let at = 0; ; at += 4) {
        const timeoutMs = 1000 + ++points
        const { died, refused } = await changeDying(
          world,
          id,
          (wanted) => ({ ...wanted, backends: [{ ...wanted.backends[0]!, timeoutMs }] }),
          { at, when },
        )
        expect(refused).toBe(false)
        const { body } = await tomas.call<PlacementDetail>('GET', `/placements/${id}`)
        expect(body).toMatchObject({ mark: 'in-step', spec: { backends: [{ timeoutMs }] } })
        const ms = `${Math.floor(timeoutMs / 1000)}s${timeoutMs % 1000}ms`
        expect(readFileSync(join(dir, `${id}.yaml`), 'utf8')).toContain(`backendRequest: ${ms}`)
        if (!died) break
      }
    expect(points).toBeGreaterThan(4)
    expect((await commits()) - before).toBe(points)
  }, 120_000)

  it('is taken off with its file', async () => {
    const { body } = await tomas.call<PlacementDetail>('GET', `/placements/${id}`)
    const gone = await tomas.call('DELETE', `/placements/${id}`, undefined, {
      'if-match': placementEtag(body),
    })
    expect(gone.status).toBeLessThan(300)
    expect(readdirSync(folder('committed')).sort()).toEqual(['.git', 'by-hand.yaml'])
  })
})

describe('a gateway that is only read', () => {
  const push = (visitor: Visitor, text: string, name = 'shore') =>
    visitor.call<GatewayItem & { detail: string; faults: { message: string }[] }>(
      'PUT',
      `/gateways/${name}/snapshot`,
      { text },
    )

  it('is unknown before somebody uploads, and compared at once after', async () => {
    expect(await imara.call('POST', '/gateways/shore/read')).toMatchObject({
      status: 502,
      body: { detail: expect.stringContaining('nothing has been uploaded') as string },
    })
    const given = await push(oskar, byHand)
    expect(given).toMatchObject({
      status: 200,
      body: { routes: 1, trouble: '', passedOver: [], unclaimed: [expect.stringMatching(/old/)] },
    })
    const pod = '{"apiVersion":"v1","kind":"Pod","metadata":{"name":"x"}}'
    expect((await push(oskar, `${byHand}---\n${pod}`)).body.passedOver).toEqual([
      'Beside routes: 1 Pod',
    ])
  })

  it('takes it from those who may, for that kind, and nothing that is none', async () => {
    expect((await push(wren, byHand)).status).toBe(403)
    expect((await push(tomas, byHand)).status).toBe(403)
    expect((await push(oskar, byHand, 'plain')).status).toBe(409)
    expect((await push(oskar, byHand, 'nowhere')).status).toBe(404)
    const refused = await push(oskar, 'only words')
    expect(refused.status).toBe(422)
    expect(refused.body.faults[0]!.message).toContain('has no kind')
    expect(
      (await wren.api.listGateways()).items.find(({ name }) => name === 'shore'),
    ).toMatchObject({ routes: 1 })
  })

  it('has nothing placed on it', async () => {
    const { status, body } = await tomas.call<{ faults: { field: string; message: string }[] }>(
      'POST',
      '/placements',
      { ...{ api: 'filter-rounds', version: '1.0.0', group: 'shore' }, spec: spec() },
    )
    expect(status).toBe(422)
    expect(body.faults[0]).toMatchObject({
      field: 'group',
      message: expect.stringContaining('only read') as string,
    })
  })
})

describe('live health', () => {
  const health = async (name: string) =>
    (await wren.call<GatewayHealth>('GET', `/gateways/${name}/health`)).body

  it('is asked of the gateway at that moment, and says where it cannot be', async () => {
    expect(await health('north-edge')).toMatchObject({ answers: true, targets: [] })
    expect(await health('plain')).toMatchObject({
      answers: false,
      says: 'This kind of gateway cannot be asked',
    })
    const liar = createServer((_, response) => response.writeHead(500).end('no'))
    const port = await listen(liar)
    await world.db
      .update(gateways)
      .set({ adminUrl: `http://127.0.0.1:${port}` })
      .where(eq(gateways.name, 'north-edge'))
    expect(await health('north-edge')).toMatchObject({
      answers: false,
      says: expect.stringContaining('answered 500') as string,
    })
    liar.close()
  })
})
