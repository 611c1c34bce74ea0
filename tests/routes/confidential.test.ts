import { writeFileSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { verifyExport } from '../../cli/verify'
import type { PlacementDetail, SpecBody } from '../../shared/api/placements'
import { operations, ownDefinition } from '../../server/operations'
import { checkAllGateways } from '../../server/services/gateways'
import { signNow } from '../../server/services/heads'
import { bringIn, definition, makeWorld, type Visitor, type World } from '../support/world'

/** In everything that the confidential API says and is called; nowhere else in the world. */
const secret = /quillmarsh/i
const api = 'quillmarsh-interruptions'
/** Of the same shape, and never there. */
const ghosts = { api: 'gorselands-interruptions', placement: 'gorselands-interruptions-trial-1' }

const text = (title: string) =>
  definition('supply-interruptions/2.4.0.yaml')
    .replaceAll('Supply Interruptions', 'QUILL')
    .replaceAll('interruptions', 'quillmarsh-cuts')
    .replaceAll('Interruption', 'Quillmarsh')
    .replaceAll('QUILL', title)

/** Those who may see it: governance, its team and who is named; and those who may not, one of every other role. */
const seeing = ['imara', 'tomas', 'wren']
const hidden = ['nadia', 'oskar', 'ruth', 'ada']

let world: World
const visitors = new Map<string, Visitor>()
const as = (name: string) => visitors.get(name)!
let about: Record<string, string>
let before: Map<string, Map<string, string>>

/** What may differ from one reading to the next. */
const settled = (body: string) =>
  body
    .replace(/\d{4}-\d{2}-\d{2}T[\d:.]+Z/g, 'T')
    .replace(/"nextCursor":"[^"]*"/g, '')
    .replace(/"sessions":\d+/g, '')

const lists = operations.filter(
  ({ method, path, id, calledWith }) =>
    method === 'GET' &&
    !path.includes('{') &&
    calledWith !== 'code' &&
    // Heads and proofs say how long the ledger is, and nothing of what is in it.
    !['listLedgerHeads', 'getLedgerKey', 'exportLedger', 'getConsistencyProof'].includes(id),
)

async function everything(visitor: Visitor): Promise<Map<string, string>> {
  const answers = new Map<string, string>()
  for (const { id, path } of lists) {
    const { body, status } = await visitor.call<unknown>('GET', path)
    answers.set(id, `${status} ${settled(JSON.stringify(body))}`)
  }
  return answers
}

beforeAll(async () => {
  world = await makeWorld()
  for (const name of [...seeing, ...hidden]) visitors.set(name, await world.visitor(name))
  const [imara, tomas] = [as('imara'), as('tomas')]
  await bringIn(tomas, definition('supply-interruptions/2.4.0.yaml'))
  // Checked once more, as it is when something beside it becomes confidential.
  await tomas.call('PATCH', '/apis/supply-interruptions', { lifecycle: 'active' })
  await checkAllGateways(world.services)
  before = new Map()
  for (const name of hidden) before.set(name, await everything(as(name)))

  const made = await bringIn(tomas, text('Quillmarsh Interruptions'))
  expect(made).toMatchObject({ status: 201, body: { api } })
  const changed = await tomas.call('PATCH', `/apis/${api}`, {
    confidential: true,
    viewers: ['wren'],
    labels: ['quillmarsh-label'],
    links: [{ title: 'Quillmarsh', url: 'https://quillmarsh.example/' }],
  })
  expect(changed.status).toBe(200)
  const draft = await tomas.call<{ spec: SpecBody; group: string }>(
    'GET',
    `/apis/${api}/placement-draft?group=edge`,
  )
  const spec = {
    ...draft.body.spec,
    basePath: '/quillmarsh',
    backends: [{ name: 'main', url: `${world.standins}/trial/supply`, timeoutMs: 5000 }],
    routes: draft.body.spec.routes.map((row) => ({
      ...row,
      treatment: { kind: 'route', backend: 'main' },
    })),
  }
  const placed = await tomas.call<PlacementDetail>('POST', '/placements', {
    api,
    version: '2.4.0',
    group: 'edge',
    spec,
  })
  expect(placed).toMatchObject({ status: 201 })
  const placement = placed.body.id
  await tomas.call('POST', `/placements/${placement}/keys`, { name: 'Quillmarsh Estates' })
  const promotion = await tomas.call<{ id: number }>('POST', '/promotions', {
    api,
    version: '2.4.0',
    from: 'Trial',
    note: 'quillmarsh is ready',
  })
  expect(promotion.status).toBe(201)
  const waiver = await tomas.call<{ waiver: number }>('POST', '/waivers', {
    api,
    rule: 'valid',
    reason: 'quillmarsh is old',
    until: new Date(Date.now() + 20 * 86_400_000).toISOString().slice(0, 10),
  })
  expect(waiver.status).toBe(201)
  const findings = await tomas.call<{ items: { key: string }[] }>('GET', `/findings?api=${api}`)
  const finding = { api, key: findings.body.items[0]!.key }
  const triaged = await tomas.call('POST', '/findings/acts', {
    findings: [finding],
    comment: 'quillmarsh first',
  })
  expect(triaged.status).toBe(200)
  expect((await imara.call('POST', '/rulebooks/house/impacts', {})).status).toBeLessThan(300)
  await checkAllGateways(world.services)
  const [rollout] = (await tomas.call<{ items: { id: number }[] }>('GET', '/rollouts')).body.items
  about = {
    api,
    placement,
    promotion: String(promotion.body.id),
    rollout: String(rollout!.id),
    waiver: String(waiver.body.waiver),
    revision: '1',
    key: 'Quillmarsh Estates',
  }
}, 120_000)
afterAll(() => world.close())

interface Content {
  'application/json'?: { example?: unknown }
}
const described = JSON.parse(ownDefinition()) as {
  paths: Record<string, Record<string, { requestBody?: { content: Content } }>>
}

/** A body as the description shows it, about one API and its placement. */
function bodyFor(path: string, method: string, names: { api: string; placement: string }) {
  const { content } = described.paths[path]![method.toLowerCase()]!.requestBody ?? {}
  if (!content) return undefined
  const example = content['application/json']?.example
  if (example === undefined) return 'openapi: 3.1.0'
  return JSON.parse(
    JSON.stringify(example, (name, value: unknown) =>
      name === 'api' && typeof value === 'string'
        ? names.api
        : name === 'placement' && typeof value === 'string'
          ? names.placement
          : value,
    ),
  ) as object
}

const filled = (path: string, values: Record<string, string>) =>
  path.replace(/\{(\w+)\}/g, (_, name: string) => encodeURIComponent(values[name] ?? '1'))

/** Where two texts begin to differ: some words of the second; nothing where they are the same. */
function differing(a: string, b: string): string {
  const at = [...b].findIndex((character, i) => character !== a[i])
  const around = (text: string) => text.slice(Math.max(0, at - 60), at + 60)
  return a === b ? '' : `${around(a)} → ${around(b)}`
}

/** Operations that name the API, its placement or what was asked for there. */
const aboutIt = operations.filter(({ path, method }) => {
  const body = JSON.stringify(bodyFor(path, method, { api, placement: 'p' }) ?? '')
  return (
    /\{(api|placement|promotion|rollout|waiver)\}/.test(path) ||
    body.includes(`"api":"${api}"`) ||
    body.includes('"placement":"p"')
  )
})

describe('a confidential API', () => {
  it('is there for governance, for its team and for who is named', async () => {
    for (const name of seeing) {
      const register = await as(name).call<{ items: { api: string }[] }>('GET', '/apis')
      expect(register.body.items.map((row) => row.api)).toContain(api)
      expect((await as(name).call('GET', `/apis/${api}`)).status).toBe(200)
      for (const path of ['/ledger', '/placements', '/promotions', '/rollouts', '/waivers'])
        expect(JSON.stringify((await as(name).call('GET', path)).body), path).toMatch(secret)
      const found = await as(name).call('GET', '/search?q=quillmarsh')
      expect(JSON.stringify(found.body)).toMatch(secret)
    }
  })

  it('changes nothing in any list, count, finding, event or search of anybody else', async () => {
    for (const name of hidden) {
      const now = await everything(as(name))
      for (const [id, answer] of before.get(name)!) {
        expect(`${id} as ${name}: ${differing(answer, now.get(id)!)}`).toBe(`${id} as ${name}: `)
      }
      for (const query of ['quillmarsh', 'quillmarhs', 'cuts', 'Network'])
        expect(
          JSON.stringify((await as(name).call('GET', `/search?q=${query}`)).body).replace(
            `"q":"${query}"`,
            '',
          ),
        ).not.toMatch(secret)
    }
  })

  it('answers everybody else as if it were not there, whatever they ask of it', async () => {
    expect(aboutIt.length).toBeGreaterThan(40)
    const missing = { ...about, ...ghosts, promotion: '99999', rollout: '99999', waiver: '99999' }
    const named: [RegExp, string][] = [
      [new RegExp(about['placement']!, 'g'), ghosts.placement],
      [new RegExp(api, 'g'), ghosts.api],
      [/(promotion|rollout|waiver) \d+/g, '$1 99999'],
      [/(placements|promotions|rollouts|waivers)\/\d+/g, '$1/99999'],
    ]
    for (const { id, method, path } of aboutIt) {
      const bodies = {
        there: bodyFor(path, method, { api, placement: about['placement']! }),
        ghost: bodyFor(path, method, ghosts),
      }
      for (const name of hidden) {
        const headers = { 'if-match': '"x"' }
        const there = await as(name).call(method, filled(path, about), bodies.there, headers)
        const ghost = await as(name).call(method, filled(path, missing), bodies.ghost, headers)
        const said = named.reduce(
          (all, [from, to]) => all.replace(from, to),
          JSON.stringify(there.body),
        )
        const expected = `${ghost.status} ${JSON.stringify(ghost.body)}`
        expect(`${id} as ${name}: ${differing(expected, `${there.status} ${said}`)}`).toBe(
          `${id} as ${name}: `,
        )
        expect(there.status, `${id} as ${name}`).toBeGreaterThanOrEqual(400)
      }
    }
  })

  it('is not told of at the desk, whatever a request comes near', async () => {
    const { items } = await as('imara').api.listPlacements({ api })
    const { id: placement } = items[0]!
    const { spec: own } = await as('imara').api.getPlacement({ placement })
    const { host, basePath } = own
    const taken = own.routes.find(({ path, method }) => method === 'GET' && !path.includes('{'))!
    const { spec, group } = await as('nadia').api.getPlacementDraft({
      api: 'supply-interruptions',
      group: 'edge',
    })
    await as('imara').call('PATCH', '/apis/supply-interruptions', { team: 'Metering' })
    const routes = spec.routes.map((row) => ({ ...row, treatment: { kind: 'mock' as const } }))
    const made = await as('nadia').call<{ id: string }>('POST', '/placements', {
      ...{ api: 'supply-interruptions', version: '2.4.0', group },
      spec: { ...spec, basePath: '/near/by', routes },
    })
    expect(made.status).toBe(201)
    const asked = async (who: string, path: string) => {
      const { body } = await as(who).call<{ steps: { text: string }[] }>('POST', '/requests', {
        ...{ placement: made.body.id, method: 'GET', path, host },
      })
      return body.steps.map(({ text: told }) => told).join(' | ')
    }
    const [right, wrong] = [`${basePath}${taken.path}`, `${basePath}${taken.path}x`]
    for (const path of [right, wrong]) {
      const told = await asked('nadia', path)
      expect(told).not.toContain(placement)
      expect(told).not.toMatch(/nearest route/)
    }
    expect(await asked('imara', right)).toContain(placement)
    expect(await asked('imara', wrong)).toMatch(/nearest route is/)
    await as('nadia').call('DELETE', `/placements/${made.body.id}`, undefined, {
      'if-match': '"placement-1"',
    })
    await as('imara').call('PATCH', '/apis/supply-interruptions', { team: 'Network Control' })
  })

  it('leaves its address taken, without saying by whom', async () => {
    const draft = await as('nadia').call<{ spec: SpecBody }>(
      'GET',
      '/apis/supply-interruptions/placement-draft?group=edge',
    )
    await as('imara').call('PATCH', '/apis/supply-interruptions', { team: 'Metering' })
    const spec = {
      ...draft.body.spec,
      basePath: '/quillmarsh/inside',
      routes: draft.body.spec.routes.map((row) => ({ ...row, treatment: { kind: 'mock' } })),
    }
    const answer = await as('nadia').call<{ detail: string }>('POST', '/placements', {
      api: 'supply-interruptions',
      version: '2.4.0',
      group: 'edge',
      spec,
    })
    expect(answer.status).toBe(409)
    expect(answer.body.detail).toMatch(/quillmarsh\/inside is taken already/)
    expect(answer.body.detail).not.toMatch(/Quillmarsh Interruptions/)
  })

  it('is left out of an export by all but its hashes, and the rest can still be verified', async () => {
    await signNow(world.db, world.services.heads, new Date())
    const whole = await as('imara').call<string>('GET', '/ledger/export')
    const part = await as('ruth').call<string>('GET', '/ledger/export')
    const lines = (body: string) => body.trim().split('\n')
    expect(whole.body).toMatch(secret)
    expect(part.body).not.toMatch(secret)
    expect(part.body).toContain('"withheld"')
    expect(lines(part.body).length).toBe(lines(whole.body).length)
    const file = join(dirname(world.services.heads.keyFile), 'part.jsonl')
    writeFileSync(file, part.body)
    const verdict = () => verifyExport(file, world.services.heads.keyFile)
    const withheld = lines(part.body).filter((line) => line.startsWith('{"withheld"'))
    expect(await verdict()).toMatchObject({ withheld: withheld.length, trouble: undefined })
    writeFileSync(file, part.body.replace(`${withheld[0]}\n`, ''))
    expect((await verdict()).trouble).toMatch(/is missing/)
    writeFileSync(file, part.body.replace(/"leaf":"[^"]+"/, `"leaf":"${'0'.repeat(64)}"`))
    expect((await verdict()).trouble).toMatch(/head/i)
    writeFileSync(file, part.body.replace(/"leaf":"./, '"leaf":"_'))
    await expect(verdict()).rejects.toThrow(/without its hashes/)
  })

  it('is seen by everybody again once it is not confidential any more', async () => {
    await as('tomas').call('PATCH', `/apis/${api}`, { confidential: false, viewers: [] })
    expect((await as('nadia').call('GET', `/apis/${api}`)).status).toBe(200)
    expect(JSON.stringify((await as('ruth').call('GET', '/ledger')).body)).toMatch(secret)
  })

  it('is refused by name where who should see it is nobody', async () => {
    const answer = await as('tomas').call('PATCH', `/apis/${api}`, { viewers: ['nobody'] })
    expect(answer).toMatchObject({ status: 422, body: { faults: [{ field: 'viewers' }] } })
  })
})
