import { apiKeyIn } from '../../core/runtime/policies/authenticate'
import { eq } from 'drizzle-orm'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { comparisonResults, comparisons, placements, settings } from '../../server/db/schema'
import { removeOld } from '../../server/services/retention'
import { workComparison } from '../../server/services/comparison-results'
import { bringIn, definition, makeWorld, type Visitor, type World } from '../support/world'

const api = 'supply-interruptions'
const older = definition('supply-interruptions/2.4.0.yaml')

/** The same with what hurts callers: an operation less, a parameter that is asked for. */
const newer = older
  .replace('version: 2.4.0', 'version: 2.5.0')
  .replace('  /interruptions/export:\n', '  /interruptions/exported:\n')

let world: World
let tomas: Visitor
let oskar: Visitor
let wren: Visitor

beforeAll(async () => {
  world = await makeWorld()
  ;[tomas, oskar, wren] = (await Promise.all(
    ['tomas', 'oskar', 'wren'].map((name) => world.visitor(name)),
  )) as [Visitor, Visitor, Visitor]
  await bringIn(tomas, older)
  await tomas.call('POST', `/apis/${api}/revisions`, newer, { 'if-match': '"revision-1"' })
  const { spec, group } = await tomas.api.getPlacementDraft({ api, version: '2.4.0' })
  await tomas.api.createPlacement(
    {},
    {
      api,
      version: '2.4.0',
      group,
      spec: {
        ...spec,
        policies: { ...spec.policies, authentication: apiKeyIn('X-Api-Key') },
        routes: spec.routes.map((row) => ({
          ...row,
          treatment: row.path.startsWith('/areas')
            ? { kind: 'withheld' as const, reason: 'Not yet' }
            : { kind: 'mock' as const },
        })),
      },
    },
  )
  await oskar.api.issueKey({ placement: `${api}-trial-1` }, { name: 'Alder Homes' })
})
afterAll(() => world.close())

const sides = { before: { api, revision: 1 }, after: { api, revision: 2 } }

