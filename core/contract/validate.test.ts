import { Ajv2020 } from 'ajv/dist/2020'
import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { invalidity } from './validate'
import type { Schema } from './model'
import { sampleValue } from './samples'
import { wholeSchema } from './schemas'
import { contractOf } from '../../tests/support/reading'

const withSchemas = (schemas: Record<string, unknown>) =>
  contractOf({
    openapi: '3.1.0',
    info: { title: 'Hydrants', version: '1.0.0' },
    components: { schemas },
  })

const hydrant = {
  type: 'object',
  required: ['hydrantId', 'pressure'],
  additionalProperties: false,
  properties: {
    hydrantId: { type: 'string', format: 'uuid' },
    pressure: { type: 'number', minimum: 0, exclusiveMaximum: 20 },
    checkedOn: { type: ['string', 'null'], format: 'date' },
    state: { enum: ['open', 'shut'] },
    tags: { type: 'array', items: { type: 'string', maxLength: 5 }, maxItems: 2 },
    secret: { type: 'string', writeOnly: true },
    near: { $ref: '#/components/schemas/Hydrant' },
  },
}
const contract = withSchemas({
  Hydrant: hydrant,
  Either: { oneOf: [{ type: 'string' }, { type: 'integer' }] },
  Both: {
    allOf: [
      { type: 'object', required: ['a'] },
      { type: 'object', properties: { b: { type: 'boolean' } } },
    ],
  },
  Round: { $ref: '#/components/schemas/Round' },
})
const named = (name: string): Schema => ({ $ref: `#/components/schemas/${name}` })
const id = '7b0c3a1e-3c1c-4a1e-8a55-0d1f3d1f3d1f'
const sound = { hydrantId: id, pressure: 4.5 }

describe('whether a value is as its schema asks', () => {
  it.each([
    ['Hydrant', sound],
    ['Hydrant', { ...sound, checkedOn: null, state: 'open', tags: ['a', 'b'], near: sound }],
    ['Either', 'a'],
    ['Either', 3],
    ['Both', { a: 1, b: true }],
    ['Round', { anything: 1 }],
  ])('%s takes %j', (name, value) => {
    expect(invalidity(contract, value, named(name))).toBeUndefined()
  })

  it.each([
    ['Hydrant', 'x', 'It is a string, and object is asked for'],
    ['Hydrant', { hydrantId: id }, 'It has no "pressure", which is required'],
    ['Hydrant', { ...sound, hydrantId: 'h-1' }, '"hydrantId" is no uuid'],
    ['Hydrant', { ...sound, pressure: -1 }, '"pressure" is below 0'],
    ['Hydrant', { ...sound, pressure: 20 }, '"pressure" is not below 20'],
    [
      'Hydrant',
      { ...sound, checkedOn: 3 },
      '"checkedOn" is a number, and string or null is asked for',
    ],
    ['Hydrant', { ...sound, checkedOn: '2026-13-01' }, '"checkedOn" is no date'],
    [
      'Hydrant',
      { ...sound, state: 'ajar' },
      '"state" is "ajar", which is none of the values allowed',
    ],
    ['Hydrant', { ...sound, tags: ['a', 'much-longer'] }, '"tags[1]" has 11 characters, and 5'],
    ['Hydrant', { ...sound, tags: ['a', 'b', 'c'] }, '"tags" has 3 items, and 2 are the most'],
    ['Hydrant', { ...sound, near: { near: {} } }, '"near" has no "hydrantId"'],
    ['Hydrant', { ...sound, near: { ...sound, pressure: 'x' } }, '"near.pressure" is a string'],
    ['Hydrant', { ...sound, colour: 'red' }, 'It has "colour", which its schema does not know'],
    ['Either', true, 'It fits none of the choices'],
    ['Both', { b: true }, 'It has no "a", which is required'],
    ['Both', { a: 1, b: 'x' }, '"b" is a string, and boolean is asked for'],
  ])('%s refuses %j', (name, value, says) => {
    expect(invalidity(contract, value, named(name))).toContain(says)
  })

  it('counts every part that it looks at', () => {
    let steps = 0
    invalidity(contract, { ...sound, tags: ['a', 'b'] }, named('Hydrant'), () => steps++)
    // The reference, what it leads to, its three members, and two items.
    expect(steps).toBe(1 + 1 + 3 + 2)
  })

  it('is not led round in circles by a value that follows its schema down', () => {
    let deep: unknown = sound
    for (let level = 0; level < 500; level++) deep = { ...sound, near: deep }
    expect(invalidity(contract, deep, named('Hydrant'))).toBeUndefined()
  })
})

