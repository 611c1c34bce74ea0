import { describe, expect, it } from 'vitest'
import { firstDifference } from './equal'
import type { Contract } from './model'
import { contractOf } from '../../tests/support/reading'

type Change = (definition: typeof base) => void

const base = {
  openapi: '3.1.0',
  info: { title: 'Hydrants', version: '1.0.0' },
  paths: {
    '/hydrants': {
      get: {
        operationId: 'listHydrants',
        parameters: [
          { name: 'area', in: 'query', schema: { type: 'string' } as Record<string, unknown> },
          { name: 'limit', in: 'query', schema: { type: 'integer' } as Record<string, unknown> },
        ],
        responses: { '200': { description: 'All of them' } },
      },
    },
  } as Record<string, { get: Record<string, unknown> }>,
  components: {
    schemas: {
      Hydrant: { type: 'object', required: ['a', 'b'], properties: { a: {}, b: {} } },
      Valve: { type: 'string' },
    } as Record<string, Record<string, unknown>>,
  },
}

function changed(change: Change = () => undefined): Contract {
  const definition = structuredClone(base)
  change(definition)
  return contractOf(definition)
}
const difference = (change: Change) => firstDifference(changed(), changed(change))

describe('contracts that say the same', () => {
  it.each<[string, Change]>([
    ['nothing is changed', () => undefined],
    [
      'schemas stand in another order',
      ({ components: { schemas } }) => {
        const { Hydrant } = schemas
        delete schemas['Hydrant']
        schemas['Hydrant'] = Hydrant!
      },
    ],
    [
      'parameters stand in another order',
      ({ paths }) => void (paths['/hydrants']!.get['parameters'] as unknown[]).reverse(),
    ],
    [
      'required names stand in another order',
      ({ components }) => void (components.schemas['Hydrant']!['required'] as string[]).reverse(),
    ],
    [
      'one type is written as a list',
      ({ components }) => void (components.schemas['Valve']!['type'] = ['string']),
    ],
    [
      'an empty list of examples is added',
      ({ components }) => void (components.schemas['Valve']!['examples'] = []),
    ],
    [
      'a part is a part of the only part',
      ({ components: { schemas } }) =>
        void (schemas['Valve'] = { allOf: [{ allOf: [schemas['Valve']!] }] }),
    ],
    [
      'there is one choice',
      ({ components: { schemas } }) => void (schemas['Valve'] = { oneOf: [schemas['Valve']!] }),
    ],
    [
      'the usual way of writing a parameter is said',
      ({ paths }) => {
        const [area] = paths['/hydrants']!.get['parameters'] as Record<string, unknown>[]
        Object.assign(area!, { style: 'form', explode: true })
      },
    ],
  ])('are equal where %s', (_what, change) => {
    expect(difference(change)).toBeUndefined()
  })

  it.each<[string, Change, RegExp]>([
    [
      'a title',
      ({ info }) => void (info.title = 'Valves'),
      /^\/title: "Hydrants" against "Valves"/,
    ],
    [
      'a type',
      ({ components }) => void (components.schemas['Valve']!['type'] = 'integer'),
      /type: "string" against "integer"/,
    ],
    [
      'what stands beside the only choice',
      ({ components: { schemas } }) =>
        void (schemas['Valve'] = { oneOf: [schemas['Valve']!], minLength: 3 }),
      /nothing|against/,
    ],
    [
      'the way of writing a parameter',
      ({ paths }) => {
        const [area] = paths['/hydrants']!.get['parameters'] as Record<string, unknown>[]
        area!['explode'] = false
      },
      /explode: nothing against false/,
    ],
    [
      'a schema that is gone',
      ({ components }) => {
        delete components.schemas['Valve']
      },
      /^\/schemas: 2 against 1/,
    ],
    [
      'a response',
      ({ paths }) => {
        paths['/hydrants']!.get['responses'] = { '200': { description: 'Some of them' } }
      },
      /"All of them" against "Some of them"/,
    ],
  ])('differ by %s', (_what, change, says) => {
    expect(difference(change)).toMatch(says)
  })

  it('pass over what is masked, the whole part or one member of it', () => {
    const mine = changed()
    const other = changed(({ components, info }) => {
      components.schemas['Valve']!['type'] = 'integer'
      info.title = 'Valves'
    })
    const valve = mine.schemas.find(({ name }) => name === 'Valve')!
    expect(firstDifference(mine, other, [{ part: valve, key: undefined }])).toMatch(/title/)
    expect(
      firstDifference(mine, other, [
        { part: valve, key: 'schema' },
        { part: mine, key: 'title' },
      ]),
    ).toBeUndefined()
  })

  it('follow a schema to its new name', () => {
    const renamed =
      (name: string): Change =>
      ({ components: { schemas } }) => {
        schemas[name] = schemas['Valve']!
        if (name !== 'Valve') delete schemas['Valve']
        schemas['Hydrant']!['properties'] = { a: { $ref: `#/components/schemas/${name}` } }
      }
    const mine = changed(renamed('Valve'))
    const other = changed(renamed('Valve_2'))
    const part = mine.schemas.find(({ name }) => name === 'Valve')!
    expect(firstDifference(mine, other)).toBeDefined()
    expect(firstDifference(mine, other, [{ part, key: 'name', now: 'Valve_2' }])).toBeUndefined()
    expect(firstDifference(mine, other, [{ part, key: 'name', now: 'Valve_3' }])).toBeDefined()
  })
})
