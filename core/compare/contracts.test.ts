import { readFileSync } from 'node:fs'
import { Ajv2020 } from 'ajv/dist/2020'
import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import type { Contract, Schema } from '../contract/model'
import { invalidity } from '../contract/validate'
import { compareContracts } from './contracts'
import type { Change, Effect } from './model'
import { fittingVersion, riseFor } from './version'
import { happeningOf, undecidedWords } from './words'
import { contractOf as contractFrom, readable } from '../../tests/support/reading'

const contractOf = (text: string) => readable(text).contract
const demo = (name: string) => contractOf(readFileSync(`demo/definitions/${name}`, 'utf8'))

/** A definition whose one operation takes and gives a schema. */
const withSchema = (schema: object | boolean, { request = true, response = true } = {}): Contract =>
  contractFrom({
    openapi: '3.1.0',
    info: { title: 'Hydrants', version: '1.0.0' },
    paths: {
      '/hydrants': {
        post: {
          ...(request && { requestBody: { content: { 'application/json': { schema } } } }),
          responses: {
            200: {
              description: 'Done',
              ...(response && { content: { 'application/json': { schema } } }),
            },
          },
        },
      },
    },
  })
const between = (
  before: object | boolean,
  after: object | boolean,
  ways: { request?: boolean; response?: boolean } = {},
) => compareContracts(withSchema(before, ways), withSchema(after, ways))
const messageOf = (change: Change) => `${happeningOf(change)}${undecidedWords(change.undecided)}`
const told = (changes: Change[]) =>
  changes.map((change) => `${change.effect} ${change.direction}: ${messageOf(change)}`)

const text = { type: 'string' }
const object = (properties: object, more: object = {}) => ({ type: 'object', properties, ...more })

