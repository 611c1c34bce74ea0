import { describe, expect, it } from 'vitest'
import { parse } from 'yaml'
import { writeProbe, type Exchange } from './arazzo'

const sent: Exchange = {
  title: 'Supply Interruptions 2.4.0 in Trial, edge',
  source: 'https://ledger.brackenmere.example/api/v1/apis/supply-interruptions/revisions/3/text',
  operation: { method: 'GET', path: '/areas/{areaId}/reports/{year}-{month}' },
  path: '/areas/north%20east/reports/2026-11?limit=5&tag=a&tag=b%26c',
  headers: [{ name: 'Accept', value: 'application/json' }],
  credential: [],
  body: undefined,
  status: 200,
}
const stepOf = (exchange: Exchange) => {
  const { workflows } = parse(writeProbe(exchange)) as {
    workflows: [{ inputs?: unknown; steps: [Record<string, unknown>] }]
  }
  return { inputs: workflows[0].inputs, ...workflows[0].steps[0] } as Record<string, unknown>
}

describe('a request as a probe', () => {
  it('names its operation in the definition, and expects what answered it', () => {
    expect(stepOf(sent)).toMatchObject({
      operationPath:
        '{$sourceDescriptions.definition.url}#/paths/~1areas~1{areaId}~1reports~1{year}-{month}/get',
      successCriteria: [{ condition: '$statusCode == 200' }],
    })
  })

  it('has its parameters as values, from wherever they were sent', () => {
    expect(stepOf(sent)['parameters']).toEqual([
      { name: 'areaId', in: 'path', value: 'north east' },
      { name: 'limit', in: 'query', value: '5' },
      { name: 'tag', in: 'query', value: ['a', 'b&c'] },
      { name: 'Accept', in: 'header', value: 'application/json' },
    ])
  })

  it('asks for its credential, and carries none', () => {
    const asked = stepOf({
      ...sent,
      credential: [{ name: 'X-Api-Key', in: 'header', value: '{$inputs.credential}' }],
    })
    expect(asked['inputs']).toMatchObject({ required: ['credential'] })
    expect(asked['parameters']).toContainEqual({
      name: 'X-Api-Key',
      in: 'header',
      value: '{$inputs.credential}',
    })
    expect(stepOf(sent)['inputs']).toBeUndefined()
  })

  it.each([
    ['{"a":[1,null]}', { a: [1, null] }],
    ['<a/>', '<a/>'],
  ])('has its body as what it is: %s', (text, payload) => {
    const body = { mediaType: 'application/x', text }
    expect(stepOf({ ...sent, body })['requestBody']).toEqual({
      contentType: 'application/x',
      payload,
    })
  })

  it('says nothing of a path that cannot be decoded but what it is', () => {
    const odd = { ...sent, operation: { method: 'GET', path: '/a/{b}' }, path: '/a/%zz' }
    expect(stepOf(odd)['parameters']).toContainEqual({ name: 'b', in: 'path', value: '%zz' })
  })
})
