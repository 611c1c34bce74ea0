import { request } from 'undici'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { placementEtag } from '../../shared/etags'
import type { BodySample } from '../../shared/api/reading'
import type { DeskResponse } from '../../shared/api/desk'
import type { PlacementDetail, PlacementDraft } from '../../shared/api/placements'
import { bringIn, definition, makeWorld, type Visitor, type World } from '../support/world'

let world: World
let bryn: Visitor
let id: string
let spec: PlacementDraft['spec']
let group: string

beforeAll(async () => {
  world = await makeWorld({ gateways: { inner: 'inner', 'north-edge': 'edge' } })
  bryn = await world.visitor('bryn')
  const about = { team: 'Field', audience: 'private' }
  await bringIn(bryn, definition('works-orders/3.2.0.wsdl'), about)
  const draft = (
    await bryn.call<PlacementDraft>('GET', '/apis/works-orders/placement-draft?group=inner')
  ).body
  group = draft.group
  spec = {
    ...draft.spec,
    face: 'rest',
    routes: draft.spec.routes.map((row, index) => ({
      ...row,
      treatment:
        index === 0 ? { kind: 'withheld', reason: 'Only for the planners' } : { kind: 'mock' },
    })),
    policies: { authentication: { kind: 'none', reason: 'Only a test asks' } },
  }
})
afterAll(() => world.close())

const ask = async (path: string, body?: string, headers: Record<string, string> = {}) => {
  const answer = await request(world.dataUrl + spec.basePath + path, {
    method: body === undefined ? 'GET' : 'POST',
    headers: { host: spec.host, 'content-type': 'application/json', ...headers },
    ...(body !== undefined && { body }),
  })
  return { status: answer.statusCode, text: await answer.body.text() }
}

describe('a service of SOAP that is placed as its REST face', () => {
  it('is served as JSON, and as nothing else', async () => {
    const made = await bryn.call<PlacementDetail>('POST', '/placements', {
      ...{ api: 'works-orders', version: '3.2.0', group, spec },
    })
    expect(made).toMatchObject({ status: 201, body: { mark: 'in-step' } })
    id = made.body.id
    const [withheld, served] = spec.routes
    const answer = await ask(served!.path, '{}')
    expect(answer.status).toBe(200)
    expect(JSON.parse(answer.text)).toBeTypeOf('object')
    expect((await ask(withheld!.path, '{}')).status).toBe(404)
    const soap = await ask('', '<x/>', { 'content-type': 'text/xml' })
    expect([404, 405]).toContain(soap.status)
  })

  it('offers a definition of what is served, and no more', async () => {
    const document = JSON.parse((await ask('/openapi.json')).text) as {
      info: { title: string; version: string }
      paths: Record<string, unknown>
    }
    expect(document.info.version).toBe('3.2.0')
    expect(Object.keys(document.paths)).toEqual(
      spec.routes.filter(({ treatment }) => treatment.kind === 'mock').map(({ path }) => path),
    )
    expect(document.info.title).toMatch(/\(REST face\)$/)
    const about = { team: 'Field', audience: 'private' }
    expect((await bringIn(bryn, JSON.stringify(document), about)).status).toBe(201)
  })

  it('is asked from the desk with a body from its schema', async () => {
    const [, row] = spec.routes
    const { items } = (
      await bryn.call<{ items: BodySample[] }>(
        'GET',
        '/apis/works-orders/revisions/1/operations/1/body-samples',
      )
    ).body
    const sample = items.find(({ mediaType }) => mediaType === 'application/json')
    expect(sample).toBeDefined()
    const { body } = await bryn.call<DeskResponse>('POST', '/requests', {
      placement: id,
      method: 'POST',
      path: spec.basePath + row!.path,
      mediaType: 'application/json',
      body: sample!.body,
    })
    expect(body.status).toBe(200)
    expect(body.steps.map(({ name }) => name)).toContain('match')
  })

  it('becomes one of SOAP again, and back', async () => {
    const at = async () => (await bryn.call<PlacementDetail>('GET', `/placements/${id}`)).body
    const change = async (face?: 'rest') => {
      const { face: _, ...rest } = spec
      return bryn.call<PlacementDetail>(
        'PUT',
        `/placements/${id}`,
        { ...rest, ...(face && { face }) },
        { 'if-match': placementEtag(await at()) },
      )
    }
    expect((await change()).body).toMatchObject({ mark: 'in-step' })
    expect((await ask('?wsdl')).text).toContain('WorksOrdersSoap')
    expect((await ask(spec.routes[1]!.path, '{}')).status).toBe(404)
    expect((await change('rest')).body).toMatchObject({ mark: 'in-step' })
    expect((await ask(spec.routes[1]!.path, '{}')).status).toBe(200)
  })

  it('is nothing for what speaks no SOAP', async () => {
    const tomas = await world.visitor('tomas')
    await bringIn(tomas, definition('supply-interruptions/2.4.0.yaml'))
    const draft = (
      await tomas.call<PlacementDraft>('GET', '/apis/supply-interruptions/placement-draft')
    ).body
    const refused = await tomas.call<{ faults: { field: string }[] }>('POST', '/placements', {
      ...{ api: 'supply-interruptions', version: '2.4.0', group: draft.group },
      spec: {
        ...draft.spec,
        face: 'rest',
        routes: draft.spec.routes.map((row) => ({ ...row, treatment: { kind: 'mock' } })),
      },
    })
    expect(refused.status).toBe(422)
    expect(refused.body.faults).toEqual([expect.objectContaining({ field: 'face' })])
  })
})
