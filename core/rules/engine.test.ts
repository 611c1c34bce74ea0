import { describe, expect, it } from 'vitest'
import { weightOf } from './binding'
import type { Finding, Rule } from './model'
import { checkText, readHouse } from '../../tests/support/rules'

const house = readHouse()
const only = (...ids: string[]) => ({
  ...house,
  rules: house.rules.filter(({ id }) => ids.includes(id)),
})

const rule = (changes: Partial<Rule>): Rule => ({
  id: 'a-rule',
  group: 'naming',
  level: 'SHOULD',
  title: 'A rule',
  about: 'operation',
  expect: 'false',
  message: '{definition.title}',
  reason: 'A reason.',
  samples: { passes: [], breaks: [] },
  ...changes,
})
const rules = (...list: Partial<Rule>[]) => ({
  ...house,
  rules: list.map((item, i) => rule({ id: `rule-${i}`, ...item })),
})

const openApi = `openapi: 3.1.0
info:
  title: Hydrants
  version: "1"
  description: Where hydrants are and how they flow.
servers:
  - url: http://api.brackenmere.example/hydrants
paths:
  /hydrants:
    get:
      operationId: listHydrants
      responses:
        '200':
          description: All of them
          content: { application/json: { schema: { $ref: '#/components/schemas/Hydrant' } } }
components:
  schemas:
    Hydrant:
      type: object
      properties:
        code: { type: string }
        flow_rate: { type: number }
        tested: { type: boolean }
    Spare: { type: object, properties: { Odd: { type: string } } }
`

const raml = `#%RAML 1.0
title: Hydrants
version: "1"
description: Where hydrants are and how they flow.
baseUri: http://api.brackenmere.example/hydrants
types:
  Hydrant:
    type: object
    properties:
      code: string
      flow_rate: number
      tested: boolean
  Spare:
    type: object
    properties:
      Odd: string
/hydrants:
  get:
    responses:
      200:
        description: All of them
        body:
          application/json: Hydrant
`

const wsdl = `<?xml version="1.0"?>
<wsdl:definitions xmlns:wsdl="http://schemas.xmlsoap.org/wsdl/" xmlns:soap="http://schemas.xmlsoap.org/wsdl/soap/"
  xmlns:xs="http://www.w3.org/2001/XMLSchema" xmlns:t="urn:hydrants" targetNamespace="urn:hydrants" name="Hydrants">
  <wsdl:documentation>Where hydrants are and how they flow.</wsdl:documentation>
  <wsdl:types>
    <xs:schema targetNamespace="urn:hydrants" version="1">
      <xs:complexType name="Hydrant">
        <xs:sequence>
          <xs:element name="code" type="xs:string"/>
          <xs:element name="flow_rate" type="xs:decimal"/>
          <xs:element name="tested" type="xs:boolean"/>
        </xs:sequence>
      </xs:complexType>
      <xs:complexType name="Spare">
        <xs:sequence><xs:element name="Odd" type="xs:string"/></xs:sequence>
      </xs:complexType>
      <xs:element name="listHydrants"><xs:complexType/></xs:element>
      <xs:element name="listHydrantsResponse" type="t:Hydrant"/>
    </xs:schema>
  </wsdl:types>
  <wsdl:message name="In"><wsdl:part name="body" element="t:listHydrants"/></wsdl:message>
  <wsdl:message name="Out"><wsdl:part name="body" element="t:listHydrantsResponse"/></wsdl:message>
  <wsdl:portType name="Hydrants">
    <wsdl:operation name="listHydrants"><wsdl:input message="t:In"/><wsdl:output message="t:Out"/></wsdl:operation>
  </wsdl:portType>
  <wsdl:binding name="HydrantsSoap" type="t:Hydrants">
    <soap:binding transport="http://schemas.xmlsoap.org/soap/http"/>
    <wsdl:operation name="listHydrants"><soap:operation soapAction="urn:list"/><wsdl:input><soap:body use="literal"/></wsdl:input></wsdl:operation>
  </wsdl:binding>
  <wsdl:service name="Hydrants">
    <wsdl:port name="Soap" binding="t:HydrantsSoap"><soap:address location="http://api.brackenmere.example/hydrants"/></wsdl:port>
  </wsdl:service>
</wsdl:definitions>
`

const trio = { OpenAPI: openApi, RAML: raml, WSDL: wsdl }

