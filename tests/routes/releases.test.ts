import { and, eq, inArray } from 'drizzle-orm'
import { afterAll, afterEach, beforeAll, describe, expect, it } from 'vitest'
import { apis, promotions, releases } from '../../server/db/schema'
import { actAs } from '../../server/services/context'
import { checkAllGateways } from '../../server/services/gateways'
import { actorNamed } from '../../server/services/people'
import { promoteOpen } from '../../server/services/promotions'
import { promoteOpenReleases, promoteRelease } from '../../server/services/releases'
import { workRollouts } from '../../server/services/rollout-work'
import { pipelineEtag, placementEtag } from '../../shared/etags'
import type { ReleaseDetail } from '../../shared/api/releases'
import { Killed, mortal } from '../support/mortal'
import {
  adminHeaders,
  bringIn,
  definition,
  makeWorld,
  type Visitor,
  type World,
} from '../support/world'

let world: World
let imara: Visitor, tomas: Visitor, nadia: Visitor, oskar: Visitor, ruth: Visitor, wren: Visitor
const supply = 'supply-interruptions'
const meters = 'meter-readings'
const sensors = 'leak-sensors'
/** For people inside, at the inner gateway. */
const desk = 'payments-desk'
const versions = [
  { api: supply, version: '2.4.0' },
  { api: meters, version: '4.0.0' },
]

const pipeline = (gates: string, carryOut = '{ when: hand }') => `pipeline: 1
stages:
  - name: Trial
  - name: Live
    gates: ${gates}
    carryOut: ${carryOut}
`
async function publish(text: string): Promise<void> {
  const [known] = (await imara.api.listPipelines({})).items.filter(({ edition }) => edition > 0)
  const body = { title: 'Straight', text, note: 'For these tests' }
  if (known)
    await imara.api.publishPipeline({ pipeline: known.pipeline }, body, {
      ifMatch: pipelineEtag(known),
    })
  else await imara.api.createPipeline({}, body)
}
async function place(
  visitor: Visitor,
  api: string,
  version: string,
  team: string,
  audience = 'partner',
): Promise<void> {
  await bringIn(visitor, definition(`${api}/${version}.yaml`), { team, audience })
  const { spec, group } = await visitor.api.getPlacementDraft({ api, version })
  const routes = spec.routes.map((row) => ({ ...row, treatment: { kind: 'mock' as const } }))
  const policies = { authentication: { kind: 'none' as const, reason: 'Only a test asks' } }
  await visitor.api.createPlacement(
    {},
    { api, version, group, spec: { ...spec, routes, policies } },
  )
}
const make = (wanted = versions, who = oskar) =>
  who.call<ReleaseDetail & { detail: string; faults?: { message: string }[] }>(
    'POST',
    '/releases',
    { title: 'Spring billing', note: 'Together', from: 'Trial', versions: wanted },
  )
const approve = ({ release, digest = '' }: ReleaseDetail, who = ruth) =>
  who.call<ReleaseDetail & { detail: string }>('POST', `/releases/${release}/approvals`, {
    ...{ note: 'Read', digest },
  })
const promote = ({ release }: { release: number }, who = oskar) =>
  who.call<ReleaseDetail & { detail: string }>('POST', `/releases/${release}/promote`)
const inLive = async () =>
  (await imara.api.listPlacements({ stage: 'Live' })).items
    .map(({ api, version }) => `${api} ${version}`)
    .sort()
/** Whatever is in Live, taken out again past every review, and nothing is asked for. */
async function emptied(): Promise<void> {
  await workRollouts(world.services)
  const { items } = await imara.api.listPlacements({ stage: 'Live' })
  for (const { id, generation } of items) {
    const asked = await imara.call<{ id: number; digest: string }>(
      ...(['POST', `/placements/${id}/requests`] as const),
      { kind: 'removal', note: '' },
      { 'if-match': placementEtag({ generation }) },
    )
    const { id: promotion, digest } = asked.body
    await ruth.api.approvePromotion({ promotion }, { note: '', digest })
    await imara.api.promoteVersion({ promotion })
  }
  expect(await inLive()).toEqual([])
  const waiting = await world.db.select().from(promotions).where(eq(promotions.state, 'waiting'))
  for (const { id } of waiting) await imara.api.withdrawPromotion({ promotion: id })
}

