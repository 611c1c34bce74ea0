import { execFile } from 'node:child_process'
import { writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { eq } from 'drizzle-orm'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { apis } from '../../server/db/schema'
import type { EvidencePackage } from '../../core/ledger/evidence'
import { checkAllGateways } from '../../server/services/gateways'
import { publicKey } from '../../server/services/heads'
import { bringIn, definition, makeWorld, type Visitor, type World } from '../support/world'

let world: World
let imara: Visitor, tomas: Visitor, oskar: Visitor, ruth: Visitor, wren: Visitor
const api = 'supply-interruptions'
const version = '2.4.0'
let done = 0

interface Outcome {
  status: number
  stdout: string
  stderr: string
}

/** What the command line says of a package. */
const program = (evidence: unknown) => {
  const file = join(world.directory, 'evidence.json')
  const key = join(world.directory, 'key.pem')
  writeFileSync(file, JSON.stringify(evidence))
  writeFileSync(key, publicKey(world.services.heads))
  return new Promise<Outcome>((resolve) => {
    const args = ['dist/cli.mjs', 'verify', file, '--key', key]
    const child = execFile(process.execPath, args, (_error, stdout, stderr) =>
      resolve({ status: child.exitCode ?? 9, stdout, stderr }),
    )
  })
}

beforeAll(async () => {
  world = await makeWorld({ gateways: { 'north-edge': 'edge', 'south-edge': 'edge' } })
  ;[imara, tomas, oskar, ruth, wren] = (await Promise.all(
    ['imara', 'tomas', 'oskar', 'ruth', 'wren'].map((name) => world.visitor(name)),
  )) as [Visitor, Visitor, Visitor, Visitor, Visitor]
  await bringIn(tomas, definition(`${api}/${version}.yaml`))
  const { spec, group } = await tomas.api.getPlacementDraft({ api })
  const routes = spec.routes.map((row) => ({ ...row, treatment: { kind: 'mock' as const } }))
  await tomas.api.createPlacement({}, { api, version, group, spec: { ...spec, routes } })
  await checkAllGateways(world.services)
  const { id } = await tomas.api.requestPromotion(
    {},
    { api, version, from: 'Trial', note: 'For the winter' },
  )
  const { digest = '' } = await ruth.api.getPromotion({ promotion: id })
  await ruth.api.approvePromotion({ promotion: id }, { note: 'Read it', digest })
  await oskar.api.promoteVersion({ promotion: id })
  done = id
})
afterAll(() => world.close())

const evidenceOf = async (promotion: number) =>
  (await wren.api.getPromotionEvidence({ promotion })) as unknown as EvidencePackage

describe('evidence of a promotion', () => {
  it('says who did what on which grounds, and is checked offline', async () => {
    const evidence = await evidenceOf(done)
    expect(evidence.entries.map(({ entry }) => `${entry.actor} ${entry.action}`)).toEqual([
      'tomas revision.saved',
      'tomas promotion.requested',
      'ruth promotion.approved',
      'oskar rollout.begun',
      'oskar placement.promoted',
      'oskar promotion.done',
      'oskar rollout.done',
    ])
    expect(evidence.act).toMatchObject({
      approvals: [{ by: 'ruth', note: 'Read it' }],
      definition: { revision: 1, version },
      comparisons: [],
    })
    expect(evidence.entries.at(-1)!.entry.after).toMatchObject({
      steps: [
        { gateway: 'north-edge', state: 'confirmed' },
        { gateway: 'south-edge', state: 'confirmed' },
      ],
    })
    const { status, stdout, stderr } = await program(evidence)
    expect(stderr).toBe('')
    expect(stdout).toContain('= ruth approved of that plan.')
    expect(stdout).toContain('The evidence holds.')
    expect(status).toBe(0)
  })

  it('does not hold once anything of it was changed', async () => {
    const evidence = await evidenceOf(done)
    const other = structuredClone(evidence) as unknown as { act: { approvals: { by: string }[] } }
    other.act.approvals[0]!.by = 'imara'
    const answer = await program(other)
    expect(answer.status).toBe(1)
    expect(answer.stderr).toContain('imara approved of that plan: no entry says so')
    expect(answer.stderr).toContain('it has another digest')
    for (const broken of [
      { ...evidence, entries: undefined },
      { ...evidence, entries: [{ entry: null, proof: [] }] },
      { ...evidence, act: {} },
      { ...evidence, head: { size: 'x' } },
      { ...evidence, entries: evidence.entries.map(({ entry }) => ({ entry, proof: 7 })) },
    ])
      expect((await program(broken)).status, JSON.stringify(broken).slice(0, 80)).toBeGreaterThan(0)
  })

  it('is that of one that went back, was withdrawn, or waits, as far as it came', async () => {
    const { id } = await tomas.api.requestPromotion(
      {},
      { api, version, from: 'Rehearsal', note: '' },
    )
    expect((await program(await evidenceOf(id))).status).toBe(0)
    await tomas.api.withdrawPromotion({ promotion: id })
    const evidence = await evidenceOf(id)
    expect(evidence.act).toBeUndefined()
    expect(evidence.entries.map(({ entry }) => entry.action)).toEqual([
      'promotion.requested',
      'promotion.withdrawn',
    ])
    expect((await program(evidence)).status).toBe(0)
    expect((await wren.call('GET', '/promotions/999/evidence')).status).toBe(404)
  })

  it('has an emergency in it, and who confirmed it', async () => {
    const { id } = await tomas.api.requestPromotion(
      {},
      { api, version, from: 'Rehearsal', note: '' },
    )
    await checkAllGateways(world.services)
    const { digest = '' } = await imara.api.getPromotion({ promotion: id })
    await imara.api.skipApproval({ promotion: id }, { reason: 'Nobody is awake tonight', digest })
    await imara.api.promoteVersion({ promotion: id })
    await ruth.api.confirmOverride({ promotion: id })
    const evidence = await evidenceOf(id)
    expect(evidence.entries.map(({ entry }) => entry.action)).toEqual(
      expect.arrayContaining(['request.overridden', 'promotion.done', 'request.confirmed']),
    )
    expect((await program(evidence)).status).toBe(0)
  })

  it('is not there for those who may not see the API', async () => {
    await world.owner.update(apis).set({ confidential: true }).where(eq(apis.slug, api))
    try {
      expect((await wren.call('GET', `/promotions/${done}/evidence`)).status).toBe(404)
      const { items } = await tomas.api.listRollouts({})
      const own = items.at(-1)!.id
      expect((await wren.call('GET', `/rollouts/${own}/evidence`)).status).toBe(404)
    } finally {
      await world.owner.update(apis).set({ confidential: false }).where(eq(apis.slug, api))
    }
  })
})

describe('evidence of a change', () => {
  it('says how it was carried out, where nobody had to be asked', async () => {
    const { items } = await tomas.api.listRollouts({})
    const first = items.find(({ promotion }) => promotion === undefined)!
    const evidence = (await wren.api.getRolloutEvidence({ rollout: first.id })) as unknown
    const { entries } = evidence as EvidencePackage
    expect(entries.map(({ entry }) => entry.action)).toEqual([
      'rollout.begun',
      'placement.applied',
      'rollout.done',
    ])
    expect((await program(evidence)).status).toBe(0)
    const asked = items.find(({ promotion }) => promotion === done)!
    expect((await wren.call('GET', `/rollouts/${asked.id}/evidence`)).status).toBe(409)
  })
})
