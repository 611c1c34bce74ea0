import { describe, expect, it } from 'vitest'
import { readable } from '../../../tests/support/reading'

const read = (text: string, others: Record<string, string> = {}, file = 'api.yaml') =>
  readable(text, file, others)
const head = (version: string) =>
  `openapi: ${version}\ninfo: { title: Hydrants, version: "1.0.0" }\n`

describe('references over files', () => {
  const text = `${head('3.1.0')}paths:
  /hydrants: { $ref: 'paths/hydrants.yaml' }
components:
  schemas:
    Hydrant: { $ref: 'schemas/hydrant.yaml' }
`
  const others = {
    'paths/hydrants.yaml': `get:
  parameters: [{ $ref: '../parameters.yaml#/limit' }]
  responses:
    '200': { description: ok, content: { application/json: { schema: { $ref: '../api.yaml#/components/schemas/Hydrant' } } } }
`,
    'parameters.yaml':
      'limit:\n  name: limit\n  in: query\n  schema: { $ref: "schemas/limit.yaml" }\n',
    'schemas/limit.yaml': 'type: integer\nmaximum: 200\n',
    'schemas/hydrant.yaml':
      'type: object\nproperties:\n  outlets: { type: array, items: { $ref: "outlet.yaml" } }\n  near: { $ref: "hydrant.yaml" }\n',
    'schemas/outlet.yaml': 'type: [string, 7]\n',
  }

  it('are followed, and every schema they lead to has one name', () => {
    const { contract, documents, diagnostics } = read(text, others)
    const [operation] = contract.operations
    expect(operation!.at).toBe('paths/hydrants.yaml#/get')
    expect(operation!.parameters[0]).toMatchObject({
      name: 'limit',
      at: 'parameters.yaml#/limit',
      schema: { $ref: '#/components/schemas/limit' },
    })
    expect(operation!.responses[0]!.content[0]!.schema).toEqual({
      $ref: '#/components/schemas/Hydrant',
    })
    expect(contract.schemas.map(({ name, declared, at }) => [name, declared, at])).toEqual(
      [
        ['Hydrant', true, '/components/schemas/Hydrant'],
        ['hydrant', false, 'schemas/hydrant.yaml#'],
        ['limit', false, 'schemas/limit.yaml#'],
        ['outlet', false, 'schemas/outlet.yaml#'],
      ].sort(
        (a, b) =>
          contract.schemas.findIndex(({ name }) => name === a[0]) -
          contract.schemas.findIndex(({ name }) => name === b[0]),
      ),
    )
    expect(diagnostics).toMatchObject([
      {
        file: 'schemas/outlet.yaml',
        line: 1,
        column: 1,
        message: expect.stringMatching(/no type/) as string,
      },
    ])
    expect(documents.files.map(({ file }) => file)).toHaveLength(6)
  })

  it('that lead to a file which is not there, or to another host, say so', () => {
    const { diagnostics, documents } = read(`${head('3.1.0')}paths: {}
components:
  schemas:
    A: { $ref: 'gone.yaml' }
    B: { $ref: 'https://other.example/b.yaml#/B' }
`)
    expect(diagnostics).toMatchObject([
      {
        severity: 'error',
        line: 6,
        message: expect.stringMatching(/gone.yaml, which is not among the files/) as string,
      },
      {
        severity: 'warning',
        line: 7,
        message: expect.stringMatching(/leads to another host/) as string,
      },
    ])
    expect([...documents.missing].sort()).toEqual(['gone.yaml', 'https://other.example/b.yaml'])
  })

  it('show the syntax errors of the other file at their place', () => {
    const { diagnostics } = read(
      `${head('3.1.0')}paths: {}\ncomponents: { schemas: { A: { $ref: b.yaml } } }\n`,
      { 'b.yaml': 'type: [\n' },
    )
    expect(diagnostics).toEqual(
      expect.arrayContaining([expect.objectContaining({ file: 'b.yaml', severity: 'error' })]),
    )
  })
})

