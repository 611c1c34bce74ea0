import { describe, expect, it } from 'vitest'
import { readText, type Syntax } from '../text/read'
import { complete } from './index'

/** What is suggested at the bar in a text; the names come from the text as it was before. */
function labels(marked: string, syntax: Syntax = 'yaml', before?: string): string[] {
  const offset = marked.indexOf('¦')
  const text = marked.replace('¦', '')
  const found = complete(text, offset, syntax, readText({ file: 'a', text: before ?? text }))
  return found?.suggestions.map(({ label }) => label) ?? []
}

const api = `openapi: 3.1.0
info: { title: Valves, version: 1.0.0 }
tags:
  - name: Valves
paths:
  /valves:
    get:
      operationId: listValves
      responses:
        '200':
          description: A page
          content:
            application/json:
              schema:
                type: array
                items:
                  $ref: '#/components/schemas/Valve'
components:
  schemas:
    Valve:
      type: object
      properties:
        valveId: { type: string }
    Error:
      type: object
  responses:
    Bad:
      description: Not understood
  securitySchemes:
    apiKey: { type: apiKey, in: header, name: X-Api-Key }
`

describe('complete in YAML of flow style', () => {
  const at = (from: string, to: string) => labels(api.replace(from, to), 'yaml', api)
  const info = 'info: { title: Valves, version: 1.0.0 }'
  const scheme = 'apiKey: { type: apiKey, in: header, name: X-Api-Key }'

  it.each([
    ['info: { title: Valves, ¦ }', 'license'],
    ['info: { title: Valves, con¦', 'contact'],
    ['info: { contact: { ¦ } }', 'email'],
    ['info: { \'title\': "a, {b", de¦ }', 'description'],
  ])('%s offers %s', (to, label) => {
    expect(at(info, to)).toContain(label)
  })

  it('offers values, and nothing that is there already', () => {
    expect(at(scheme, 'apiKey: { type: apiKey, in: ¦ }')).toEqual(
      expect.arrayContaining(['header', 'query', 'cookie']),
    )
    expect(at(scheme, 'apiKey: { type: apiKey, ¦, in: header }')).not.toContain('type')
    expect(
      at(
        'type: array',
        "type: array, items: { $ref: '#/¦' }".replace('array, ', 'array\n                '),
      ),
    ).toContain('#/components/schemas/Valve')
  })

  it('knows lists in brackets, and lists of mappings', () => {
    expect(at('operationId: listValves', 'operationId: listValves\n      tags: [¦]')).toContain(
      'Valves',
    )
    expect(at('  - name: Valves', '  - { name: Valves, ¦ }')).toContain('description')
  })

  it('is silent behind what is closed', () => {
    expect(at(info, `${info} ¦`)).toEqual([])
  })
})

describe('complete in YAML', () => {
  it('offers the fields of the specification that are not there yet', () => {
    const found = labels(`${api}¦`, 'yaml', api)
    expect(found).toContain('servers')
    expect(found).not.toContain('paths')
  })

  it('knows the object at any depth, through lists and maps', () => {
    const at = (after: string, added: string) =>
      labels(api.replace(after, `${after}\n${added}`), 'yaml', api)
    expect(at('      operationId: listValves', '      par¦')).toContain('parameters')
    expect(at('          description: A page', '          ¦')).toContain('headers')
    expect(at('          description: A page', '          ¦')).not.toContain('description')
    expect(at('      operationId: listValves', '      parameters:\n        - na¦')).toEqual(
      expect.arrayContaining(['name', 'in', '$ref']),
    )
    expect(
      at('      operationId: listValves', '      parameters:\n        - name: limit\n          ¦'),
    ).toContain('schema')
    expect(at("        '200':\n          description: A page", "        '4¦")).toEqual([])
    expect(at('      type: object', '      min¦')).toContain('minProperties')
  })

  it('offers the definition’s own names where they may stand', () => {
    const ref = (line: string) =>
      labels(api.replace("$ref: '#/components/schemas/Valve'", line), 'yaml', api)
    expect(ref("$ref: '#/¦'")).toEqual(['#/components/schemas/Valve', '#/components/schemas/Error'])
    expect(
      labels(
        api.replace("        '200':", "        '400':\n          $ref: ¦\n        '200':"),
        'yaml',
        api,
      ),
    ).toEqual(['#/components/responses/Bad'])
    const operation = '      operationId: listValves'
    const at = (added: string) =>
      labels(api.replace(operation, `${operation}\n${added}`), 'yaml', api)
    expect(at('      tags:\n        - V¦')).toEqual(['Valves'])
    expect(at('      security:\n        - a¦')).toEqual(['apiKey'])
    const required = api.replace(
      '      type: object',
      '      type: object\n      required:\n        - ¦',
    )
    expect(labels(required, 'yaml', api)).toEqual(['valveId'])
  })

  it('offers values where the specification names them', () => {
    const operation = '      operationId: listValves'
    const at = (added: string) =>
      labels(api.replace(operation, `${operation}\n${added}`), 'yaml', api)
    expect(at('      parameters:\n        - name: limit\n          in: ¦')).toContain('query')
    expect(at('      deprecated: ¦')).toEqual(['true', 'false'])
  })

  it('is silent in comments and in texts over several words', () => {
    expect(labels(`${api}# ¦`, 'yaml', api)).toEqual([])
    expect(
      labels(api.replace('description: A page', 'description: A page ¦'), 'yaml', api),
    ).toEqual([])
  })

  it('does not offer Swagger what only OpenAPI has', () => {
    const swagger = 'swagger: "2.0"\ninfo: { title: A, version: "1" }\npaths: {}\n'
    const found = labels(`${swagger}¦`, 'yaml', swagger)
    expect(found).toContain('definitions')
    expect(found).not.toContain('components')
  })
})