describe('schemas as sets of values, each way', () => {
  /** What the same change does to what is taken, and to what is given. */
  it.each<[string, object | boolean, object | boolean, Effect, Effect]>([
    ['a type that is another', text, { type: 'integer' }, 'breaking', 'breaking'],
    ['a type more', text, { type: ['string', 'null'] }, 'safe', 'breaking'],
    ['a type less', { type: ['string', 'null'] }, text, 'breaking', 'safe'],
    [
      'an integer that may be any number',
      { type: 'integer' },
      { type: 'number' },
      'safe',
      'breaking',
    ],
    ['a value more', { enum: ['a'] }, { enum: ['a', 'b'] }, 'safe', 'breaking'],
    ['a value less', { enum: ['a', 'b'] }, { enum: ['a'] }, 'breaking', 'safe'],
    ['values listed now', text, { ...text, enum: ['a'] }, 'breaking', 'safe'],
    [
      'a higher minimum',
      { type: 'integer', minimum: 1 },
      { type: 'integer', minimum: 3 },
      'breaking',
      'safe',
    ],
    [
      'a minimum that is open now',
      { type: 'integer', minimum: 1 },
      { type: 'integer', exclusiveMinimum: 1 },
      'breaking',
      'safe',
    ],
    [
      'a higher maximum',
      { type: 'number', maximum: 1 },
      { type: 'number', maximum: 2 },
      'safe',
      'breaking',
    ],
    [
      'a maximum where none was',
      { type: 'number' },
      { type: 'number', maximum: 2 },
      'breaking',
      'safe',
    ],
    [
      'a finer grid',
      { type: 'integer', multipleOf: 10 },
      { type: 'integer', multipleOf: 5 },
      'safe',
      'breaking',
    ],
    ['a longer text', { ...text, maxLength: 5 }, { ...text, maxLength: 9 }, 'safe', 'breaking'],
    [
      'a shorter list',
      { type: 'array', items: text, maxItems: 5 },
      { type: 'array', items: text, maxItems: 2 },
      'breaking',
      'safe',
    ],
    [
      'items once each',
      { type: 'array', items: text },
      { type: 'array', items: text, uniqueItems: true },
      'breaking',
      'safe',
    ],
    [
      'items of another type',
      { type: 'array', items: text },
      { type: 'array', items: { type: 'integer' } },
      'breaking',
      'breaking',
    ],
    ['a pattern where none was', text, { ...text, pattern: '^[0-9]+$' }, 'breaking', 'safe'],
    [
      'another pattern',
      { ...text, pattern: '^zz[0-9]$' },
      { ...text, pattern: '^yy[0-9]$' },
      'breaking',
      'breaking',
    ],
    [
      'a pattern that takes more',
      { ...text, pattern: '^M-[0-9]{6}$' },
      { ...text, pattern: '^M-[0-9]{6,8}$' },
      'safe',
      'breaking',
    ],
    [
      'a pattern that is written otherwise',
      { ...text, pattern: '^(a|b)+$' },
      { ...text, pattern: '^[ab]+$' },
      'safe',
      'safe',
    ],
    [
      'a pattern that looks around',
      { ...text, pattern: '^a' },
      { ...text, pattern: '^(?!b)' },
      'risky',
      'breaking',
    ],
    [
      'parts that say what one schema said',
      object({ a: text, b: text }, { required: ['a'] }),
      { allOf: [object({ a: text }, { required: ['a'] }), object({ b: text })] },
      'safe',
      'safe',
    ],
    [
      'a part that asks for one more property',
      object({ a: text, b: text }, { required: ['a'] }),
      {
        allOf: [object({ a: text }, { required: ['a'] }), object({ b: text }, { required: ['b'] })],
      },
      'breaking',
      'safe',
    ],
    [
      'a null that is written as a choice',
      { type: ['object', 'null'], properties: { a: text } },
      { anyOf: [object({ a: text }), { type: 'null' }] },
      'safe',
      'safe',
    ],
    [
      'one choice more of those that are apart',
      { oneOf: [{ type: 'string' }, { type: 'integer' }] },
      { oneOf: [{ type: 'string' }, { type: 'integer' }, { type: 'boolean' }] },
      'safe',
      'breaking',
    ],
    [
      'one choice more that takes what another one takes',
      { oneOf: [{ type: 'string' }, { type: 'integer' }] },
      { oneOf: [{ type: 'string' }, { type: 'integer' }, { enum: ['text'] }] },
      'breaking',
      'risky',
    ],
    [
      'items by position',
      { type: 'array', prefixItems: [text, text] },
      { type: 'array', prefixItems: [text, { type: 'integer' }] },
      'breaking',
      'breaking',
    ],
    [
      'a value that is only given',
      object({ a: { ...text, readOnly: true } }, { required: ['a'] }),
      object({ a: { type: 'integer', readOnly: true } }, { required: ['a'] }),
      'safe',
      'breaking',
    ],
    [
      'a value that is only taken',
      object({ a: { ...text, writeOnly: true } }),
      object({ a: { ...text, writeOnly: true, maxLength: 9 } }),
      'breaking',
      'safe',
    ],
    [
      'a property that has another name',
      object({ meterId: text, unit: { enum: ['l', 'm3'] } }, { required: ['meterId'] }),
      object({ meter: text, unit: { enum: ['l', 'm3'] } }, { required: ['meter'] }),
      'breaking',
      'breaking',
    ],
    [
      'values that another bound does not concern',
      { enum: ['a', 'b'], maxLength: 9 },
      { enum: ['a', 'b'], maxLength: 5 },
      'safe',
      'safe',
    ],
    [
      'deep inside of choices',
      { anyOf: [object({ a: object({ b: text }) }), { type: 'integer' }] },
      { anyOf: [object({ a: object({ b: { ...text, maxLength: 2 } }) }), { type: 'integer' }] },
      'breaking',
      'safe',
    ],
    ['a format where none was', text, { ...text, format: 'uuid' }, 'breaking', 'safe'],
    [
      'a format that is only said',
      { type: 'integer' },
      { type: 'integer', format: 'int32' },
      'risky',
      'safe',
    ],
    ['a property more', object({ a: text }), object({ a: text, b: text }), 'safe', 'safe'],
    [
      'a property more, required',
      object({ a: text }),
      object({ a: text, b: text }, { required: ['b'] }),
      'breaking',
      'safe',
    ],
    [
      'a property required no longer',
      object({ a: text }, { required: ['a'] }),
      object({ a: text }),
      'safe',
      'breaking',
    ],
    [
      'a property that is gone',
      object({ a: text, b: text }),
      object({ a: text }),
      'risky',
      'risky',
    ],
    [
      'a property gone from what is closed',
      object({ a: text, b: text }, { additionalProperties: false }),
      object({ a: text }, { additionalProperties: false }),
      'breaking',
      'safe',
    ],
    [
      'nothing else allowed',
      object({ a: text }),
      object({ a: text }, { additionalProperties: false }),
      'breaking',
      'safe',
    ],
    [
      'anything else allowed',
      object({ a: text }, { additionalProperties: false }),
      object({ a: text }),
      'safe',
      'breaking',
    ],
    [
      'others of another type',
      { type: 'object', additionalProperties: text },
      { type: 'object', additionalProperties: { type: 'integer' } },
      'breaking',
      'breaking',
    ],
    [
      'something deep inside',
      object({ a: { type: 'array', items: object({ b: { enum: [1, 2] } }) } }),
      object({ a: { type: 'array', items: object({ b: { enum: [1] } }) } }),
      'breaking',
      'safe',
    ],
    [
      'a choice more',
      { oneOf: [text] },
      { oneOf: [text, { type: 'integer' }] },
      'safe',
      'breaking',
    ],
    [
      'a part more',
      { allOf: [object({ a: text })] },
      { allOf: [object({ a: text }), object({}, { required: ['z'] })] },
      'breaking',
      'safe',
    ],
    [
      'something that is not looked into',
      { type: 'integer', not: { const: 3 } },
      { type: 'integer', not: { const: 4 } },
      'risky',
      'risky',
    ],
    [
      'a value that is meant where none is sent',
      { ...text, default: 'a' },
      { ...text, default: 'b' },
      'risky',
      'safe',
    ],
    [
      'a value that is meant now where none is sent',
      text,
      { ...text, default: 'b' },
      'safe',
      'safe',
    ],
    ['other words', { ...text, description: 'A' }, { ...text, description: 'B' }, 'safe', 'safe'],
    ['nothing any more', text, false, 'breaking', 'safe'],
  ])('%s', (_, before, after, taken, given) => {
    const worst = (changes: Change[]) =>
      (['breaking', 'risky', 'safe'] as const).find((effect) =>
        changes.some((change) => change.effect === effect),
      ) ?? 'safe'
    expect([
      worst(between(before, after, { response: false })),
      worst(between(before, after, { request: false })),
    ]).toEqual([taken, given])
  })

  it('end in circles, and say a change of a named schema at each operation that uses it, once', () => {
    const tree = (more: object) => ({
      openapi: '3.1.0',
      info: { title: 'Trees', version: '1' },
      paths: Object.fromEntries(
        ['/a', '/b'].map((path) => [
          path,
          {
            get: {
              responses: {
                200: {
                  description: 'x',
                  content: {
                    'application/json': { schema: { $ref: '#/components/schemas/Tree' } },
                  },
                },
              },
            },
          },
        ]),
      ),
      components: {
        schemas: {
          Tree: object({
            left: { $ref: '#/components/schemas/Tree' },
            right: { $ref: '#/components/schemas/Tree' },
            ...more,
          }),
        },
      },
    })
    const changes = compareContracts(
      contractFrom(tree({ kind: { enum: [1] } })),
      contractFrom(tree({ kind: { enum: [1, 2] } })),
    )
    expect(changes.map(({ operation, effect, path }) => [operation, effect, path])).toEqual([
      ['GET /a', 'breaking', [{ property: 'kind' }]],
      ['GET /b', 'breaking', [{ property: 'kind' }]],
    ])
  })

  it('are too large to be told at some size, and say so', () => {
    const wide = (type: string) =>
      object(Object.fromEntries(Array.from({ length: 5000 }, (_, i) => [`p${i}`, { type }])))
    const changes = between(wide('string'), wide('integer'), { response: false })
    expect(changes).toHaveLength(2001)
    expect(changes.at(-1)!.undecided).toMatch('not all are told')
    expect(changes.every(({ effect }) => effect !== 'safe')).toBe(true)
  })
})