describe('older schemas', () => {
  it('of OpenAPI 3.0 come out as JSON Schema 2020-12', () => {
    const { contract } = read(`${head('3.0.3')}paths: {}
components:
  schemas:
    A: { type: string, nullable: true, example: x }
    B: { type: number, minimum: 0, exclusiveMinimum: true }
    C: { $ref: '#/components/schemas/A', description: ignored }
`)
    expect(contract.schemas.map(({ schema }) => schema)).toEqual([
      { type: ['string', 'null'], examples: ['x'] },
      { type: 'number', exclusiveMinimum: 0 },
      { $ref: '#/components/schemas/A' },
    ])
  })

  it('of a YAML alias are turned over once', () => {
    const { contract, diagnostics } = read(`${head('3.0.3')}paths: {}
components:
  schemas:
    A: &a { type: string, nullable: true }
    B: *a
    C: { type: object, properties: { d: *a, e: { $ref: '#/components/schemas/B' } } }
`)
    expect(diagnostics).toEqual([])
    expect(contract.schemas[1]!.schema).toEqual({ type: ['string', 'null'] })
  })

  it('of Swagger 2.0 stand in bodies, forms, headers and parameters', () => {
    const { contract, diagnostics } = read(`swagger: "2.0"
info: { title: A, version: "1" }
host: api.brackenmere.example
basePath: /v1
schemes: [https, http]
consumes: [application/json, application/xml]
produces: [application/json]
paths:
  /a/{id}:
    parameters: [{ name: id, in: path, required: true, type: integer, format: int64 }]
    post:
      parameters:
        - { name: many, in: query, type: array, items: { type: string }, collectionFormat: multi }
        - { name: thing, in: body, required: true, schema: { $ref: '#/definitions/Thing' } }
      responses:
        "200": { description: ok, schema: { type: file }, headers: { X-Left: { type: integer } }, examples: { application/json: 4 } }
    put:
      parameters: [{ name: f, in: formData, type: file, required: true }]
      responses: { "204": { description: ok } }
definitions: { Thing: { type: object, discriminator: kind, properties: { kind: { type: string } } } }
securityDefinitions: { o: { type: oauth2, flow: accessCode, authorizationUrl: https://a.example, tokenUrl: https://t.example, scopes: { r: Read } } }
`)
    expect(diagnostics).toEqual([])
    const [put, post] = contract.operations
    expect(contract.servers.map(({ url }) => url)).toEqual([
      'https://api.brackenmere.example/v1',
      'http://api.brackenmere.example/v1',
    ])
    expect(post!.parameters).toMatchObject([
      { name: 'id', schema: { type: 'integer', format: 'int64' } },
      { name: 'many', style: 'form', explode: true },
    ])
    expect(post!.body!.content.map(({ type, schema }) => [type, schema])).toEqual([
      ['application/json', { $ref: '#/components/schemas/Thing' }],
      ['application/xml', { $ref: '#/components/schemas/Thing' }],
    ])
    expect(post!.responses[0]).toMatchObject({
      headers: [{ name: 'X-Left' }],
      content: [{ schema: { type: 'string', format: 'binary' }, examples: [{ value: 4 }] }],
    })
    expect(put!.body!.content).toMatchObject([
      {
        type: 'multipart/form-data',
        schema: { required: ['f'], properties: { f: { type: 'string', format: 'binary' } } },
      },
    ])
    expect(contract.schemas[0]!.schema).toMatchObject({ discriminator: { propertyName: 'kind' } })
    expect(contract.securitySchemes[0]).toMatchObject({
      type: 'oauth2',
      flows: [{ kind: 'authorizationCode', scopes: { r: 'Read' } }],
    })
  })
})

describe('OpenAPI 3.2', () => {
  it('has more methods, streams, tags below tags and the whole query as a parameter', () => {
    const { contract, diagnostics } =
      read(`${head('3.2.0')}tags: [{ name: A, kind: nav }, { name: B, parent: A, summary: Bees }]
paths:
  /a:
    query:
      parameters: [{ name: q, in: querystring, content: { application/x-www-form-urlencoded: { schema: { type: object } } } }]
      responses: { '200': { summary: Rows, content: { application/jsonl: { itemSchema: { type: object } } } } }
    additionalOperations:
      COPY: { responses: { '204': { description: copied } } }
`)
    expect(diagnostics).toEqual([])
    expect(contract.operations.map(({ method }) => method)).toEqual(['query', 'COPY'])
    expect(contract.operations[0]!.responses[0]).toMatchObject({
      summary: 'Rows',
      content: [{ itemSchema: { type: 'object' } }],
    })
    expect(contract.tags[1]).toMatchObject({ parent: 'A', summary: 'Bees' })
  })

  it('is needed for what is new in it', () => {
    const { diagnostics } = read(
      `${head('3.1.0')}paths: { /a: { query: { responses: { '204': { description: x } } } } }\n`,
    )
    expect(diagnostics).toMatchObject([
      {
        severity: 'warning',
        message: expect.stringMatching(/has no field "query" in OpenAPI 3.1/) as string,
      },
    ])
  })
})