describe('schemas of strangers', () => {
  const a = { $ref: '#/components/schemas/A' }
  const asks = (A: object, value: unknown, more: Record<string, unknown> = {}) =>
    invalidity(withSchemas({ A, ...more }), value, a)

  it.each<[string, object, unknown, string | undefined]>([
    ['a pattern that holds', { type: 'string', pattern: '^h-' }, 'h-1', undefined],
    ['a pattern that does not', { pattern: '^h-' }, 'x-1', 'It does not match the pattern ^h-'],
    ['a pattern that would never end', { pattern: '^(a+)+$' }, `${'a'.repeat(60)}!`, 'the pattern'],
    ['a pattern that cannot be decided', { pattern: '^(?=a)b' }, 'x', undefined],
    [
      'two choices that both fit',
      { oneOf: [{ type: 'number' }, { type: 'integer' }] },
      3,
      'more than one',
    ],
    ['one choice that does not fit', { anyOf: [{ type: 'number', minimum: 4 }] }, 3, 'is below 4'],
    ['what is ruled out', { not: { type: 'number' } }, 3, 'rules out'],
    ['a condition', { if: { const: 3 }, then: { multipleOf: 2 } }, 3, 'is no multiple of 2'],
    ['an item of a kind', { contains: { type: 'string' } }, [1, 'a'], undefined],
    [
      'no item of a kind',
      { contains: { type: 'string' }, prefixItems: [true] },
      [],
      'It has no item',
    ],
    ['a twin', { uniqueItems: true }, [1, { a: 1 }, { a: 1 }], 'has an item twice'],
    [
      'names by pattern',
      { patternProperties: { '^(a+)+$': {} }, additionalProperties: false },
      { [`${'a'.repeat(60)}!`]: 1 },
      undefined,
    ],
    [
      'nonsense in every keyword',
      {
        type: 'moment',
        required: 'a',
        enum: 3,
        properties: [1],
        allOf: {},
        items: 4,
        minimum: 'x',
        multipleOf: 0,
      },
      3,
      undefined,
    ],
    ['a way back to itself', { allOf: [a], anyOf: [{ oneOf: [a] }] }, {}, undefined],
    ['a name that objects have', { required: ['toString'] }, {}, 'has no "toString"'],
    [
      'a name written in a pointer',
      { properties: { 'a/b%20~': { type: 'string' } } },
      { 'a/b%20~': 1 },
      '"a/b%20~" is a number',
    ],
  ])('%s', (_, schema, value, says) => {
    const said = asks(schema, value)
    if (says === undefined) expect(said).toBeUndefined()
    else expect(said).toContain(says)
  })

  it('that lead to one another in circles end, and ask what they ask', () => {
    const more = { B: { allOf: [a], required: ['b'] } }
    const A = { allOf: [{ $ref: '#/components/schemas/B' }], properties: { d: a } }
    expect(asks(A, { b: 1 }, more)).toBeUndefined()
    expect(asks(A, {}, more)).toContain('has no "b"')
    expect(asks(A, { b: 1, d: {} }, more)).toBe('"d" has no "b", which is required')
    const only = { A: { $ref: '#/components/schemas/B' }, B: a }
    expect(invalidity(withSchemas(only), 1, a)).toBeUndefined()
  })

  it('with very long lists take no more than one look at each item', () => {
    const list = Array.from({ length: 50_000 }, (_, i) => i)
    expect(asks({ uniqueItems: true, items: { type: 'integer' } }, list)).toBeUndefined()
  })
})