describe('complete in JSON', () => {
  const json = JSON.stringify(
    {
      openapi: '3.0.3',
      info: { title: 'A', version: '1' },
      paths: {},
      components: { schemas: { Valve: { type: 'object' } } },
    },
    null,
    2,
  )
  it('offers fields inside of quotes', () => {
    expect(labels(json.replace('"paths": {}', '"paths": {}, "¦"'), 'json', json)).toContain(
      'servers',
    )
    const ref = json.replace('"type": "object"', '"$ref": "#¦"')
    expect(labels(ref, 'json', json)).toEqual(['#/components/schemas/Valve'])
    expect(labels(json.replace('"paths": {}', '"paths": {}, ¦'), 'json', json)).toEqual([])
  })
})

describe('complete in RAML', () => {
  const raml =
    '#%RAML 1.0\ntitle: Valves\ntypes:\n  Valve:\n    type: object\ntraits:\n  paged: {}\n/valves:\n  get:\n    responses:\n      200:\n        body:\n          application/json:\n            type: Valve\n'
  it('offers fields, facets, methods, types and traits', () => {
    expect(labels(`${raml}¦`, 'yaml', raml)).toContain('baseUri')
    expect(labels(`${raml}  ¦`, 'yaml', raml)).toContain('post')
    expect(labels(raml.replace('  get:\n', '  get:\n    is: ¦\n'), 'yaml', raml)).toEqual(['paged'])
    expect(labels(raml.replace('type: Valve', 'type: V¦'), 'yaml', raml)).toEqual(
      expect.arrayContaining(['Valve', 'string']),
    )
    expect(labels(raml.replace('    type: object', '    ¦'), 'yaml', raml)).toContain('properties')
  })
})

describe('complete in XML', () => {
  const wsdl = `<wsdl:definitions xmlns:wsdl="http://schemas.xmlsoap.org/wsdl/" xmlns:xs="http://www.w3.org/2001/XMLSchema" xmlns:t="urn:valves" targetNamespace="urn:valves">
  <wsdl:types><xs:schema targetNamespace="urn:valves">
    <xs:complexType name="Valve"><xs:sequence><xs:element name="id" type="xs:string"/></xs:sequence></xs:complexType>
  </xs:schema></wsdl:types>
  <wsdl:message name="GetValve"/>
</wsdl:definitions>`
  it('offers the elements that may stand here, with the prefix of their namespace', () => {
    expect(labels(wsdl.replace('<wsdl:message', '<¦\n  <wsdl:message'), 'xml', wsdl)).toContain(
      'wsdl:portType',
    )
    expect(labels(wsdl.replace('<xs:element', '<¦ <xs:element'), 'xml', wsdl)).toContain(
      'xs:choice',
    )
    expect(labels(wsdl.replace('<wsdl:types>', '<wsdl:types><¦'), 'xml', wsdl)).toEqual([
      'xs:schema',
    ])
  })
  it('offers the names that are declared', () => {
    const at = wsdl.replace('type="xs:string"', 'type="¦"')
    expect(labels(at, 'xml', wsdl)).toEqual(expect.arrayContaining(['t:Valve', 'xs:string']))
    const part = wsdl.replace('<wsdl:message name="GetValve"/>', '<wsdl:input message="¦"/>')
    expect(labels(part, 'xml', wsdl)).toEqual(['t:GetValve'])
  })
})