const head = 'openapi: 3.1.0\ninfo: { title: Hydrants, version: "1.0.0" }\n'
const operation = (inside: string, path = '/hydrants') =>
  `${head}paths:\n  ${path}:\n    get: { ${inside} }\n`
const ok = "responses: { '200': { description: x } }"

describe('operations, parameters, responses and credentials', () => {
  it.each<[string, string, string, string[]]>([
    ['an operation that is gone', operation(ok), `${head}paths: {}\n`, ['breaking both: Is gone']],
    ['an operation more', `${head}paths: {}\n`, operation(ok), ['safe none: Is new']],
    [
      'a parameter that is asked for',
      operation(ok),
      operation(
        `parameters: [{ name: a, in: query, required: true, schema: { type: string } }], ${ok}`,
      ),
      ['breaking request: Query parameter a is new, and required'],
    ],
    [
      'a parameter that may be given',
      operation(ok),
      operation(`parameters: [{ name: a, in: query, schema: { type: string } }], ${ok}`),
      ['safe request: Query parameter a is new'],
    ],
    [
      'a path that names its parameter otherwise',
      operation(
        `parameters: [{ name: a, in: path, required: true, schema: { type: string } }], ${ok}`,
        '/h/{a}',
      ),
      operation(
        `parameters: [{ name: b, in: path, required: true, schema: { type: string } }], ${ok}`,
        '/h/{b}',
      ),
      [
        'safe none: Path is "/h/{b}", was "/h/{a}"',
        'safe none: Path parameter b name is "b", was "a"',
      ],
    ],
    [
      'a status that is gone',
      operation("responses: { '200': { description: x }, '404': { description: y } }"),
      operation(ok),
      ['safe response: Response 404 is gone'],
    ],
    [
      'a status more',
      operation(ok),
      operation("responses: { '200': { description: x }, '404': { description: y } }"),
      [
        'risky response: Response 404 is new; could not be decided, because whether clients know what to do with it is not known here',
      ],
    ],
    [
      'credentials where none were',
      operation(ok),
      `${operation(`security: [{ key: [] }], ${ok}`)}components: { securitySchemes: { key: { type: apiKey, in: header, name: X-Key } } }\n`,
      ['breaking request: Asks for key, asked for nothing', 'safe none: Is new'],
    ],
    [
      'a media type that is gone',
      operation(
        "responses: { '200': { description: x, content: { application/json: {}, text/csv: {} } } }",
      ),
      operation("responses: { '200': { description: x, content: { application/json: {} } } }"),
      ['safe response: Response 200 text/csv is gone'],
    ],
  ])('%s', (_, before, after, says) => {
    expect(told(compareContracts(contractOf(before), contractOf(after)))).toEqual(says)
  })

  const effects = (before: string, after: string) =>
    compareContracts(contractOf(before), contractOf(after)).map(({ effect }) => effect)

  it('a key that is carried elsewhere breaks each operation that asks for it, with a request that has it where it was', () => {
    const keyed = (scheme: string) =>
      `${operation(`security: [{ key: [] }], ${ok}`)}components: { securitySchemes: { key: ${scheme} } }\n`
    const header = keyed('{ type: apiKey, in: header, name: X-Key }')
    const query = keyed('{ type: apiKey, in: query, name: key }')
    for (const [before, after] of [
      [header, query],
      [query, header],
      [header, keyed('{ type: apiKey, in: header, name: X-Other }')],
      [header, keyed('{ type: http, scheme: bearer }')],
    ] as const) {
      const changes = compareContracts(contractOf(before), contractOf(after))
      expect(changes.every(({ operation: of }) => of === 'GET /hydrants')).toBe(true)
      expect(new Set(changes.map(({ effect }) => effect))).toEqual(new Set(['breaking']))
      const [{ witness }] = changes as [Change]
      expect(JSON.stringify(witness!())).toMatch(before === query ? /"key":"key"/ : /"X-Key":"key"/)
    }
    expect(effects(header, keyed('{ type: apiKey, in: header, name: x-key }'))).toEqual([])
    const bearer = keyed('{ type: http, scheme: bearer }')
    expect(effects(bearer, keyed('{ type: http, scheme: Bearer }'))).toEqual([])
  })

  it('flows in another order are the same', () => {
    const flow = (kind: string) =>
      `${kind}: { tokenUrl: https://a.example/t, authorizationUrl: https://a.example/a, scopes: { a: A, b: B } }`
    const asked = (...kinds: string[]) =>
      `${operation(`security: [{ o: [a] }], ${ok}`)}components: { securitySchemes: { o: { type: oauth2, flows: { ${kinds.map(flow).join(', ')} } } } }\n`
    const [one, other] = [
      asked('implicit', 'authorizationCode'),
      asked('authorizationCode', 'implicit'),
    ]
    expect(effects(one, other)).toEqual([])
    expect(effects(one, asked('implicit'))).toEqual(['risky'])
  })

  it.each<[string, string, string, string, Effect[]]>([
    [
      'a list',
      '{ type: array, items: { type: string } }',
      'explode: true',
      'explode: false',
      ['breaking'],
    ],
    [
      'a list',
      '{ type: array, items: { type: string } }',
      'style: form, explode: false',
      'style: pipeDelimited, explode: false',
      ['breaking'],
    ],
    [
      'a list of one at most',
      '{ type: array, maxItems: 1, items: { type: string } }',
      'explode: true',
      'explode: false',
      ['safe'],
    ],
    [
      'an object',
      '{ type: object, properties: { a: { type: string } }, required: [a] }',
      'style: form',
      'style: deepObject',
      ['breaking'],
    ],
    ['a text', '{ type: string }', 'explode: true', 'explode: false', ['safe']],
    [
      'a list as it is usually written',
      '{ type: array, items: { type: string } }',
      'style: form',
      'explode: true',
      [],
    ],
  ])('a writing of %s: %s from %s to %s', (_, schema, was, is, expected) => {
    const sent = (writing: string) =>
      operation(
        `parameters: [{ name: a, in: query, required: true, ${writing}, schema: ${schema} }], ${ok}`,
      )
    const found = new Set(effects(sent(was), sent(is)))
    expect([...found]).toEqual(expected)
    expect([...new Set(effects(sent(is), sent(was)))]).toEqual(expected)
  })

  it('a success that is another one breaks who waits for the first, unless that is described still', () => {
    const having = (...statuses: string[]) =>
      operation(
        `responses: { ${statuses.map((status) => `'${status}': { description: x }`).join(', ')} }`,
      )
    expect(effects(having('201'), having('202'))).toEqual(['breaking'])
    expect(effects(having('202'), having('201'))).toEqual(['breaking'])
    expect(effects(having('201'), having('201', '202'))).toEqual(['risky'])
    expect(effects(having('201', '202'), having('201'))).toEqual(['safe'])
    expect(effects(having('201'), having('2XX'))).not.toContain('breaking')
  })

  it('a header that a response has no longer is a change for whoever reads it', () => {
    const headed = (headers: string) =>
      operation(`responses: { '200': { description: x, headers: { ${headers} } } }`)
    const rest = 'X-Rest: { schema: { type: integer } }'
    expect(effects(headed(rest), headed(''))).toEqual(['risky'])
    expect(effects(headed(''), headed(rest))).toEqual(['safe'])
    const sure = 'X-Rest: { required: true, schema: { type: integer } }'
    expect(effects(headed(sure), headed(''))).toEqual(['breaking'])
  })

  it('are turned round where the other side calls', () => {
    const hook = (schema: string) =>
      `${head}webhooks:\n  told:\n    post:\n      requestBody: { content: { application/json: { schema: ${schema} } } }\n      ${ok}\n`
    const changes = compareContracts(
      contractOf(hook('{ enum: [a] }')),
      contractOf(hook('{ enum: [a, b] }')),
    )
    expect(changes).toMatchObject([{ direction: 'response' }])
  })
})

