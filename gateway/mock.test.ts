import { request } from 'undici'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { MockAnswer } from '../core/contract/mocks'
import { operationKey } from '../core/runtime/placement'
import { placed, testGateway, type TestGateway } from '../tests/support/gateway'

let gateway: TestGateway
const answers: MockAnswer[] = [
  { status: 200, example: 'two', mediaType: 'application/json', body: '[1,2]' },
  { status: 200, example: 'an empty one', mediaType: 'application/json', body: '[]' },
  { status: 503, mediaType: 'application/json', body: '{}' },
]

beforeAll(async () => {
  gateway = await testGateway()
  const spec = placed('http://127.0.0.1:9', ['GET /things'])
  const routes = spec.routes.map((row) => ({ ...row, treatment: { kind: 'mock' as const } }))
  const key = operationKey({ method: 'GET', path: '/things' })
  await gateway.place({ ...spec, routes }, { mocks: new Map([[key, answers]]) })
})
afterAll(() => gateway.close())

async function ask(prefer?: string) {
  const begun = performance.now()
  const answer = await request(`http://127.0.0.1:${gateway.dataPort}/v1/things`, {
    headers: { host: 'a.example', ...(prefer !== undefined && { prefer }) },
  })
  const body = await answer.body.text()
  return {
    status: answer.statusCode,
    body,
    applied: answer.headers['preference-applied'],
    ms: performance.now() - begun,
    id: String(answer.headers['x-request-id']),
  }
}

describe('a mock', () => {
  it.each([
    ['no preference', undefined, 200, '[1,2]', undefined],
    ['a status', 'code=503', 503, '{}', 'code=503'],
    ['an example', 'example="an empty one"', 200, '[]', 'example="an empty one"'],
    ['an example in a token', 'respond-async, example=two', 200, '[1,2]', 'example="two"'],
    ['what it does not have', 'code=404', 200, '[1,2]', undefined],
    ['nonsense', 'code=;;example=,wait=soon, code', 200, '[1,2]', undefined],
    ['a status nobody may send', 'code=101', 200, '[1,2]', undefined],
  ])('answers %s', async (_, prefer, status, body, applied) => {
    expect(await ask(prefer)).toMatchObject({ status, body, applied })
  })

  it('waits as preferred, and says what it did', async () => {
    const answer = await ask('wait=1, code=503')
    expect(answer).toMatchObject({ status: 503, applied: 'code=503, wait=1' })
    expect(answer.ms).toBeGreaterThan(950)
    const { steps } = await gateway.log(answer.id)
    expect(steps.at(-1)!.text).toBe(
      'Answered 503 from the definition; no backend was called; as preferred by code=503, wait=1',
    )
    const missed = await gateway.log((await ask('code=404')).id)
    expect(missed.steps.at(-1)!.text).toMatch(/has nothing for code=404/)
  })
})
