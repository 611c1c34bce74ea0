import { readdirSync, readFileSync, statSync } from 'node:fs'
import { dirname, join, relative } from 'node:path'
import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { firstDifference } from '../contract/equal'
import type { Contract, Operation, Schema } from '../contract/model'
import { schemaReference } from '../contract/schemas'
import { bundle, conversionTargets, convert, type Conversion } from './convert'
import { looksLikeDefinition } from './detect'
import { readDefinition } from './read'
import { breaksOf, publishedTargets } from '../../tests/support/published'
import { contractOf, readable } from '../../tests/support/reading'
import yaml from 'js-yaml'

const again = (conversion: Conversion): Contract => {
  const reading = readable(conversion.text, `a.${conversion.ending}`)
  expect(reading.diagnostics.filter(({ severity }) => severity === 'error')).toEqual([])
  return reading.contract
}

const word = fc.stringMatching(/^[a-z][a-zA-Z0-9]{0,9}$/)
const text = fc.option(fc.stringMatching(/^[A-Za-z][A-Za-z ,.']{0,28}[a-z]$/), { nil: undefined })
const names = ['Pipe', 'Valve', 'Reading']

const scalar = fc.oneof(
  fc.record({ type: fc.constant('string'), maxLength: fc.integer({ min: 1, max: 90 }) }),
  fc.record({ type: fc.constant('integer'), minimum: fc.integer({ min: -9, max: 9 }) }),
  fc.constant({ type: 'string', format: 'date-time' }),
  fc.constant({ type: 'boolean' }),
  fc.record({
    type: fc.constant('string'),
    enum: fc.uniqueArray(word, { minLength: 1, maxLength: 4 }),
  }),
  fc.constantFrom(...names.map((name) => ({ $ref: schemaReference(name) }))),
)
const awkward = fc.oneof(
  fc.constant({ type: ['string', 'null'] }),
  fc.constant({ const: 4 }),
  fc.record({ type: fc.constant('number'), exclusiveMinimum: fc.integer({ min: 0, max: 5 }) }),
  fc.constant({ oneOf: [{ type: 'string' }, { $ref: schemaReference('Pipe') }] }),
  fc.constant({ type: ['integer', 'string'] }),
  fc.constant({ type: 'object', patternProperties: { '^x': { type: 'string' } } }),
  fc.constant({ allOf: [{ $ref: schemaReference('Valve') }], description: 'With more' }),
)

function schemaWith(leaf: fc.Arbitrary<object>): fc.Arbitrary<Schema> {
  const tree = fc.letrec<{ node: object }>((tie) => ({
    node: fc.oneof(
      { maxDepth: 3, withCrossShrink: true },
      leaf,
      fc.record({ type: fc.constant('array'), items: tie('node') }),
      fc
        .tuple(
          fc.dictionary(word, tie('node'), { minKeys: 1, maxKeys: 3, noNullPrototype: true }),
          fc.boolean(),
        )
        .map(([properties, all]) => ({
          type: 'object',
          properties,
          ...(all ? { required: Object.keys(properties) } : {}),
        })),
    ),
  }))
  return tree.node as fc.Arbitrary<Schema>
}

const clean = <T extends object>(value: T): T =>
  Object.fromEntries(Object.entries(value).filter(([, item]) => item !== undefined)) as T

function operations(schema: fc.Arbitrary<Schema>): fc.Arbitrary<Operation[]> {
  const parameter = fc
    .record({ name: word, required: fc.boolean(), description: text, schema })
    .map((fields) => clean({ at: '', in: 'query', deprecated: false, examples: [], ...fields }))
  const media = schema.map((found) => ({
    at: '',
    type: 'application/json',
    schema: found,
    examples: [],
    encoding: [],
  }))
  const response = fc
    .record({
      description: fc.constantFrom('Done', 'As it is now'),
      content: fc.array(media, { maxLength: 1 }),
    })
    .map((fields) => ({ at: '', status: '200', headers: [], links: [], ...fields }))
  return fc.uniqueArray(
    fc
      .record({
        method: fc.constantFrom('get', 'post', 'put', 'delete'),
        segment: word,
        summary: text,
        description: text,
        deprecated: fc.boolean(),
        parameters: fc.uniqueArray(parameter, { maxLength: 3, selector: ({ name }) => name }),
        response,
        body: fc.option(media, { nil: undefined }),
      })
      .map(({ segment, response: only, body, ...fields }) =>
        clean({
          at: '',
          path: `/${segment}`,
          tags: [],
          callbacks: [],
          security: [],
          responses: [only],
          body: body && { at: '', required: true, content: [body] },
          ...fields,
        }),
      ),
    { maxLength: 4, selector: ({ method, path }) => `${method} ${path}` },
  )
}

function contracts(leaf: fc.Arbitrary<object>): fc.Arbitrary<Contract> {
  const schema = schemaWith(leaf)
  return fc
    .record({ operations: operations(schema), pipe: schema, valve: schema, reading: schema })
    .map(({ operations: list, pipe, valve, reading }) => ({
      format: { name: 'OpenAPI', version: '3.1.0' },
      title: 'Generated',
      version: '1.0.0',
      servers: [{ at: '', url: 'https://api.brackenmere.example/v1', variables: [] }],
      tags: [],
      paths: [],
      operations: list,
      webhooks: [],
      schemas: [pipe, valve, reading].map((found, i) => ({
        at: '',
        name: names[i]!,
        // A name that is nothing but another name may go in a circle.
        schema:
          typeof found === 'object' && '$ref' in found ? { type: 'array', items: found } : found,
        declared: true,
      })),
      securitySchemes: [],
    }))
}

describe('a contract written and read again', () => {
  it.each(conversionTargets)('as %s says the same, apart from what is listed', (target) => {
    fc.assert(
      fc.property(contracts(fc.oneof(scalar, awkward)), (contract) => {
        const conversion = convert(contract, target)
        expect(firstDifference(contract, again(conversion), conversion.losses)).toBeUndefined()
      }),
      { numRuns: 60 },
    )
  })

  it.each(['openapi-3.1', 'openapi-3.2', 'openapi-3.0'] as const)(
    'as %s loses nothing that every version can say',
    (target) => {
      fc.assert(
        fc.property(contracts(scalar), (contract) => {
          const conversion = convert(contract, target, 'bundle', 'json')
          expect(conversion.losses).toEqual([])
          expect(firstDifference(contract, again(conversion))).toBeUndefined()
        }),
        { numRuns: 60 },
      )
    },
  )
})

const folder = 'demo/definitions'
const files = readdirSync(folder, { recursive: true, encoding: 'utf8' }).filter((name) => {
  const path = join(folder, name)
  return (
    statSync(path).isFile() &&
    !name.endsWith('.xsd') &&
    looksLikeDefinition(readFileSync(path, 'utf8'))
  )
})

function readDemo(name: string) {
  const path = join(folder, name)
  const root = dirname(path)
  const beside = (file: string) => {
    const found = join(root, file)
    return statSync(found, { throwIfNoEntry: false }) ? readFileSync(found, 'utf8') : undefined
  }
  const reading = readDefinition(
    { file: relative(root, path), text: readFileSync(path, 'utf8') },
    beside,
  )
  if (!reading.readable) throw new Error(JSON.stringify(reading.diagnostics))
  return reading
}

describe('the demo definitions', () => {
  it.each(files)('%s is read without a problem', (name) => {
    const { diagnostics, contract } = readDemo(name)
    expect(diagnostics).toEqual([])
    expect(contract.operations.length).toBeGreaterThan(5)
  })

  it.each(files)(
    '%s says the same in every format, apart from what is listed with its place',
    (name) => {
      const { contract, documents } = readDemo(name)
      for (const target of conversionTargets) {
        const conversion = convert(contract, target)
        expect(
          firstDifference(contract, again(conversion), conversion.losses),
          target,
        ).toBeUndefined()
        for (const { at, message } of conversion.losses) {
          expect(message).not.toBe('')
          expect(documents.locate([at]).get(at)!.line).toBeGreaterThan(0)
        }
      }
    },
  )

  it.each(files)('%s says the same as one document', (name) => {
    const { contract, documents } = readDemo(name)
    const conversion = bundle(contract, documents)
    expect(firstDifference(contract, again(conversion), conversion.losses)).toBeUndefined()
  })

  it.each(files)(
    '%s has no reference left when it is dereferenced, but to what reaches itself',
    (name) => {
      const { contract } = readDemo(name)
      const { schemas } = again(convert(contract, 'openapi-3.1', 'dereference'))
      const kept = new Set(schemas.map((schema) => schemaReference(schema.name)))
      const written = convert(contract, 'openapi-3.1', 'dereference', 'json').text
      for (const [, reference] of written.matchAll(/"\$ref": "(#\/components\/schemas\/[^"]+)"/g)) {
        expect(kept).toContain(reference)
      }
    },
  )
})

/** What real definitions have been seen to say, each of which some writer or reader once got wrong. */
const unusual: Record<string, object> = {
  'names that RAML reads as something else': {
    paths: {
      '/files': {
        get: { responses: { 200: { description: 'Files', content: json('harbour.File') } } },
      },
    },
    components: {
      schemas: {
        'harbour.File': { type: 'object', properties: { body: ref('string'), of: ref('file') } },
        harbour_File: { type: 'string' },
        string: { type: 'string', maxLength: 9 },
        file: { type: 'object', properties: { name: { type: 'string' } } },
      },
    },
  },
  'parameters for the whole query': {
    openapi: '3.2.0',
    paths: {
      '/tides': {
        get: {
          parameters: [wholeQuery('query', 'application/x-www-form-urlencoded', {})],
          responses: {},
        },
        post: {
          parameters: [
            wholeQuery('asked', 'application/json', {
              description: 'What is asked',
              required: true,
            }),
          ],
          responses: {},
        },
      },
    },
  },
  'credentials that callbacks do not ask for': {
    paths: {
      '/tides': {
        post: {
          security: [{ key: [] }],
          responses: { 202: { description: 'Taken' } },
          callbacks: {
            done: {
              '{$request.query.url}': { post: { responses: { 204: { description: 'Heard' } } } },
            },
          },
        },
      },
    },
    components: {
      securitySchemes: {
        key: { type: 'apiKey', in: 'header', name: 'X-Key' },
        bearer: { type: 'http', scheme: 'bearer' },
        another: { type: 'mutualTLS' },
      },
    },
  },
  'parameters that may be null, and examples that are': {
    paths: {
      '/tides/{at}.{at}/{mediaTypeExtension}': {
        get: {
          parameters: [
            ...['at', 'mediaTypeExtension'].map((name) => ({
              name,
              in: 'path',
              required: true,
              schema: { type: 'string' },
            })),
            {
              name: 'kind',
              in: 'query',
              schema: { type: ['array', 'null'], items: { type: 'string' } },
            },
            { name: 'cursor', in: 'query', schema: { type: 'string' }, example: null },
          ],
          responses: { 200: { description: 'Tides' } },
        },
      },
    },
  },
  'addresses that RAML takes for its own': {
    servers: [{ url: 'https://tides.brackenmere.example/{version}', variables: version('5.0') }],
    paths: {},
  },
  'addresses that only their defaults tell apart': {
    servers: [
      { url: 'https://{host}/tides', variables: { host: { default: 'a.brackenmere.example' } } },
      { url: 'http://{host}/tides', variables: { host: { default: 'b.brackenmere.example' } } },
    ],
    paths: {},
  },
  'bodies without a media type, and examples twice': {
    paths: {
      '/tides': {
        post: {
          requestBody: { content: { tide: { schema: { type: 'string' } } } },
          responses: {
            200: {
              description: 'Tides',
              content: {
                'application/json': {
                  schema: { type: 'object', examples: [{ a: 1 }] },
                  examples: { 'The first': { value: { a: 2 } } },
                },
              },
            },
          },
        },
      },
    },
  },
  'schemas put together in every way': {
    paths: {},
    components: {
      schemas: {
        Boat: { type: 'object', properties: { name: { type: 'string' } } },
        Quay: { type: 'object' },
        Ferry: { allOf: [ref('Boat'), { type: 'object' }], properties: { line: {} } },
        Choice: { anyOf: [{ anyOf: [ref('Boat'), ref('Quay')] }, { type: 'string' }] },
        Told: { anyOf: [ref('Boat'), ref('Quay')], discriminator: { propertyName: 'kind' } },
        Only: { type: 'array', items: { anyOf: [ref('Boat')] } },
        Said: { allOf: [ref('Boat')], format: 'markdown' },
        Loose: { type: ['array', 'null'] },
        Shown: { type: 'string', examples: { first: 'a' } },
        Nullable: { type: 'string', nullable: true },
      },
    },
  },
}

function ref(name: string) {
  return { $ref: schemaReference(name) }
}
function json(name: string) {
  return { 'application/json': { schema: ref(name) } }
}
function wholeQuery(name: string, type: string, more: object) {
  const schema = { type: 'object', properties: { of: { type: 'string' } } }
  return { name, in: 'querystring', content: { [type]: { schema } }, ...more }
}
function version(value: string) {
  return { version: { default: value } }
}

describe('a definition with', () => {
  it.each(
    Object.keys(unusual).flatMap((what) =>
      conversionTargets.map((target) => [what, target] as const),
    ),
  )('%s says the same as %s, apart from what is listed', (what, target) => {
    const contract = contractOf({
      openapi: '3.1.0',
      info: { title: 'Tides', version: '1.0.0' },
      ...unusual[what],
    })
    const conversion = convert(contract, target)
    expect(firstDifference(contract, again(conversion), conversion.losses)).toBeUndefined()
  })

  it('schemas that a discriminator names keeps them when it is dereferenced', () => {
    const contract = contractOf({
      openapi: '3.1.0',
      info: { title: 'Boats', version: '1.0.0' },
      paths: {
        '/boats': { get: { responses: { 200: { description: 'Boats', content: json('Boat') } } } },
      },
      components: {
        schemas: {
          Boat: {
            oneOf: [ref('Ferry')],
            discriminator: {
              propertyName: 'kind',
              mapping: { ferry: schemaReference('Ferry') },
            },
          },
          Ferry: { type: 'object', properties: { kind: { type: 'string' } } },
          Quay: { type: 'string' },
        },
      },
    })
    const { schemas, operations } = again(convert(contract, 'openapi-3.1', 'dereference'))
    expect(schemas.map(({ name }) => name)).toEqual(['Ferry'])
    expect(operations[0]!.responses[0]!.content[0]!.schema).toMatchObject({
      oneOf: [{ type: 'object' }],
    })
  })
})

describe('what no specification knows', () => {
  const odd = (): Contract => {
    const contract = contractOf({
      openapi: '3.1.0',
      info: {
        title: 'Hydrants',
        version: '1.0.0',
        contact: { name: 'Field desk', url: 'https://a.example' },
        license: { name: 'Ours', url: 'https://a.example' },
      },
      tags: [{ name: 'a', externalDocs: { url: 'https://a.example' } }],
      paths: Object.fromEntries(
        ['/a', '/b'].map((path) => [
          path,
          {
            get: {
              operationId: path === '/a' ? 'read' : 'list',
              externalDocs: { url: 'https://a.example' },
              responses: {
                200: {
                  description: 'x',
                  content: {
                    'application/xml': { schema: { type: 'string', xml: { name: 'a' } } },
                  },
                },
              },
            },
          },
        ]),
      ),
    })
    // As texts say it that readers take although it is none of it.
    contract.version = ''
    contract.contact!.url = 'ask at the desk'
    contract.license!.url = '<none>'
    contract.tags[0]!.externalDocs!.url = 'see the wall'
    const [one, other] = contract.operations as [Operation, Operation]
    other.id = one.id!
    one.externalDocs!.url = 'no address'
    const { schema } = one.responses[0]!.content[0]!
    Object.assign(schema as object, { xml: { name: 'a', example: '<a/>' } })
    return contract
  }

  it.each(publishedTargets)('is left out of %s, which is valid then, and said', async (target) => {
    const contract = odd()
    const conversion = convert(contract, target)
    const document = yaml.load(conversion.text)
    expect(await breaksOf(document, target)).toEqual([])
    expect(conversion.text).not.toMatch(/ask at the desk|<none>|see the wall|no address|<a\/>/)
    expect(conversion.text.match(/operationId: read/g)).toHaveLength(1)
    expect(conversion.text).toMatch(/version: '?1'?\n/)
    expect(conversion.losses.length).toBeGreaterThanOrEqual(7)
    expect(firstDifference(contract, again(conversion), conversion.losses)).toBeUndefined()
  })
})