const schemas: fc.Arbitrary<Schema> = fc.letrec<{ schema: Record<string, unknown> }>((tie) => ({
  schema: fc.oneof(
    { maxDepth: 3 },
    fc.constantFrom(
      { type: 'string' },
      { type: 'string', format: 'date' },
      { type: 'string', format: 'date-time' },
      { type: 'string', format: 'uuid' },
      { type: 'integer', minimum: 3 },
      { type: 'boolean' },
      { enum: ['a', 1, null] },
      { const: 7 },
      { type: ['null', 'string'] },
    ),
    tie('schema').map((items) => ({ type: 'array', items })),
    fc.dictionary(fc.stringMatching(/^[a-z]{1,4}$/), tie('schema')).map((properties) => ({
      type: 'object',
      properties,
      required: Object.keys(properties),
      additionalProperties: false,
    })),
    fc.array(tie('schema'), { minLength: 1, maxLength: 3 }).map((anyOf) => ({ anyOf })),
  ),
})).schema

describe('a sample made from a schema', () => {
  const sample = (schemas: Record<string, object>) =>
    sampleValue(withSchemas(schemas), { $ref: '#/components/schemas/A' })
  const a = { $ref: '#/components/schemas/A' }
  const text = { type: 'string' }

  it.each<[string, Record<string, object>, unknown]>([
    ['a property', { A: { type: 'object', properties: { id: text, up: a } } }, { id: 'text' }],
    [
      'a list',
      { A: { type: 'object', properties: { all: { type: 'array', items: a } } } },
      { all: [] },
    ],
    [
      'the first of its choices',
      { A: { oneOf: [{ type: 'object', properties: { a }, required: ['a'] }, text] } },
      'text',
    ],
    ['itself alone', { A: { type: 'object', required: ['a'], properties: { a } } }, null],
  ])('leaves out what holds itself as %s', (_where, schemas, expected) => {
    expect(sample(schemas)).toEqual(expected)
  })

  it('has what one of the choices beside its properties asks for', () => {
    const properties = { id: text, zone: text, works: text }
    const oneOf = [{ required: ['zone'] }, { required: ['works'] }]
    const A = { type: 'object', properties, required: ['id'], oneOf }
    expect(sampleValue(withSchemas({ A }), a, { isLean: true })).toEqual({
      id: 'text',
      zone: 'text',
    })
  })

  it('takes one value of parts that are no objects', () => {
    expect(
      sample({ A: { allOf: [{ $ref: '#/components/schemas/B' }], title: 'A' }, B: text }),
    ).toBe('text')
  })

  it('stays readable where schemas hold one another many times', () => {
    const schemas: Record<string, object> = { A: { $ref: '#/components/schemas/S0' }, S11: text }
    for (let i = 0; i < 11; i++) {
      const below = { $ref: `#/components/schemas/S${i + 1}` }
      const properties: Record<string, object> = { id: text }
      for (let k = 0; k < 12; k++) properties[`p${k}`] = below
      schemas[`S${i}`] = { type: 'object', required: ['id'], properties }
    }
    expect(JSON.stringify(sample(schemas)).length).toBeLessThan(100_000)
    expect(invalidity(withSchemas(schemas), sample(schemas), a)).toBeUndefined()
  })

  it('fits it', () => {
    fc.assert(
      fc.property(schemas, (schema) => {
        expect(invalidity(contract, sampleValue(contract, schema), schema)).toBeUndefined()
      }),
    )
  })
})

describe('a reference with other keywords beside it', () => {
  const number = fc.integer({ min: 0, max: 6 })
  const keywords = fc.record(
    {
      type: fc.constantFrom('object', 'integer', ['object', 'integer']),
      minimum: number,
      maximum: number,
      required: fc.uniqueArray(fc.constantFrom('a', 'b')),
      properties: fc.record({ a: fc.record({ minimum: number }) }, { requiredKeys: [] }),
      additionalProperties: fc.boolean(),
      enum: fc.array(number),
      title: fc.string(),
    },
    { requiredKeys: [] },
  )
  const value = fc.oneof(number, fc.record({ a: number, b: number }, { requiredKeys: [] }))

  it('asks for both, whatever they are', () => {
    fc.assert(
      fc.property(keywords, keywords, value, (target, beside, tried) => {
        const both = withSchemas({ Target: target, Way: { $ref: '#/components/schemas/Target' } })
        const fit = (schema: object) => invalidity(both, tried, schema as Schema) === undefined
        const joint = fit({ $ref: '#/components/schemas/Way', ...beside })
        expect(joint).toBe(fit({ $ref: '#/components/schemas/Target' }) && fit(beside))
      }),
    )
  })

  it('says of itself what stands beside it', () => {
    const told = withSchemas({ Target: { type: 'string', description: 'Any', default: 'a' } })
    const schema = { $ref: '#/components/schemas/Target', description: 'This one', default: 'b' }
    expect(wholeSchema(told, schema)).toEqual({
      type: 'string',
      description: 'This one',
      default: 'b',
    })
    expect(sampleValue(told, schema)).toBe('b')
  })
})

