import { describe, expect, it } from 'vitest'
import type { SchemaObject } from '../../contract/model'
import { resolveSchema } from '../../contract/schemas'
import { parseTypeExpression } from './expression'
import { readable } from '../../../tests/support/reading'

const read = (text: string, others: Record<string, string> = {}) =>
  readable(text, 'api.raml', others)

describe('RAML 1.0', () => {
  it('merges resource types and traits with parameters and functions, the author’s word first', () => {
    const { contract, documents } = read(
      `#%RAML 1.0
title: Hydrants
traits:
  paged:
    queryParameters:
      limit: { type: integer, default: <<most>>, description: At most. }
resourceTypes:
  collection:
    get:
      description: All <<resourcePathName>>.
      is: [{ paged: { most: 50 } }]
      responses: { 200: { body: { application/json: { type: "<<resourcePathName | !singularize | !uppercamelcase>>[]" } } } }
    post?:
      description: Adds one <<resourcePathName | !singularize>>.
types:
  Hydrant: { properties: { number: string } }
/hydrants:
  type: collection
  get:
    queryParameters: { limit: { description: How many. } }
/valves:
  type: collection
  post:
types2:
`
        .replace('types2:\n', '')
        .replace('Hydrant: {', 'Valve: string\n  Hydrant: {'),
    )
    const [list, valves, add] = contract.operations
    expect(list).toMatchObject({ path: '/hydrants', description: 'All hydrants.' })
    expect(list!.parameters[0]).toMatchObject({
      name: 'limit',
      description: 'How many.',
      schema: { type: 'integer', default: 50 },
    })
    expect(list!.responses[0]!.content[0]!.schema).toEqual({
      type: 'array',
      items: { $ref: '#/components/schemas/Hydrant' },
    })
    expect(valves!.path).toBe('/valves')
    expect(add).toMatchObject({ method: 'post', description: 'Adds one valve.' })
    expect(contract.operations).toHaveLength(3)
    // What comes from a template is found in the template; what the author wrote, where it was written.
    const at = list!.responses[0]!.at
    expect(documents.locate([at]).get(at)!.line).toBe(12)
    expect(documents.locate([list!.at]).get(list!.at)!.line).toBe(20)
  })

  it('asks for the parameters of an optional method only where the method is there', () => {
    const { contract, diagnostics } = read(`#%RAML 1.0
title: Hydrants
resourceTypes:
  base:
    post?: { description: "<<what>> is added." }
    delete?: { description: "<<what>> is taken away." }
  collection: { type: { base: { what: <<thing>> } }, get: }
/hydrants:
  type: collection
/valves:
  type: { collection: { thing: A valve } }
  post:
/taps:
  type: collection
  delete:
`)
    const said = contract.operations.map(({ path, method, description }) => [
      path,
      method,
      description,
    ])
    expect(said).toEqual([
      ['/hydrants', 'get', undefined],
      ['/valves', 'get', undefined],
      ['/valves', 'post', 'A valve is added.'],
      ['/taps', 'get', undefined],
      ['/taps', 'delete', '<<thing>> is taken away.'],
    ])
    expect(diagnostics.map(({ message }) => message)).toEqual([
      expect.stringMatching(/"thing" of what is applied here is not given/),
      expect.stringMatching(/"thing" of what is applied here is not given/),
    ])
  })

  it('says where a JSON schema has something else than a schema, and reads the rest', () => {
    const { contract, diagnostics } = read(`#%RAML 1.0
title: Hydrants
types:
  Hydrant: |
    {
      "type": "object",
      "required": "yes",
      "properties": { "description": "Its words.", "number": { "type": "string", "example": "H-1" } },
      "additionalProperties": "none"
    }
`)
    expect(contract.schemas[0]!.schema).toEqual({
      type: 'object',
      properties: { number: { type: 'string', examples: ['H-1'] } },
    })
    expect(diagnostics.map(({ line, message }) => [line, message])).toEqual([
      [7, 'A list of names belongs here; found the text "yes"'],
      [8, 'A schema belongs here; found the text "Its words."'],
      [9, 'A schema belongs here; found the text "none"'],
    ])
  })

  it('reads types: inheritance, unions, facets, optional and pattern properties, expressions', () => {
    const { contract } = read(`#%RAML 1.0
title: Types
types:
  Base: { type: object, properties: { id: string } }
  More:
    type: Base
    properties:
      note?: { type: string, maxLength: 9 }
      sizes: number[]
      /^x-/: string
      either: string | Base
    additionalProperties: false
  Both: { type: [Base, More] }
  Level: { type: number, minimum: 0, format: double }
/x: { get: }
`)
    const schema = (name: string) => contract.schemas.find((found) => found.name === name)!.schema
    expect(schema('More')).toEqual({
      allOf: [{ $ref: '#/components/schemas/Base' }],
      properties: {
        note: { type: 'string', maxLength: 9 },
        sizes: { type: 'array', items: { type: 'number' } },
        either: { anyOf: [{ type: 'string' }, { $ref: '#/components/schemas/Base' }] },
      },
      patternProperties: { '^x-': { type: 'string' } },
      required: ['sizes', 'either'],
      additionalProperties: false,
    })
    expect(schema('Both')).toEqual({
      allOf: [{ $ref: '#/components/schemas/Base' }, { $ref: '#/components/schemas/More' }],
    })
    expect(schema('Level')).toEqual({ type: 'number', minimum: 0, format: 'double' })
  })

  it('answers for a secured method what its scheme answers, where the method does not say so', () => {
    const { contract, documents } = read(`#%RAML 1.0
title: Hydrants
securitySchemes:
  token:
    type: OAuth 2.0
    describedBy:
      responses:
        401: { description: No token }
        403: { description: Not with this token }
    settings: { authorizationUri: https://a.example, accessTokenUri: https://b.example, authorizationGrants: [authorization_code] }
securedBy: [token]
/hydrants:
  get:
    responses: { 200: { description: All of them }, 403: { description: Only for crews } }
  post:
    securedBy: [null]
    responses: { 201: { description: Added } }
`)
    const [list, add] = contract.operations
    expect(list!.responses.map(({ status, description }) => `${status} ${description}`)).toEqual([
      '200 All of them',
      '403 Only for crews',
      '401 No token',
    ])
    const [place] = documents.locate([list!.responses[2]!.at]).values()
    expect(place).toMatchObject({ line: 8 })
    expect(add!.responses.map(({ status }) => status)).toEqual(['201'])
  })

  it('resolves names of a library where the library was written', () => {
    const { contract, diagnostics } = read(
      `#%RAML 1.0
title: Uses
uses: { lib: lib.raml }
/x: { get: { is: [lib.failing], body: { application/json: { type: lib.Outer } } } }
`,
      {
        'lib.raml': `#%RAML 1.0 Library
types:
  Outer: { properties: { inner: Inner } }
  Inner: integer
traits:
  failing: { responses: { 500: { body: { application/json: { type: Inner } } } } }
`,
      },
    )
    expect(diagnostics).toEqual([])
    expect(contract.schemas.map(({ name, declared }) => [name, declared])).toEqual([
      ['Outer', false],
      ['Inner', false],
    ])
    expect(contract.operations[0]!.responses[0]!.at).toMatch(/^lib\.raml#/)
  })

  it('applies an overlay over what it extends', () => {
    const { contract } = read(
      '#%RAML 1.0 Overlay\nextends: base.raml\ntitle: Said better\n/x: { get: { description: Better. } }\n',
      {
        'base.raml':
          '#%RAML 1.0\ntitle: Base\nversion: "3"\n/x: { get: { description: Plain., responses: { 204: } } }\n',
      },
    )
    expect(contract).toMatchObject({ title: 'Said better', version: '3' })
    expect(contract.operations[0]).toMatchObject({
      description: 'Better.',
      responses: [{ status: '204' }],
    })
  })

  it.each([
    ['title: A\n/x: { get: { is: [none] } }', /No trait is called "none"/, 3],
    ['title: A\n/x: { type: none }', /No resource type is called "none"/, 3],
    [
      'title: A\ntypes:\n  B: { properties: { c: Nowhere } }\n/x: {}',
      /No type is called "Nowhere"/,
      4,
    ],
    ['title: A\ntypes: { B: !include gone.raml }\n/x: {}', /gone.raml is not among the files/, 3],
    ['/x: { get: }', /needs "title"/, 2],
  ])('says what is wrong with %s', (text, message, line) => {
    const { diagnostics } = read(`#%RAML 1.0\n${text}\n`)
    expect(diagnostics).toContainEqual(
      expect.objectContaining({
        severity: 'error',
        message: expect.stringMatching(message) as string,
        line,
      }),
    )
  })

  it('does not follow an include that includes itself', () => {
    const { diagnostics } = read('#%RAML 1.0\ntitle: A\ntypes: !include a.raml\n/x: {}\n', {
      'a.raml': 'B: !include a.raml\n',
    })
    expect(diagnostics[0]!.message).toMatch(/includes itself/)
  })
})

describe('RAML 0.8', () => {
  it('reads JSON schemas by name, form parameters and named parameters', () => {
    const { contract, diagnostics } = read(`#%RAML 0.8
title: Tankers
schemas:
  - tanker: '{ "type": "object", "properties": { "at": { "$ref": "#/definitions/place" } }, "definitions": { "place": { "type": "object" } } }'
/tankers/{id}:
  post:
    queryParameters: { dry: { type: boolean }, tag: { repeat: true } }
    body:
      application/x-www-form-urlencoded: { formParameters: { litres: { type: integer, required: true } } }
    responses: { 200: { body: { application/json: { schema: tanker } } } }
`)
    expect(diagnostics).toEqual([])
    const [operation] = contract.operations
    expect(
      operation!.parameters.map(({ name, in: place, required }) => [name, place, required]),
    ).toEqual([
      ['id', 'path', true],
      ['dry', 'query', false],
      ['tag', 'query', false],
    ])
    expect(operation!.body!.content[0]!.schema).toEqual({
      type: 'object',
      properties: { litres: { type: 'integer' } },
      required: ['litres'],
    })
    expect(contract.schemas.map(({ name, declared, at }) => [name, declared, at])).toEqual([
      ['tanker', true, '/schemas/0/tanker'],
      ['place', false, '/schemas/0/tanker/definitions/place'],
    ])
    expect(operation!.responses[0]!.content[0]!.schema).toEqual({
      $ref: '#/components/schemas/tanker',
    })
  })
})

const pumpSchema = (element: string, property: string, type = 'xs:string') =>
  [
    '<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema">',
    `  <xs:element name="${element}"><xs:complexType><xs:sequence>`,
    `    <xs:element name="${property}" type="${type}"/>`,
    '  </xs:sequence></xs:complexType></xs:element>',
    '</xs:schema>',
    '',
  ].join('\n')
const indented = (text: string, by: number) => text.replace(/^(?=.)/gm, ' '.repeat(by))

describe('an XML schema', () => {
  const text = `#%RAML 0.8
title: Pumps
version: "1"
schemas:
  - pump: |
${indented(pumpSchema('pump', 'label'), 6)}  - station: !include station.xsd
/pumps:
  get:
    responses:
      200:
        body:
          application/xml: { schema: pump }
          text/xml:
            schema: |
${indented(pumpSchema('valve', 'width'), 14)}          application/station+xml: { schema: station }
`
  const others = { 'station.xsd': pumpSchema('station', 'street') }
  const placeOfProperty = (name: string, property: string) => {
    const { contract, documents } = read(text, others)
    const whole = contract.schemas
      .map(({ name: own, schema }) => ({ own, schema: resolveSchema(contract, schema) }))
      .find(({ own }) => own === name)!.schema as { properties: Record<string, SchemaObject> }
    const at = contract.origins!.get(whole.properties[property]!)!
    return documents.locate([at]).get(at)
  }
  const lineOf = (part: string, of = text) => of.slice(0, of.indexOf(part)).split('\n').length

  it('has its places inside of the text, by name and where it is used', () => {
    expect(placeOfProperty('pump', 'label')).toMatchObject({
      file: 'api.raml',
      line: lineOf('name="label"'),
    })
    expect(placeOfProperty('valve', 'width')).toMatchObject({
      file: 'api.raml',
      line: lineOf('name="width"'),
    })
    expect(placeOfProperty('station', 'street')).toEqual({
      file: 'station.xsd',
      line: 3,
      column: 5,
    })
  })

  it('of the same name as its element is not lost in a circle', () => {
    const { contract } = read(text, others)
    const pump = contract.schemas.find(({ name }) => name === 'pump')!
    expect(pump.declared).toBe(true)
    expect(resolveSchema(contract, pump.schema)).toMatchObject({ properties: { label: {} } })
  })

  it('says what is wrong with it where that is', () => {
    const broken = `#%RAML 1.0
title: Pumps
types:
  Pump:
    description: A pump.
    type: |
${indented(pumpSchema('pump', 'label', 'Nowhere'), 6)}`
    expect(read(broken).diagnostics).toEqual([
      {
        severity: 'error',
        message: 'The schema has no type "Nowhere"',
        file: 'api.raml',
        line: 9,
        column: 11,
      },
    ])
  })
})

describe('type expressions', () => {
  it.each([
    ['A', { kind: 'name', name: 'A' }],
    ['A[]', { kind: 'list', of: { kind: 'name', name: 'A' } }],
    [
      '(A | B)[]',
      {
        kind: 'list',
        of: {
          kind: 'union',
          of: [
            { kind: 'name', name: 'A' },
            { kind: 'name', name: 'B' },
          ],
        },
      },
    ],
    ['lib.A?', { kind: 'optional', of: { kind: 'name', name: 'lib.A' } }],
  ])('%s', (text, expected) => expect(parseTypeExpression(text)).toEqual(expected))

  it.each(['', '|', '(A', 'A B', 'A |', '[]'])('refuses %j', (text) =>
    expect(parseTypeExpression(text)).toBeUndefined(),
  )
})
