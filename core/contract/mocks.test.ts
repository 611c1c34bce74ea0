import { describe, expect, it } from 'vitest'
import { contractOf } from '../../tests/support/reading'
import { bodySamples, chooseAnswer, mockAnswers } from './mocks'
import { invalidity } from './validate'

const json = (examples: Record<string, unknown>, schema?: object) => ({
  'application/json': {
    ...(schema && { schema }),
    examples: Object.fromEntries(
      Object.entries(examples).map(([name, value]) => [name, { value }]),
    ),
  },
})
const contract = contractOf({
  openapi: '3.1.0',
  info: { title: 'Hydrants', version: '1.0.0' },
  paths: {
    '/hydrants': {
      get: {
        responses: {
          404: { description: 'None', content: json({ unknown: { title: 'Unknown' } }) },
          200: {
            description: 'All',
            content: {
              'text/csv': { example: 'id\n1' },
              ...json({ two: [1, 2], empty: [] }),
            },
          },
          '5XX': {
            description: 'Trouble',
            content: { 'application/json': { schema: { $ref: '#/components/schemas/Problem' } } },
          },
          default: { description: 'Else' },
        },
      },
      delete: { responses: { 204: { description: 'Gone' } } },
    },
  },
  components: {
    schemas: { Problem: { type: 'object', properties: { title: { const: 'Trouble' } } } },
  },
})
const answers = mockAnswers(contract, contract.operations[0]!)

describe('what a mock may answer', () => {
  it('is everything that its operation describes, the first success first', () => {
    expect(answers.map(({ status, also, example, body }) => [status, also, example, body])).toEqual(
      [
        [200, undefined, 'two', '[1,2]'],
        [200, undefined, 'empty', '[]'],
        [200, undefined, 'example', 'id\n1'],
        [404, undefined, 'unknown', '{"title":"Unknown"}'],
        [500, 'class', undefined, '{"title":"Trouble"}'],
        [500, 'all', undefined, undefined],
      ],
    )
    expect(mockAnswers(contract, contract.operations[1]!)).toEqual([{ status: 204 }])
  })

  it.each([
    ['nothing', {}, [200, '[1,2]'], {}],
    ['an example', { example: 'empty' }, [200, '[]'], { example: 'empty' }],
    ['a status', { code: 404 }, [404, '{"title":"Unknown"}'], { code: 404 }],
    ['a status of a class', { code: 503 }, [503, '{"title":"Trouble"}'], { code: 503 }],
    ['any other status', { code: 409 }, [409, undefined], { code: 409 }],
    ['an example of another status', { example: 'unknown' }, [404], { example: 'unknown' }],
    ['an example that is none', { example: 'none' }, [200, '[1,2]'], {}],
    ['both, one unknown', { code: 404, example: 'two' }, [404], { code: 404 }],
  ] as const)('follows a preference for %s', (_, asked, [status, body], applied) => {
    const chosen = chooseAnswer(answers, asked)
    expect(chosen.answer.status).toBe(status)
    if (body !== undefined) expect(chosen.answer.body).toBe(body)
    expect(chosen.applied).toEqual(applied)
  })

  it('stays within bounds where a definition has examples without end', () => {
    const many = Object.fromEntries(
      Array.from({ length: 500 }, (_, n) => [`e${n}`, 'x'.repeat(20_000)]),
    )
    const large = contractOf({
      openapi: '3.1.0',
      info: { title: 'L', version: '1' },
      paths: { '/a': { get: { responses: { 200: { description: '', content: json(many) } } } } },
    })
    const found = mockAnswers(large, large.operations[0]!)
    expect(JSON.stringify(found).length).toBeLessThan(300_000)
    expect(found.length).toBeGreaterThan(5)
  })
})

describe('a body that is made from a schema', () => {
  it('fits its patterns, and its choices that exclude one another', () => {
    const schema = {
      type: 'object',
      properties: {
        code: { type: 'string', pattern: '^S-[0-9]{7}$' },
        zone: { type: 'string' },
        works: { type: 'string' },
      },
      required: ['code'],
      oneOf: [{ required: ['zone'] }, { required: ['works'] }],
    }
    const [{ body = '' } = {}] = bodySamples({ schemas: [] }, [
      { type: 'application/json', schema, examples: [], encoding: [], at: '' },
    ])
    expect(JSON.parse(body)).toEqual({
      code: expect.stringMatching(/^S-\d{7}$/) as string,
      zone: 'text',
    })
    expect(invalidity({ schemas: [] }, JSON.parse(body), schema)).toBeUndefined()
  })
})
