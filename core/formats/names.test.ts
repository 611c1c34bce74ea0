import { describe, expect, it } from 'vitest'
import { isWord, readHouse, today } from '../../tests/support/rules'
import { check } from '../rules/engine'
import { circumstancesOf } from '../rules/model'
import { conversionTargets, convert } from './convert'
import { readable } from '../../tests/support/reading'

/** Definitions in which everything that an author may name, or may say wrongly, is called as what every object has. */
const definitions = (name: string): Record<string, string> => ({
  'a.yaml': `openapi: 3.1.0
info: { title: A, version: 1.0.0 }
tags: [{ name: ${name} }]
paths:
  /${name}/{${name}}:
    get:
      operationId: ${name}
      tags: [${name}]
      parameters:
        - { name: ${name}, in: path, required: true, schema: { type: string, format: ${name} } }
        - { name: ${name}, in: ${name}, schema: { type: ${name} } }
      security: [{ ${name}: [] }]
      responses:
        ${name}: { description: a }
        200:
          description: b
          headers: { ${name}: { schema: { $ref: '#/components/schemas/${name}' } } }
          links: { ${name}: { operationId: ${name} } }
          content: { ${name}: { schema: { ${name}: 1 }, examples: { ${name}: { value: { ${name}: 1 } } } } }
      callbacks: { ${name}: { ${name}: { post: { responses: { 200: { description: c } } } } } }
webhooks: { ${name}: { post: { responses: { 200: { description: d } } } } }
components:
  schemas:
    ${name}:
      type: object
      required: [${name}]
      properties: { ${name}: { type: string, format: ${name} }, a: { $ref: '#/components/schemas/${name}' } }
      discriminator: { propertyName: ${name}, mapping: { ${name}: ${name} } }
  securitySchemes:
    ${name}: { type: ${name}, scheme: ${name} }
    flows: { type: oauth2, flows: { ${name}: { scopes: { ${name}: a } } } }
`,
  'a.json': JSON.stringify({
    swagger: '2.0',
    info: { title: 'A', version: '1.0.0' },
    paths: {
      '/a': {
        post: {
          parameters: [
            { name, in: 'formData', type: name, format: name, collectionFormat: name },
            { name, in: name, type: 'string' },
          ],
          responses: {
            [name]: { description: 'a' },
            200: { description: 'b', examples: { [name]: 1 } },
          },
        },
      },
    },
    definitions: { [name]: { type: 'object', properties: { [name]: { type: 'string' } } } },
    securityDefinitions: { [name]: { type: name, flow: name }, b: { type: 'oauth2', flow: name } },
  }),
  'a.raml': `#%RAML 1.0
title: A
types:
  ${name}: { properties: { ${name}: { type: string, required: true }, b: '${name}[]' } }
  other: { type: number, format: ${name} }
  unknown: ${name}Missing
traits: { ${name}: { queryParameters: { ${name}: { type: ${name} } } } }
securitySchemes:
  ${name}: { type: OAuth 2.0, settings: { authorizationGrants: [${name}] } }
/${name}:
  get: { is: [${name}], securedBy: [${name}], responses: { 200: { body: { ${name}: { type: ${name} } } } } }
`,
  'a.wadl': `<application xmlns="http://wadl.dev.java.net/2009/02" xmlns:xs="http://www.w3.org/2001/XMLSchema">
  <grammars><xs:schema targetNamespace="urn:a" xmlns:l="urn:a"><xs:${name} name="${name}"/>
    <xs:simpleType name="${name}"><xs:restriction base="xs:${name}"><xs:${name} value="1"/></xs:restriction></xs:simpleType>
    <xs:complexType name="b"><xs:sequence><xs:${name}/><xs:element name="${name}" type="l:${name}"/></xs:sequence>
      <xs:attribute name="${name}"/></xs:complexType></xs:schema></grammars>
  <resources base="https://a.example/"><resource path="{${name}}">
    <param name="${name}" style="${name}" type="xs:${name}"/><param name="${name}" style="template" type="${name}:a"/>
    <method name="${name}" id="${name}"><request><representation mediaType="${name}" element="${name}:b"/></request></method>
  </resource></resources></application>`,
})

describe.each(['constructor', 'toString', 'valueOf', 'hasOwnProperty', '__proto__'])(
  'a definition that calls everything %s',
  (name) => {
    it.each(Object.keys(definitions(name)))('is read, checked and converted: %s', (file) => {
      const text = definitions(name)[file]!
      const { contract, documents } = readable(text, file)
      expect(contract.operations.length).toBeGreaterThan(0)
      // Where RAML lays one object over another, a name that sets an object's prototype is lost, and does no harm.
      const isKept = name !== '__proto__' || file !== 'a.raml'
      if (isKept) expect(contract.schemas.map((schema) => schema.name)).toContain(name)
      const { faults } = check(documents, contract, readHouse(), circumstancesOf({ today }), {
        isWord,
      })
      expect(faults).toEqual([])
      for (const target of conversionTargets) {
        const { text: written } = convert(contract, target, 'bundle', 'json')
        if (isKept) expect(written).toContain(name)
      }
      expect(Object.keys(Object).concat(Object.keys(Object.prototype))).toEqual([])
    })
  },
)