describe('a comparison', () => {
  it('is worked out once, whatever its sides are called', async () => {
    const first = await wren.api.createComparison({}, sides)
    expect(first).toMatchObject({
      state: 'done',
      before: { api, version: '2.4.0', revision: 1, stages: ['Trial'] },
      after: { version: '2.5.0', revision: 2, stages: [] },
    })
    expect(first.counts.breaking).toBeGreaterThan(0)
    const again = await oskar.api.createComparison(
      {},
      { before: { api, stage: 'Trial' }, after: { api } },
    )
    expect(again.counts).toEqual(first.counts)
    const byVersion = await oskar.api.createComparison(
      {},
      { before: { api, version: '2.4.0' }, after: { api, version: '2.5.0' } },
    )
    expect(byVersion.counts).toEqual(first.counts)
    expect(await world.db.select().from(comparisonResults)).toHaveLength(1)
  })

  it('says which number fits, and that this one does not', async () => {
    const { fitting } = await wren.api.createComparison({}, sides)
    expect(fitting).toEqual({ fits: '3.0.0', isEnough: false })
  })

  it('tells what breaks first, each with the place in both texts and what shows it', async () => {
    const { comparison, counts } = await wren.api.createComparison({}, sides)
    const { items: changes } = await wren.api.listComparisonChanges({ comparison })
    expect(changes).toHaveLength(counts.breaking + counts.risky + counts.safe)
    expect(changes[0]).toMatchObject({ effect: 'breaking' })
    const { items: broken } = await wren.api.listComparisonChanges({
      comparison,
      effect: 'breaking',
    })
    expect(broken).toHaveLength(counts.breaking)
    for (const { change, subject } of broken) {
      const detail = await wren.api.getComparisonChange({ comparison, change })
      expect([subject, detail.witness]).toEqual([subject, expect.anything()])
      expect(detail.textBefore!.text.split('\n').length).toBeGreaterThan(2)
    }
    const [moved] = broken
    expect(moved!.operation).toBe('GET /interruptions/exported')
  })

  it('knows whose keys reach what breaks, and by whom an operation is not reached', async () => {
    const { comparison, touched, clients } = await wren.api.createComparison({}, sides)
    expect(clients).toEqual(['Alder Homes'])
    expect(touched).toEqual([
      { client: 'Alder Homes', placement: `${api}-trial-1`, stage: 'Trial' },
    ])
    const { items: reached } = await wren.api.listComparisonChanges({
      comparison,
      client: 'Alder Homes',
    })
    expect(reached.map(({ clients: count, anybody }) => [count, anybody])).toEqual(
      reached.map(() => [1, false]),
    )
    const nobody = await wren.api.listComparisonChanges({ comparison, client: 'Nobody' })
    expect(nobody.items).toEqual([])
  })

  it('is a changelog, and the same for programs', async () => {
    const { comparison } = await wren.api.createComparison({}, sides)
    const changelog = await wren.api.getComparisonReport({ comparison })
    expect(changelog).toContain('# From Supply Interruptions 2.4.0 to Supply Interruptions 2.5.0')
    expect(changelog).toContain('## Breaking')
    const json = JSON.parse(
      await wren.api.getComparisonReport({ comparison, format: 'json' }),
    ) as object[]
    expect(Object.keys(json[0]!)).toEqual([
      'effect',
      'direction',
      'operation',
      'subject',
      'message',
      'before',
      'after',
      'witness',
    ])
  })

  it('takes a file against what runs in a stage; that is seen by whoever sent it', async () => {
    const item = await tomas.api.createFileComparison(
      { api, stage: 'Trial', file: 'next.yaml' },
      newer,
    )
    expect(item).toMatchObject({
      state: 'done',
      after: { api: '', title: 'next.yaml', version: '2.5.0', revision: 0 },
    })
    const { comparison } = item
    expect((await tomas.api.getComparison({ comparison })).counts).toEqual(item.counts)
    expect((await wren.call('GET', `/comparisons/${comparison}`)).status).toBe(404)
    expect((await wren.call('GET', `/comparisons/${comparison}/report`)).status).toBe(404)
  })

  it('says what is wrong with what is asked', async () => {
    const unreadable = await tomas.api.createFileComparison(
      { api, file: 'x.yaml' },
      'nothing: here',
    )
    expect(unreadable).toMatchObject({
      state: 'failed',
      trouble: 'x.yaml is not readable as a definition.',
    })
    const { comparison } = unreadable
    expect(await tomas.call('GET', `/comparisons/${comparison}/changes`)).toMatchObject({
      status: 409,
      body: { detail: 'x.yaml is not readable as a definition.' },
    })
    const ask = (before: object) => wren.call('POST', '/comparisons', { before, after: { api } })
    expect(await ask({ api, stage: 'Live' })).toMatchObject({ status: 404 })
    expect(await ask({ api, revision: 99 })).toMatchObject({ status: 404 })
    expect(await ask({ api, revision: 1, version: '2.4.0' })).toMatchObject({ status: 422 })
    expect(await ask({ revision: 1 })).toMatchObject({ status: 422 })
    expect((await wren.call('GET', '/comparisons/none')).status).toBe(404)
    const empty = await tomas.call('POST', `/comparisons/file?api=${api}`, '')
    expect([400, 422]).toContain(empty.status)
  })

  it('goes on where a worker died, and is done once by two at the same time', async () => {
    const { db, services } = world
    await db.delete(comparisons)
    await db.delete(comparisonResults)
    const items = await Promise.all([
      wren.api.createComparison({}, sides),
      oskar.api.createComparison({}, sides),
    ])
    expect(await db.select().from(comparisonResults)).toHaveLength(1)
    const [row] = await db.select().from(comparisonResults)
    // As it is left by a worker that was killed between its first line and its last.
    await db.delete(comparisons)
    await db.delete(comparisonResults)
    const dead = { ...row!, state: 'running' as const, done: 3 }
    await db.insert(comparisonResults).values(dead)
    const item = await wren.api.createComparison({}, sides)
    expect(item).toMatchObject({ state: 'done', counts: items[0].counts })
    await Promise.all([1, 2].map(() => workComparison(services, row!.id)))
    const { comparison, counts } = item
    expect((await wren.api.listComparisonChanges({ comparison })).items).toHaveLength(
      counts.breaking + counts.risky + counts.safe,
    )
  })

  it('is a gate: a number that says too little does not follow on another version', async () => {
    const { db } = world
    const [placed] = await db.select().from(placements)
    const rehearsed = { ...placed!, id: `${api}-rehearsal-1`, stage: 'Rehearsal' }
    await db.insert(placements).values(rehearsed)
    const { spec, group } = await tomas.api.getPlacementDraft({ api, version: '2.5.0' })
    const routes = spec.routes.map((row) => ({ ...row, treatment: { kind: 'mock' as const } }))
    const beside = { ...spec, basePath: '/supply/next', routes }
    await tomas.api.createPlacement({}, { api, version: '2.5.0', group, spec: beside })
    const { id, gates } = await tomas.api.requestPromotion(
      {},
      { api, version: '2.5.0', from: 'Trial', note: '' },
    )
    expect(gates.find((gate) => gate.id === 'version')).toEqual({
      id: 'version',
      title: 'The number fits the changes',
      state: 'failed',
      text: 'What changed since 2.4.0 asks for 3.0.0; bring it in under that number',
    })
    const refused = await oskar.call<{ detail: string }>('POST', `/promotions/${id}/promote`)
    expect(refused.status).toBe(409)
    expect(refused.body.detail).toContain('The number fits the changes: What changed since 2.4.0')
    await tomas.api.withdrawPromotion({ promotion: id })
    await db.delete(placements).where(eq(placements.id, rehearsed.id))
  })

  it('is a finding of the rulebook: what changed, and what the number should be', async () => {
    const { items } = await wren.api.listFindings({ api })
    const said = items
      .filter(({ rule }) => ['version-fits', 'deprecate-before-removing'].includes(rule))
      .map(({ message }) => message)
    expect(said).toEqual([
      'Number it 3.0.0: the changes since 2.4.0 ask for that, and 2.5.0 says less',
    ])
  })

  it('is forgotten with its result when it is old', async () => {
    const { db, services } = world
    await wren.api.createComparison({}, sides)
    const [kept] = await db.select({ retention: settings.retention }).from(settings)
    const later = new Date(services.now().getTime() + (kept!.retention.checks + 1) * 86_400_000)
    await removeOld({ ...services, now: () => later })
    expect(await db.select().from(comparisons)).toEqual([])
    expect(await db.select().from(comparisonResults)).toEqual([])
  })
})

describe('of a confidential API', () => {
  it('is there for those who see it', async () => {
    const { comparison } = await tomas.api.createComparison({}, sides)
    await tomas.call('PATCH', `/apis/${api}`, { confidential: true })
    expect((await oskar.call('GET', `/comparisons/${comparison}`)).status).toBe(404)
    expect((await oskar.call('POST', '/comparisons', sides)).status).toBe(404)
    expect((await tomas.call('GET', `/comparisons/${comparison}`)).status).toBe(200)
    const row = await world.db.select().from(comparisons).where(eq(comparisons.id, comparison))
    expect(row).toHaveLength(1)
  })
})