describe('beside another validator of the same specification', () => {
  const names = fc.constantFrom('a', 'b', 'c')
  const small = fc.integer({ min: -2, max: 4 })
  const value: fc.Arbitrary<unknown> = fc.letrec((tie) => ({
    value: fc.oneof(
      { maxDepth: 3 },
      small,
      fc.constantFrom('', 'a', 'abc', null, true, 1.5),
      fc.array(tie('value'), { maxLength: 3 }),
      fc.dictionary(names, tie('value'), { maxKeys: 3, noNullPrototype: true }),
    ),
  })).value
  const leaf = fc.constantFrom<object | boolean>(
    { type: 'string' },
    { type: ['integer', 'null'] },
    { enum: ['a', 1, null, [1]] },
    { minimum: 1, exclusiveMaximum: 3 },
    { multipleOf: 0.5 },
    { minLength: 1, pattern: '^a' },
    { maxItems: 1, uniqueItems: true },
    { required: ['a'], maxProperties: 2 },
    { const: { a: 1 } },
    true,
    false,
  )
  const schema: fc.Arbitrary<object | boolean> = fc.letrec<{ schema: object | boolean }>((tie) => {
    const inner = tie('schema')
    const some = fc.array(inner, { minLength: 1, maxLength: 3 })
    const parts: fc.Arbitrary<object>[] = [
      fc.dictionary(names, inner, { maxKeys: 2 }).map((properties) => ({ properties })),
      ...['additionalProperties', 'items', 'not'].map((keyword) =>
        inner.map((asked) => ({ [keyword]: asked })),
      ),
      ...['allOf', 'anyOf', 'oneOf', 'prefixItems'].map((keyword) =>
        some.map((asked) => ({ [keyword]: asked })),
      ),
      fc.tuple(inner, inner, inner).map(([when, then, other]) => ({ if: when, then, else: other })),
      fc.constant({ propertyNames: { pattern: '^[ab]' } }),
    ]
    return {
      schema: fc.oneof(
        { maxDepth: 3, depthSize: 'small' },
        leaf,
        fc.oneof(...parts),
        fc.tuple(fc.oneof(...parts), fc.oneof(...parts)).map(([a, b]) => ({ ...a, ...b })),
      ),
    }
  }).schema

  // Looked at alone: inside of conditions the validators differ about what counts as evaluated.
  const unevaluated = fc
    .tuple(leaf, leaf, fc.dictionary(names, leaf, { maxKeys: 2 }))
    .map(([one, another, properties]) => ({
      anyOf: [one, { properties: { a: another } }],
      properties,
      unevaluatedProperties: false,
    }))

  /** What the other validator says; beside prefixItems it may make a program that does not run. */
  function judged(agrees: (value: unknown) => unknown, tried: readonly unknown[]) {
    try {
      return tried.map((value) => [value, agrees(value)])
    } catch (error) {
      if (error instanceof ReferenceError) return undefined
      throw error
    }
  }

  it('says the same of what is valid', () => {
    const other = new Ajv2020({ strict: false, unicodeRegExp: false })
    fc.assert(
      fc.property(
        fc.oneof({ weight: 5, arbitrary: schema }, unevaluated),
        fc.array(value, { minLength: 1, maxLength: 8 }),
        (asked, tried) => {
          const ours = withSchemas({})
          const expected = judged(other.compile(asked), tried)
          fc.pre(expected !== undefined)
          const said = tried.map((one) => [
            one,
            invalidity(ours, one, asked as Schema) === undefined,
          ])
          expect(said).toEqual(expected)
        },
      ),
      { numRuns: 400 },
    )
  })
})