describe('a comparison', () => {
  const all = [
    'supply-interruptions/2.5.0.yaml',
    'meter-readings/4.0.0.yaml',
    'tanker-dispatch/0.9.4.raml',
    'tanker-dispatch/0.8.0.raml',
    'lab-sampling/1.8.0.wsdl',
  ].filter((name) => {
    try {
      return demo(name) !== undefined
    } catch {
      return false
    }
  })

  it.each(all)('of %s with itself gives nothing', (name) => {
    expect(compareContracts(demo(name), demo(name))).toEqual([])
  })

  it('of two versions of the demo shows what breaks, with a witness for each', () => {
    const changes = compareContracts(
      demo('meter-readings/3.9.2.yaml'),
      demo('meter-readings/4.0.0.yaml'),
    )
    const breaking = changes.filter(({ effect }) => effect === 'breaking')
    expect(breaking.length).toBeGreaterThan(2)
    for (const change of breaking)
      expect([messageOf(change), change.witness?.()]).toEqual([
        messageOf(change),
        expect.anything(),
      ])
    expect(riseFor(changes)).toBe('major')
  })

  it('is the same whatever order and layout the texts have', () => {
    const [before, after] = ['meter-readings/3.9.2.yaml', 'meter-readings/4.0.0.yaml'].map(
      demo,
    ) as [Contract, Contract]
    const turned = (contract: Contract): Contract => ({
      ...contract,
      operations: [...contract.operations].reverse(),
      schemas: [...contract.schemas].reverse(),
    })
    const said = (changes: Change[]) =>
      changes.map((change) => `${change.effect} ${change.operation} ${messageOf(change)}`).sort()
    expect(said(compareContracts(turned(before), after))).toEqual(
      said(compareContracts(before, after)),
    )
  })
})