beforeAll(async () => {
  world = await makeWorld({
    ...{ gateways: { 'north-edge': 'edge', 'south-edge': 'edge', inner: 'inner' }, meddled: true },
  })
  ;[imara, tomas, nadia, oskar, ruth, wren] = (await Promise.all(
    ['imara', 'tomas', 'nadia', 'oskar', 'ruth', 'wren'].map((name) => world.visitor(name)),
  )) as [Visitor, Visitor, Visitor, Visitor, Visitor, Visitor]
  await place(tomas, supply, '2.4.0', 'Network Control')
  await place(nadia, meters, '4.0.0', 'Metering')
  await place(tomas, sensors, '0.3.0', 'Network Control')
  await place(tomas, desk, '1.4.0', 'Network Control', 'private')
  await publish(pipeline('{ approval: {} }'))
  await checkAllGateways(world.services)
})
afterAll(() => world.close())
afterEach(async () => {
  for (const { meddler } of world.sites) meddler.decide = () => 'nothing'
  await emptied()
})

describe('a release', () => {
  it('is of two versions at least, of each API one, into one stage, by those who may ask for all', async () => {
    expect((await make(versions.slice(0, 1))).status).toBe(422)
    expect((await make([...versions, versions[0]!])).body.faults).toMatchObject([
      { message: 'Supply Interruptions is in it twice; take one version of it' },
    ])
    expect((await make([...versions, { api: sensors, version: '9.9.9' }])).status).toBe(409)
    expect((await make([...versions, { api: 'nothing', version: '1.0.0' }])).status).toBe(404)
    // Of the team of one of them alone.
    for (const who of [tomas, nadia, ruth, wren])
      expect((await make(versions, who)).status).toBe(403)
    expect((await imara.api.listReleases({})).items).toEqual([])
  })

  it('takes in what was asked for, and is approved by others who read all of it', async () => {
    const asked = await tomas.api.requestPromotion({}, { ...versions[0]!, from: 'Trial', note: '' })
    const { status, body } = await make()
    expect(status).toBe(201)
    expect(body).toMatchObject({
      ...{ title: 'Spring billing', from: 'Trial', to: 'Live', state: 'waiting' },
      ...{ versions: 2, open: 0, by: 'Oskar Lindley' },
    })
    expect(body.promotions[0]).toMatchObject({ id: asked.id, requestedBy: 'Tomas Verrall' })
    expect((await make()).body.detail).toMatch(/goes as release \d+ already/)
    expect((await promote(body)).body.detail).toMatch(
      /Promote Supply Interruptions 2.4.0 into Live: One approval by somebody else: .*Promote Meter Readings 4.0.0/,
    )
    expect((await approve({ ...body, digest: 'other' })).status).toBe(412)
    expect((await approve(body, wren)).status).toBe(403)
    const approved = await approve(body)
    expect(approved.body.promotions.map((one) => one.approvals.length)).toEqual([1, 1])
    expect((await approve(approved.body)).body.detail).toBe(
      'You have approved all of them already.',
    )
    expect(approved.body.open).toBe(2)
    expect((await oskar.call('POST', `/promotions/${asked.id}/promote`)).body).toMatchObject({
      detail: `It goes together with others, as release ${body.release}.`,
    })
  })

  it('enters its stage in one rollout, each version with its own evidence', async () => {
    const { body } = await make()
    await approve(body)
    const both = await Promise.all([promote(body), promote(body)])
    expect(both.map(({ status }) => status).sort()).toEqual([200, 409])
    const done = await imara.api.getRelease({ release: body.release })
    expect(done).toMatchObject({ state: 'done', versions: 2 })
    expect(await inLive()).toEqual([`${meters} 4.0.0`, `${supply} 2.4.0`])
    const rollout = await wren.api.getRollout({ rollout: done.rollout! })
    expect(rollout).toMatchObject({
      ...{ title: 'Release Spring billing: 2 versions into Live', release: body.release },
      steps: [{ state: 'confirmed' }, { state: 'confirmed' }],
    })
    for (const { id } of done.promotions) {
      const { entries } = await wren.api.getPromotionEvidence({ promotion: id })
      const actions = entries.map(({ entry }) => entry.action)
      for (const action of [
        ...['promotion.joined', 'promotion.approved', 'rollout.begun', 'rollout.done'],
        ...['placement.promoted', 'promotion.done'],
      ])
        expect(
          actions.filter((one) => one === action),
          action,
        ).toHaveLength(1)
    }
    expect((await wren.call('GET', `/rollouts/${rollout.id}/evidence`)).body).toMatchObject({
      detail: expect.stringMatching(/requests \d+, \d+, of which each has its evidence/) as string,
    })
  })

  it('is all in or all out when a gateway refuses, and waits again', async () => {
    const { body } = await make()
    await approve(body)
    const south = world.sites[1]!
    south.meddler.decide = (method) => (method === 'PUT' ? 'refuse' : 'nothing')
    expect((await promote(body)).status).toBe(422)
    expect(await inLive()).toEqual([])
    const again = await imara.api.getRelease({ release: body.release })
    expect(again).toMatchObject({ state: 'waiting', open: 2 })
    expect(again.promotions.every(({ wentBack }) => wentBack !== undefined)).toBe(true)
    for (const { adminUrl } of world.sites) {
      const runs = await fetch(`${adminUrl}/configuration`, {
        headers: adminHeaders(adminUrl),
      })
      expect(await runs.text()).not.toContain('-live-')
    }
    south.meddler.decide = () => 'nothing'
    expect((await promote(body)).body.state).toBe('done')
  })

  it('brings each version to the gateways of its own group, and to no other', async () => {
    const mixed = [versions[0]!, { api: desk, version: '1.4.0' }]
    const { body } = await make(mixed)
    expect((await promote((await approve(body)).body)).body.state).toBe('done')
    const labelled = async ({ adminUrl }: World['sites'][number]) => {
      const runs = await fetch(`${adminUrl}/configuration`, {
        headers: adminHeaders(adminUrl),
      })
      const text = await runs.text()
      return [desk, supply].filter((api) => text.includes(`${api}-live-`))
    }
    const served = async () =>
      Object.fromEntries(
        await Promise.all(world.sites.map(async (site) => [site.name, await labelled(site)])),
      ) as Record<string, string[]>
    expect(await served()).toEqual({
      'north-edge': [supply],
      'south-edge': [supply],
      inner: [desk],
    })
    const { items } = await imara.api.listPlacements({ stage: 'Live' })
    expect(items.map(({ mark }) => mark)).toEqual(['in-step', 'in-step'])
    // So does what changes around placements of several groups.
    const asked = await oskar.api.requestPolicyChange(
      {},
      { scope: 'stage:Live', policies: { errors: { shape: 'text' } }, binding: [], note: '' },
    )
    const { digest } = await ruth.api.previewPolicyChange({ change: asked.id })
    await ruth.api.approvePolicyChange({ change: asked.id }, { digest: digest ?? '' })
    await workRollouts(world.services)
    expect(await served()).toEqual({
      'north-edge': [supply],
      'south-edge': [supply],
      inner: [desk],
    })
  })

  it('is counted as so many as it is by a quota', async () => {
    const done = await world.db.$count(
      promotions,
      and(eq(promotions.kind, 'promotion'), eq(promotions.state, 'done')),
    )
    await publish(pipeline(`{ quota: { promotions: ${done + 1} } }`))
    const { body } = await make()
    expect(body.promotions.map(({ gates }) => gates[0]!.state)).toEqual(['passed', 'waiting'])
    expect((await promote(body)).status).toBe(409)
    await publish(pipeline('{ approval: {} }'))
  })

  it('goes by itself where the pipelines of all its versions say so, and no version goes alone', async () => {
    await publish(pipeline('{ approval: {} }', '{ when: open }'))
    const { body } = await make()
    const [first] = body.promotions
    await ruth.api.approvePromotion({ promotion: first!.id }, { note: '', digest: first!.digest! })
    await promoteOpen(world.services)
    await promoteOpenReleases(world.services)
    expect(await inLive()).toEqual([])
    await approve(await imara.api.getRelease({ release: body.release }))
    await Promise.all([promoteOpenReleases(world.services), promoteOpenReleases(world.services)])
    await workRollouts(world.services)
    expect(await inLive()).toHaveLength(2)
    await publish(pipeline('{ approval: {} }'))
  })

  it('is taken apart, by one version or wholly, and what is left of one is none', async () => {
    const three = [...versions, { api: sensors, version: '0.3.0' }]
    const { body } = await make(three)
    const [a, b, c] = body.promotions.map(({ id }) => id)
    const out = (promotion: number, who = oskar) =>
      who.call('DELETE', `/releases/${body.release}/promotions/${promotion}`)
    expect((await out(b!, tomas)).status).toBe(403)
    expect((await out(b!, nadia)).status).toBe(204)
    expect((await out(b!)).status).toBe(404)
    expect((await imara.api.getRelease({ release: body.release })).versions).toBe(2)
    expect((await imara.api.getPromotion({ promotion: b! })).release).toBeUndefined()
    await tomas.api.withdrawPromotion({ promotion: c! })
    expect((await imara.call('GET', `/releases/${body.release}`)).status).toBe(404)
    const left = await imara.api.getPromotion({ promotion: a! })
    expect(left).toMatchObject({ state: 'waiting' })
    expect(left.release).toBeUndefined()
    const again = (await make()).body
    expect((await tomas.call('DELETE', `/releases/${again.release}`)).status).toBe(403)
    expect((await oskar.call('DELETE', `/releases/${again.release}`)).status).toBe(204)
    const { items } = await imara.api.listPromotions({ state: 'waiting' })
    expect(items.map(({ release }) => release)).toEqual([undefined, undefined])
  })

  it('shows nothing of itself to who may not see one of its versions', async () => {
    await world.db.update(apis).set({ confidential: true }).where(eq(apis.slug, meters))
    const { body } = await make(versions, imara)
    await approve(body, imara)
    for (const { id } of body.promotions) {
      const { digest = '' } = await imara.api.getPromotion({ promotion: id })
      await world.db
        .update(promotions)
        .set({ requestedById: (await actorNamed(world.db, 'tomas')).id })
        .where(inArray(promotions.id, [id]))
      await imara.api.approvePromotion({ promotion: id }, { note: '', digest })
    }
    const { rollout } = (await promote(body, imara)).body
    expect(rollout).toBeDefined()
    for (const who of [tomas, oskar, wren]) {
      expect((await who.call('GET', `/releases/${body.release}`)).status).toBe(404)
      expect((await who.call('GET', `/rollouts/${rollout!}`)).status).toBe(404)
      const listed = (await who.api.listReleases({})).items.map((one) => one.release)
      expect(listed).not.toContain(body.release)
      const told = JSON.stringify([
        (await who.api.listRollouts({})).items,
        (await who.api.listLedgerEntries({ limit: 60 })).items.filter(({ number }) => number > 0),
        (await who.api.listPromotions({})).items,
      ])
      expect(told).not.toContain(`${meters}-live`)
    }
    const own = await tomas.api.getPromotion({ promotion: body.promotions[0]!.id })
    expect(own).toMatchObject({ state: 'done', release: body.release })
    await world.db.update(apis).set({ confidential: false }).where(eq(apis.slug, meters))
  })

  it('is in or out as a whole wherever the process dies that carries it out', async () => {
    const ends = new Set<string>()
    for (let at = 40; ; at += 29) {
      const { body } = await make()
      await approve(body)
      const { services, pool } = mortal(world.services, world.url, { at, when: 'after' })
      const context = actAs(services, await actorNamed(world.db, 'oskar'))
      await promoteRelease(context, body.release).catch((error: unknown) => {
        if (!(error instanceof Killed) && !pool.dead) throw error
      })
      const died = pool.dead
      if (!died) await pool.end()
      await workRollouts(world.services)
      const { state } = await imara.api.getRelease({ release: body.release })
      expect(await inLive()).toHaveLength(state === 'done' ? 2 : 0)
      ends.add(state)
      await emptied()
      await world.db.delete(releases).where(eq(releases.state, 'waiting'))
      if (!died) break
    }
    expect([...ends].sort()).toEqual(['done', 'waiting'])
  })
})
