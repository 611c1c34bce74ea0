import { describe, expect, it } from 'vitest'
import { readDefinition } from '../read'
import { readable } from '../../../tests/support/reading'

const read = (text: string) => readDefinition({ file: 'a.yaml', text })
const problemsOf = (text: string) =>
  read(text).diagnostics.map(({ message, line, column, severity }) => ({
    message,
    at: `${line}:${column}`,
    severity,
  }))
const contractOf = (text: string) => readable(text).contract

const head = 'openapi: 3.1.0\ninfo: { title: Hydrants, version: "1.0.0" }\n'

describe('an OpenAPI document', () => {
  it('gives its operations with parameters of the path overridden by their own', () => {
    const contract = contractOf(`${head}security: [{ key: [] }]
paths:
  /hydrants/{id}:
    parameters:
      - { name: id, in: path, required: true, schema: { type: string } }
      - { name: limit, in: query, schema: { type: integer } }
    get:
      operationId: getHydrant
      parameters: [{ name: limit, in: query, description: own, schema: { type: integer } }]
      responses: { '200': { description: ok } }
    delete:
      security: []
      responses: { '204': { description: gone } }
`)
    const [get, remove] = contract.operations
    expect(get).toMatchObject({
      method: 'get',
      id: 'getHydrant',
      at: '/paths/~1hydrants~1{id}/get',
      security: [{ key: [] }],
    })
    expect(get!.parameters.map(({ name, description }) => [name, description])).toEqual([
      ['id', undefined],
      ['limit', 'own'],
    ])
    expect(remove!.security).toEqual([])
  })

  it('follows references to where a part is written', () => {
    const contract = contractOf(`${head}paths:
  /a:
    get:
      parameters: [{ $ref: '#/components/parameters/Limit' }]
      responses: { '404': { $ref: '#/components/responses/Missing' } }
components:
  parameters: { Limit: { name: limit, in: query, schema: { type: integer } } }
  responses: { Missing: { description: Not there } }
`)
    expect(contract.operations[0]!.parameters[0]!.at).toBe('/components/parameters/Limit')
    expect(contract.operations[0]!.responses[0]).toMatchObject({
      at: '/components/responses/Missing',
      description: 'Not there',
    })
  })

  it('keeps circular schemas as references', () => {
    const contract = contractOf(`${head}paths: {}
components:
  schemas:
    Pipe: { type: object, properties: { next: { $ref: '#/components/schemas/Pipe' } } }
`)
    expect(contract.schemas[0]!.schema).toMatchObject({
      properties: { next: { $ref: '#/components/schemas/Pipe' } },
    })
  })

  it('does not take a property called $ref or an example for a reference', () => {
    expect(
      read(`${head}paths: {}
components:
  schemas:
    A: { type: object, properties: { $ref: { type: string } }, example: { $ref: '#/nowhere' } }
`).readable,
    ).toBe(true)
  })
})

describe('what is not a readable definition', () => {
  it.each([
    ['just text', '1:1', /This is not a definition/],
    ['title: x', '1:1', /does not begin with "openapi"/],
    ['swagger: "1.2"', '1:1', /Swagger "1.2" is not read/],
    ['openapi: 4.0.0', '1:1', /OpenAPI "4.0.0" is not read/],
    ['openapi: 3.1.0', '1:1', /needs "info"/],
    ['openapi: 3.0.3\ninfo: { title: a, version: "1" }', '1:1', /needs "paths"/],
  ])('%s', (text, at, message) => {
    expect(problemsOf(text)).toContainEqual({
      at,
      severity: 'error',
      message: expect.stringMatching(message) as string,
    })
  })

  it('names references that lead nowhere, out of the file, or in a circle, each at its place', () => {
    expect(
      problemsOf(`${head}paths:
  /a:
    get:
      responses:
        '200': { $ref: '#/components/responses/None' }
        '400': { $ref: 'errors.yaml#/x' }
        '500': { $ref: '#/components/responses/Round' }
components:
  responses:
    Round: { $ref: '#/components/responses/Trip' }
    Trip: { $ref: '#/components/responses/Round' }
`).map(({ message, at }) => `${at} ${message}`),
    ).toEqual(
      expect.arrayContaining([
        expect.stringMatching(/^7:18 .*None" leads nowhere/),
        expect.stringMatching(/^8:18 .*leads to errors.yaml, which is not among the files/),
        expect.stringMatching(/^9:18 .*goes in a circle/),
      ]),
    )
  })

  it('names shapes that are wrong where they stand', () => {
    const messages = problemsOf(`${head}paths:
  hydrants:
    get:
      tags: all
      parameters: [{ name: q, in: body }]
      responses: { ok: { description: x } }
  /a/{x}: { get: { responses: {} } }
  /a/{y}: { get: { responses: {} } }
`).map(({ message, at }) => `${at} ${message}`)
    expect(messages).toEqual(
      expect.arrayContaining([
        expect.stringMatching(/^4:3 .*does not begin with a slash/),
        expect.stringMatching(/^6:7 A list belongs here/),
        expect.stringMatching(/^7:31 "in" is .*, not "body"/),
        expect.stringMatching(/^8:20 "ok" is not a status code/),
        expect.stringMatching(/^10:3 .*answer the same addresses/),
        expect.stringMatching(/^9:13 .*does not describe its path parameter "x"/),
      ]),
    )
  })

  it('takes a version written as a number, with a warning', () => {
    expect(problemsOf('openapi: 3.1.0\ninfo: { title: a, version: 1.0 }\npaths: {}')).toMatchObject(
      [{ severity: 'warning', at: '2:19' }],
    )
  })

  it('follows an example whose value is only a reference to another one, with a warning', () => {
    const { contract, diagnostics } = readable(`openapi: 3.1.0
info: { title: a, version: '1.0.0' }
paths:
  /valves:
    get:
      responses:
        200:
          description: All
          content:
            application/json:
              examples:
                open: { value: { $ref: '#/components/examples/Open' } }
                whole: { $ref: '#/components/examples/Open' }
                data: { value: { $ref: '#/components/schemas/Valve' } }
components:
  examples: { Open: { value: { turns: 3 } } }
  schemas: { Valve: { type: object } }
`)
    const { examples } = contract.operations[0]!.responses[0]!.content[0]!
    expect(examples.map(({ value }) => value)).toEqual([
      { turns: 3 },
      { turns: 3 },
      { $ref: '#/components/schemas/Valve' },
    ])
    expect(diagnostics).toMatchObject([
      {
        severity: 'warning',
        line: 12,
        message: expect.stringMatching(/in place of the example/) as string,
      },
    ])
  })
})