/** A schema with the nth schema inside of it replaced, from the outside in. */
function changedAt(
  schema: object,
  by: (inner: Record<string, unknown>) => object,
  n: number,
): object {
  let left = n
  const visit = (value: unknown, isSchema: boolean): unknown => {
    if (typeof value !== 'object' || value === null) return value
    if (isSchema && left-- === 0 && !Array.isArray(value))
      return by(value as Record<string, unknown>)
    if (Array.isArray(value)) return value.map((one) => visit(one, true))
    return Object.fromEntries(
      Object.entries(value).map(([key, inner]) => [
        key,
        ['enum', 'required', 'type'].includes(key)
          ? inner
          : visit(inner, !isSchema || (key !== 'properties' && !Array.isArray(inner))),
      ]),
    )
  }
  return visit(schema, true) as object
}

describe('laws over generated schemas', () => {
  const names = fc.constantFrom('a', 'b', 'c')
  const schema: fc.Arbitrary<object> = fc.letrec<{ schema: object }>((tie) => ({
    schema: fc.oneof(
      { maxDepth: 3, depthSize: 'small' },
      fc.constantFrom<object>(
        { type: 'string' },
        { type: 'integer' },
        { type: ['string', 'null'] },
        { type: 'boolean' },
      ),
      fc.record({
        type: fc.constant('integer'),
        minimum: fc.integer({ min: 0, max: 5 }),
        maximum: fc.integer({ min: 5, max: 9 }),
      }),
      fc.record({
        type: fc.constant('string'),
        minLength: fc.integer({ min: 0, max: 2 }),
        maxLength: fc.integer({ min: 3, max: 6 }),
      }),
      fc.record({ enum: fc.uniqueArray(fc.constantFrom('x', 'y', 1, null), { minLength: 1 }) }),
      fc.constantFrom('^x', '^[xy]+$', '^(x|y)?$').map((pattern) => ({ type: 'string', pattern })),
      tie('schema').map((items) => ({ type: 'array', items })),
      fc.tuple(tie('schema'), tie('schema')).map((prefixItems) => ({ type: 'array', prefixItems })),
      tie('schema').map((rest) => ({ type: 'object', additionalProperties: rest })),
      fc
        .tuple(fc.constantFrom('allOf', 'anyOf', 'oneOf'), tie('schema'), tie('schema'))
        .map(([keyword, a, b]) => ({ [keyword]: [a, b] })),
      fc
        .tuple(
          fc.dictionary(names, tie('schema'), { maxKeys: 3, noNullPrototype: true }),
          fc.uniqueArray(names),
          fc.boolean(),
        )
        .map(([properties, required, open]) => ({
          type: 'object',
          properties,
          required: required.filter((name) => Object.hasOwn(properties, name)),
          ...(!open && { additionalProperties: false }),
        })),
    ),
  })).schema
  /** A schema, and another one or the same with one schema inside of it replaced. */
  const pair: fc.Arbitrary<[object, object]> = fc.oneof(
    fc.tuple(schema, schema),
    fc
      .tuple(schema, schema, fc.nat({ max: 6 }))
      .map(([one, other, at]): [object, object] => [one, changedAt(one, () => other, at)]),
  )
  const value: fc.Arbitrary<unknown> = fc.letrec((tie) => ({
    value: fc.oneof(
      { maxDepth: 3 },
      fc.constantFrom('x', 'y', '', 'abcdef', null, true, 0, 1, 5, 9),
      fc.array(tie('value'), { maxLength: 2 }),
      fc.dictionary(names, tie('value'), { maxKeys: 3, noNullPrototype: true }),
    ),
  })).value
  /** Values with names that a schema does not declare are not what an open schema speaks of. */
  const declares = (asked: Schema, given: unknown): boolean => {
    if (Array.isArray(given))
      return given.every((one) => declares((asked as { items?: Schema }).items ?? true, one))
    if (typeof given !== 'object' || given === null || typeof asked !== 'object') return true
    const properties = (asked['properties'] ?? {}) as Record<string, Schema>
    return Object.entries(given).every(
      ([name, one]) => Object.hasOwn(properties, name) && declares(properties[name]!, one),
    )
  }

  it('a breaking change has a witness that the independent validator takes on one side alone', () => {
    const other = new Ajv2020({ strict: false })
    fc.assert(
      fc.property(pair, ([before, after]) => {
        for (const change of between(before, after)) {
          if (change.effect !== 'breaking') continue
          const [was, is] = [other.compile(before), other.compile(after)]
          const witness = change.witness?.()
          expect(witness).toBeDefined()
          if ('request' in witness!)
            expect([was(witness.request.body), is(witness.request.body)]).toEqual([true, false])
          else
            expect([was(witness!.response.body), is(witness!.response.body)]).toEqual([false, true])
        }
      }),
      { numRuns: 120 },
    )
  })

  it('where all is safe for requests, no value that was taken is refused', () => {
    fc.assert(
      fc.property(
        pair,
        fc.array(value, { minLength: 1, maxLength: 10 }),
        ([before, after], tried) => {
          const [old, now] = [withSchema(before), withSchema(after)]
          const changes = between(before, after, { response: false })
          fc.pre(changes.every(({ effect }) => effect === 'safe'))
          for (const one of tried)
            if (
              declares(before as Schema, one) &&
              invalidity(old, one, before as Schema) === undefined
            )
              expect([one, invalidity(now, one, after as Schema)]).toEqual([one, undefined])
        },
      ),
      { numRuns: 120, maxSkipsPerRun: 1000 },
    )
  })

  it('there and back, what narrows widens', () => {
    fc.assert(
      fc.property(pair, ([before, after]) => {
        const way = (changes: Change[], direction: string) =>
          changes.filter((change) => change.direction === direction && change.effect === 'breaking')
            .length > 0
        const [there, back] = [between(before, after), between(after, before)]
        expect(way(there, 'request')).toBe(way(back, 'response'))
        expect(way(there, 'response')).toBe(way(back, 'request'))
      }),
      { numRuns: 100 },
    )
  })

  /** The same set of values written otherwise: wrapped, listed as choices, with its members in another order. */
  const rewritings: ((one: Record<string, unknown>) => object)[] = [
    (one) => ({ allOf: [one] }),
    (one) => ({ anyOf: [one] }),
    (one) => ({ oneOf: [one] }),
    (one) => ({ allOf: [{ anyOf: [one] }] }),
    (one) => ({ description: 'The same', oneOf: [{ allOf: [one] }] }),
    (one) => Object.fromEntries(Object.entries(one).reverse()),
    ({ enum: values, ...rest }) =>
      Array.isArray(values)
        ? { ...rest, oneOf: values.map((value: unknown) => ({ const: value })) }
        : rest,
    ({ enum: values, ...rest }) =>
      Array.isArray(values)
        ? { anyOf: values.map((value: unknown) => ({ ...rest, enum: [value] })) }
        : rest,
    ({ enum: values, ...rest }) =>
      Array.isArray(values) ? { ...rest, enum: [...(values as unknown[])].reverse() } : rest,
    ({ required, ...rest }) =>
      Array.isArray(required) ? { ...rest, required: [...(required as string[])].reverse() } : rest,
    ({ type, ...rest }) =>
      Array.isArray(type)
        ? { ...rest, anyOf: type.map((name: string) => ({ type: name })) }
        : { type, ...rest },
  ]
  const rewritten = fc
    .tuple(
      schema,
      fc.array(fc.tuple(fc.nat({ max: 6 }), fc.nat({ max: rewritings.length - 1 })), {
        minLength: 1,
        maxLength: 4,
      }),
    )
    .map(([one, steps]): [object, object] => [
      one,
      steps.reduce<object>(
        (now, [at, n]) => changedAt(now, (inner) => rewritings[n]!(inner), at),
        one,
      ),
    ])
  const said = (changes: Change[]) =>
    changes.filter(({ keyword }) => keyword !== 'description' && keyword !== 'title')

  it('a set that is written otherwise is the same set', () => {
    fc.assert(
      fc.property(rewritten, ([one, other]) => {
        const other2020 = new Ajv2020({ strict: false })
        // What is not the same for the independent validator either is no rewriting.
        other2020.compile(other)
        expect(told(said(between(one, other)))).toEqual([])
        expect(told(said(between(other, one)))).toEqual([])
      }),
      { numRuns: 300 },
    )
  })

  const apart = fc.constantFrom<[object, object]>(
    [{ type: 'number' }, { type: 'string' }],
    [
      { type: 'integer', minimum: 1 },
      { type: 'string', maxLength: 3 },
    ],
    [object({ a: text }), { type: 'array', items: text }],
    [{ type: 'boolean' }, object({ a: text }, { required: ['a'] })],
    [text, { type: 'null' }],
  )
  it('a union that gains a member takes more and gives more, and the other way round', () => {
    const worst = (changes: Change[]) => new Set(said(changes).map(({ effect }) => effect))
    fc.assert(
      fc.property(
        apart,
        fc.constantFrom('anyOf', 'oneOf'),
        fc.boolean(),
        ([one, more], keyword, turned) => {
          const union = { [keyword]: turned ? [more, one] : [one, more] }
          expect(worst(between(one, union, { response: false }))).toEqual(new Set(['safe']))
          expect(worst(between(union, one, { request: false }))).toEqual(new Set(['safe']))
          expect(worst(between(one, union, { request: false }))).toContain('breaking')
          expect(worst(between(union, one, { response: false }))).toContain('breaking')
        },
      ),
      { numRuns: 60 },
    )
  })

  it('of members that are named it is known which one came', () => {
    const named = (schema: object) =>
      contractFrom({
        openapi: '3.1.0',
        info: { title: 'Hydrants', version: '1.0.0' },
        paths: {
          '/hydrants': {
            post: {
              requestBody: { content: { 'application/json': { schema } } },
              responses: { 200: { description: 'Done' } },
            },
          },
        },
        components: {
          schemas: {
            Street: object({ street: text, flow: { type: 'integer' } }, { required: ['street'] }),
            Garden: object({ garden: text }, { required: ['garden'] }),
          },
        },
      })
    const ref = (name: string) => ({ $ref: `#/components/schemas/${name}` })
    const [one, both] = [named(ref('Street')), named({ anyOf: [ref('Garden'), ref('Street')] })]
    expect(compareContracts(one, both).map(({ effect, kind, is }) => [effect, kind, is])).toEqual([
      ['safe', 'added', 'Garden'],
    ])
    expect(compareContracts(both, one).map(({ effect }) => effect)).toContain('breaking')
  })

  it('a schema and itself give nothing', () => {
    fc.assert(
      fc.property(schema, (one) => {
        expect(between(one, structuredClone(one))).toEqual([])
      }),
    )
  })
})

describe('the version number that fits', () => {
  const breaking = between({ type: 'string' }, { type: 'integer' })
  const added = compareContracts(contractOf(`${head}paths: {}\n`), contractOf(operation(ok)))
  it.each([
    ['1.2.3', '2.0.0', breaking, '2.0.0', true],
    ['1.2.3', '1.3.0', breaking, '2.0.0', false],
    ['0.4.1', '0.5.0', breaking, '0.5.0', true],
    ['1.2.3', '1.3.0', added, '1.3.0', true],
    ['1.2.3', '1.2.4', added, '1.3.0', false],
    ['1.2.3', '1.2.3', [], '1.2.3', true],
    ['v2', 'v3', breaking, '3.0.0', true],
  ])('after %s to %s', (before, after, changes, fits, isEnough) => {
    expect(fittingVersion(before, after, changes)).toEqual({ fits, isEnough })
  })

  it('is not known where numbers are none', () => {
    expect(fittingVersion('spring', 'summer', breaking)).toBeUndefined()
  })
})