describe('one rule for every format', () => {
  const shared = only(
    'property-casing',
    'property-described',
    'version-semver',
    'server-https',
    'definition-described',
    'schema-used',
    'boolean-named',
    'title-plain',
  )
  const said = (text: string) =>
    checkText(text, shared)
      .findings.filter(({ rule: id }) => id !== 'valid')
      .map(({ message }) => message)
      .sort()

  it('finds the same faults in an OpenAPI, a RAML and a WSDL that say the same', () => {
    expect(said(openApi)).toEqual([
      '"1" is not major.minor.patch',
      'Nothing uses the schema Spare',
      'Say what the number "flow_rate" of Hydrant counts, and in which unit',
      'Write the property "Odd" of Spare in camelCase',
      'Write the property "flow_rate" of Hydrant in camelCase',
      'http://api.brackenmere.example/hydrants is not HTTPS',
    ])
    expect(said(raml)).toEqual(said(openApi))
    expect(said(wsdl)).toEqual(said(openApi))
  })

  it.each(Object.entries(trio))(
    'points into the %s at the line where it is written',
    (_format, text) => {
      const { findings } = checkText(text, only('property-casing'))
      const lines = text.split('\n')
      const found = findings.filter(({ rule: id }) => id === 'property-casing')
      expect(found.map(({ line }) => lines[line - 1])).toEqual([
        expect.stringContaining('flow_rate'),
        expect.stringContaining('Odd'),
      ])
      for (const { line, column, endLine, endColumn } of found) {
        expect(endLine).toBe(line)
        expect(endColumn).toBeGreaterThan(column)
        expect(endColumn).toBeLessThanOrEqual(lines[line - 1]!.length + 1)
      }
    },
  )

  it('is silent about formats that a rule is not for', () => {
    const { findings } = checkText(raml, only('operation-identifier'))
    expect(findings).toEqual([])
    expect(
      checkText(
        openApi.replace('operationId: listHydrants', 'tags: []'),
        only('operation-identifier'),
      ).findings,
    ).toHaveLength(1)
  })
})

describe('a finding', () => {
  const edition = only('property-casing', 'operation-described', 'property-described')
  const keys = (findings: Finding[]) => findings.map(({ key }) => key).sort()

  it('keeps its identity when lines move and parts are re-ordered', () => {
    const moved = openApi
      .replace('paths:', '# one more line\n\npaths:')
      .replace(
        '        code: { type: string }\n        flow_rate: { type: number }\n',
        '        flow_rate: { type: number }\n        code: { type: string }\n',
      )
    const [before, after] = [
      checkText(openApi, edition).findings,
      checkText(moved, edition).findings,
    ]
    expect(keys(after)).toEqual(keys(before))
    expect(after.map(({ line }) => line)).not.toEqual(before.map(({ line }) => line))
    expect(new Set(keys(before)).size).toBe(before.length)
  })

  it('of a parameter survives another one before it', () => {
    const parameter = (name: string) => `{ name: ${name}, in: query, schema: { type: string } }`
    const text = (list: string[]) =>
      openApi.replace(
        '      responses:',
        `      parameters: [${list.map(parameter).join(', ')}]\n      responses:`,
      )
    const edition_ = only('parameter-casing')
    const [a] = checkText(text(['max_flow']), edition_).findings
    const [b] = checkText(text(['area', 'max_flow']), edition_).findings
    expect(b!.key).toBe(a!.key)
    expect(b!.at).not.toBe(a!.at)
  })

  it('stands at the shared part its author must change, once', () => {
    const text = openApi
      .replace(
        "        '200':",
        "        '400': { $ref: '#/components/responses/Bad' }\n        '200':",
      )
      .replace('components:', 'components:\n  responses:\n    Bad: { description: Bad }')
    const { findings } = checkText(text, only('error-described'))
    expect(findings).toMatchObject([{ at: '/components/responses/Bad', column: 5 }])
  })

  it('of the format itself is in a group of its own', () => {
    const { findings } = checkText(openApi.replace('    get:', '    gte: {}\n    get:'), rules())
    expect(findings).toMatchObject([{ rule: 'valid', line: 10 }])
  })
})

