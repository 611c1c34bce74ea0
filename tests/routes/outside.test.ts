import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { checkAllGateways } from '../../server/services/gateways'
import { signatureOf } from '../../server/services/webhooks'
import { bringIn, definition, makeWorld, type Visitor, type World } from '../support/world'

let world: World
let imara: Visitor, tomas: Visitor, wren: Visitor, stranger: Visitor
let secret = ''
let promotion = 0
const api = 'supply-interruptions'
const version = '2.4.0'
let messages = 0

interface Message {
  id?: string
  at?: number
  secret?: string
  source?: string
}

/** Posts a result as a build does. */
function post(body: object | string, { id, at = Date.now(), ...other }: Message = {}) {
  const text = typeof body === 'string' ? body : JSON.stringify(body)
  const [name, time] = [id ?? `message-${++messages}`, String(Math.floor(at / 1000))]
  return stranger.call('POST', `/evidence-sources/${other.source ?? 'load-tests'}/results`, text, {
    'content-type': 'application/json',
    'webhook-id': name,
    'webhook-timestamp': time,
    'webhook-signature': `v1,${signatureOf(other.secret ?? secret, name, time, text)}`,
  })
}
const result = (more: object = {}) => ({
  ...{ api, version, result: 'passed', says: '600 a minute for an hour' },
  ...more,
})
const gate = async () =>
  (await wren.api.getPromotion({ promotion })).gates.find(({ id }) => id === 'outside')

beforeAll(async () => {
  world = await makeWorld()
  ;[imara, tomas, wren] = (await Promise.all(
    ['imara', 'tomas', 'wren'].map((name) => world.visitor(name)),
  )) as [Visitor, Visitor, Visitor]
  stranger = await world.visitor('wren')
  await bringIn(tomas, definition(`${api}/2.4.0.yaml`))
  const { spec, group } = await tomas.api.getPlacementDraft({ api, version })
  const routes = spec.routes.map((row) => ({ ...row, treatment: { kind: 'mock' as const } }))
  await tomas.api.createPlacement({}, { api, version, group, spec: { ...spec, routes } })
  await imara.api.createPipeline(
    {},
    {
      ...{ title: 'Tested', note: 'Builds speak' },
      text: 'pipeline: 1\nstages:\n  - name: Trial\n  - name: Live\n    gates: { outside: { sources: [load-tests], hours: 24 } }\n',
    },
  )
  await checkAllGateways(world.services)
  promotion = (await tomas.api.requestPromotion({}, { api, version, from: 'Trial', note: '' })).id
})
afterAll(() => world.close())

describe('results from outside', () => {
  it('are taken of a source that governance named, by its secret, which is shown once', async () => {
    expect((await tomas.call('POST', '/evidence-sources', { title: 'Load tests' })).status).toBe(
      403,
    )
    expect(await gate()).toMatchObject({
      state: 'waiting',
      text: 'load-tests has said nothing of 2.4.0 yet',
    })
    const made = await imara.api.createEvidenceSource({}, { title: 'Load tests' })
    secret = made.secret
    expect(made.source).toBe('load-tests')
    const { items } = await wren.api.listEvidenceSources({})
    expect(JSON.stringify(items)).not.toContain('whsec_')
    expect((await imara.call('POST', '/evidence-sources', { title: 'Load tests' })).status).toBe(
      409,
    )
    expect((await post(result())).status).toBe(202)
    expect(await gate()).toMatchObject({
      state: 'passed',
      text: 'Load tests: 600 a minute for an hour',
    })
  })

  it('are refused from whoever is not believed, in the same words whatever is there', async () => {
    const refused = [
      await post(result(), { secret: 'whsec_AAAA' }),
      await post(result(), { source: 'nothing' }),
      await post(result({ api: 'nothing' }), { secret: 'whsec_AAAA' }),
    ]
    expect(
      refused.map(({ status, body }) => [status, (body as { detail: string }).detail]),
    ).toEqual(refused.map(() => [401, 'It is not signed with the secret of this webhook.']))
    expect((await post(result(), { at: Date.now() - 3_600_000 })).status).toBe(401)
    expect((await post(result({ result: 'failed' }), { id: 'once' })).status).toBe(202)
    expect((await post(result({ result: 'failed' }), { id: 'once' })).status).toBe(409)
    expect(await gate()).toMatchObject({ state: 'failed' })
  })

  it('say what is wrong with them', async () => {
    expect((await post('{')).status).toBe(400)
    expect((await post(result({ result: 'maybe' }))).status).toBe(422)
    expect((await post(result({ url: 'javascript:alert(1)' }))).status).toBe(422)
    expect((await post(result({ api: 'nothing' }))).status).toBe(404)
    expect((await post(result({ version: '9.9.9' }))).status).toBe(404)
    expect((await post(result({ digest: 'a'.repeat(64) }))).status).toBe(409)
    expect((await post('x'.repeat(70_000))).status).toBe(413)
  })

  it('hold for the text that they name, for so long, and stand in ledger and evidence', async () => {
    const { act } = await wren.api.getPromotionEvidence({ promotion })
    expect(act).toBeUndefined()
    const { items } = await wren.api.listResources({ kind: 'Api' })
    expect(items).toHaveLength(1)
    expect((await post(result({ url: 'https://builds.example/812' }))).status).toBe(202)
    expect(await gate()).toMatchObject({ state: 'passed' })
    const oskar = await world.visitor('oskar')
    await oskar.api.promoteVersion({ promotion })
    const evidence = await wren.api.getPromotionEvidence({ promotion })
    expect(evidence.act!.outside).toMatchObject([
      { source: 'load-tests', passed: true, url: 'https://builds.example/812' },
    ])
    const entries = await wren.api.listLedgerEntries({ action: 'api.evidence' })
    expect(entries.items).toHaveLength(3)
    await imara.api.removeEvidenceSource({ source: 'load-tests' })
    expect((await post(result())).status).toBe(401)
    expect((await wren.api.listOutsideResults({ api })).items).toEqual([])
  })
})