describe('a broken rule', () => {
  it('is said and hides nothing of the others', () => {
    const { findings, faults } = checkText(
      openApi,
      rules(
        { expect: 'operation.nonsense(' },
        { expect: 'operation.extensions.missing == 1' },
        {
          about: 'property',
          expect:
            'definition.schemas.all(a, definition.schemas.all(b, a.properties.all(c, b.properties.all(d, d.name.matches("x")))))',
        },
        { expect: 'false' },
      ),
    )
    expect(faults.map(({ rule: id }) => id)).toEqual(['rule-0', 'rule-1'])
    expect(findings.map(({ rule: id }) => id)).toContain('rule-3')
  })

  it('that would take for ever is stopped, and the others go on', () => {
    const properties = Array.from(
      { length: 400 },
      (_, i) => `        p${i}: { type: string }`,
    ).join('\n')
    const { findings, faults } = checkText(
      openApi.replace('        code: { type: string }', properties),
      rules(
        {
          about: 'property',
          expect:
            'schema.properties.all(a, schema.properties.all(b, schema.properties.all(c, a.name + b.name + c.name != "")))',
        },
        { expect: 'false' },
      ),
    )
    expect(faults).toEqual([
      { rule: 'rule-0', message: expect.stringContaining('more work') as string },
    ])
    expect(findings.map(({ rule: id }) => id)).toEqual(['rule-1'])
  })
})

describe('the reach of a rule', () => {
  it('counts what it was asked of and what broke it', () => {
    const { reach } = checkText(openApi, only('property-casing', 'property-described'))
    expect(reach).toEqual([
      { rule: 'property-casing', asked: 4, broken: 2 },
      { rule: 'property-described', asked: 1, broken: 1 },
    ])
  })
})

describe('what a rule weighs', () => {
  const facts = {
    audience: 'partner',
    team: 'Field',
    lifecycle: 'active',
    api: '',
    stages: [],
    today: '2026-11-25',
    versionSince: '2026-10-01',
    apiSince: '2025-01-01',
  } as const
  const weigh = (binds: Rule['binds']) =>
    weightOf({ level: 'MUST', ...(binds && { binds }) }, { ...facts, stages: [] })

  it('is its level where it says nothing else', () => {
    expect(weigh(undefined)).toEqual({ level: 'MUST' })
  })
  it('is advice before its day, and says what it becomes', () => {
    expect(weigh({ from: '2027-01-01' })).toEqual({
      level: 'MAY',
      becomes: 'MUST',
      since: '2027-01-01',
    })
    expect(weigh({ from: '2026-11-25' })).toEqual({ level: 'MUST', since: '2026-11-25' })
  })
  it('is advice for those it does not bind', () => {
    expect(weigh({ teams: ['Metering'] })).toEqual({ level: 'MAY' })
    expect(weigh({ teams: ['Field'], audiences: ['partner'], lifecycles: ['active'] })).toEqual({
      level: 'MUST',
    })
    expect(weigh({ audiences: ['public'] })).toEqual({ level: 'MAY' })
  })
  it('binds only what was begun since, where it says so', () => {
    expect(weigh({ from: '2026-09-01', onlyNew: 'versions' })).toEqual({
      level: 'MUST',
      since: '2026-09-01',
    })
    expect(weigh({ from: '2026-09-01', onlyNew: 'apis' })).toEqual({ level: 'MAY' })
  })
})

describe('a schema that means something else on each way to it', () => {
  const text = `openapi: 3.1.0
info: { title: Boats, version: "1" }
paths:
  /boats:
    get:
      responses:
        '200':
          description: Boats
          content: { application/json: { schema: { $ref: '#/components/schemas/Boats' } } }
components:
  schemas:
    Page:
      $id: https://schemas.brackenmere.example/page
      properties: { entries: { type: array, items: { $dynamicRef: '#entry' } } }
      $defs: { Entry: { $dynamicAnchor: entry } }
    Boats:
      $id: https://schemas.brackenmere.example/boats
      $ref: page
      $defs: { Entry: { $dynamicAnchor: entry, properties: { sail: { type: string } } } }
    Spare: { type: string }
`
  it('is judged once, where it is written, and used where its copies are', () => {
    const edition = rules(
      { about: 'schema', expect: 'schema.used', message: '{schema.name}' },
      { about: 'property', expect: 'false', message: '{property.name} of {schema.name}' },
    )
    const { findings } = checkText(text, edition)
    expect(findings.map(({ message, line }) => `${line} ${message}`)).toEqual([
      '14 entries of Page',
      '19 sail of Entry_2',
      '20 Spare',
    ])
  })
})
