import { describe, expect, it } from 'vitest'
import { readable } from '../../../tests/support/reading'

const application = (inside: string) =>
  `<application xmlns="http://wadl.dev.java.net/2009/02" xmlns:xs="http://www.w3.org/2001/XMLSchema" xmlns:h="urn:hydrants">${inside}</application>`
const read = (inside: string, others: Record<string, string> = {}) =>
  readable(application(inside), 'a.wadl', others)
const resources = (inside: string) =>
  `<resources base="https://api.brackenmere.example/v2">${inside}</resources>`
const operationsOf = (inside: string) => read(resources(inside)).contract.operations

describe('WADL', () => {
  it('reads one operation for each method of each resource, however deep', () => {
    const { contract } = read(
      resources(`
        <resource path="/hydrants/">
          <method name="GET" id="list"><doc title="All of them">In order.</doc></method>
          <resource path="{number}"><method name="GET"/><method name="PUT"/></resource>
        </resource>
        <resource><method name="OPTIONS"/></resource>`),
    )
    expect(contract.operations.map(({ method, path }) => [method, path])).toEqual([
      ['get', '/hydrants'],
      ['get', '/hydrants/{number}'],
      ['put', '/hydrants/{number}'],
      ['options', '/'],
    ])
    expect(contract.operations[0]).toMatchObject({
      id: 'list',
      summary: 'All of them',
      description: 'In order.',
    })
    expect(contract).toMatchObject({
      format: { name: 'WADL', version: '2009' },
      version: '2',
      servers: [{ url: 'https://api.brackenmere.example/v2' }],
    })
  })

  it('lets the inner one of two parameters of a name speak', () => {
    const [operation] = operationsOf(`
      <resource path="zones/{zone}">
        <param name="zone" style="template" type="xs:string"/>
        <param name="most" style="query" type="xs:int" default="10"/>
        <resource path="hydrants">
          <param name="zone" style="template" type="xs:int"/>
          <method name="GET"><request><param name="most" style="query" type="xs:int" default="50"/></request></method>
        </resource>
      </resource>`)
    expect(operation!.parameters.map(({ name, schema }) => [name, schema])).toEqual([
      ['zone', expect.objectContaining({ type: 'integer' })],
      ['most', expect.objectContaining({ type: 'integer', default: 50 })],
    ])
  })

  it('reads the styles, values and repetition of parameters', () => {
    const [operation] = operationsOf(`
      <resource path="hydrants">
        <method name="GET"><request>
          <param name="state" style="query" type="xs:int" required="true"><option value="1"/><option value="2"/></param>
          <param name="tag" style="query" repeating="true"/>
          <param name="X-Trace" style="header" fixed="on"/>
          <param name="lang" style="matrix"/>
          <param name="nowhere" style="plain"/>
        </request></method>
      </resource>`)
    expect(operation!.path).toBe('/hydrants{lang}')
    expect(operation!.parameters).toMatchObject([
      { name: 'state', in: 'query', required: true, schema: { type: 'integer', enum: [1, 2] } },
      { name: 'tag', in: 'query', schema: { type: 'array', items: { type: 'string' } } },
      { name: 'X-Trace', in: 'header', schema: { const: 'on' } },
      { name: 'lang', in: 'path', required: true, style: 'matrix' },
    ])
  })

  it('reads representations: elements of a grammar, and fields of a form', () => {
    const { contract, diagnostics } = read(
      `<grammars><include href="hydrants.xsd"/></grammars>${resources(`
        <resource path="hydrants"><method name="POST">
          <request>
            <representation mediaType="application/xml" element="h:hydrant"/>
            <representation mediaType="application/x-www-form-urlencoded">
              <param name="number" style="query" required="true"><doc>On its lid.</doc></param>
            </representation>
          </request>
          <response status="201 202"><param name="Location" style="header"/></response>
          <response status="400"><representation href="#fault"/></response>
        </method></resource>`)}
      <representation id="fault" mediaType="application/problem+json"/>`,
      {
        'hydrants.xsd': `<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema" targetNamespace="urn:hydrants" version="3.1" elementFormDefault="qualified">
          <xs:element name="hydrant"><xs:complexType><xs:sequence><xs:element name="number" type="xs:string"/></xs:sequence></xs:complexType></xs:element>
        </xs:schema>`,
      },
    )
    expect(diagnostics).toEqual([])
    const [{ body, responses }] = contract.operations as [(typeof contract.operations)[0]]
    expect(body!.content[1]!.schema).toEqual({
      type: 'object',
      properties: { number: { type: 'string', description: 'On its lid.' } },
      required: ['number'],
    })
    expect(JSON.stringify(body!.content[0]!.schema)).toMatch(/hydrant/)
    expect(
      responses.map(({ status, headers, content }) => [status, headers.length, content.length]),
    ).toEqual([
      ['201', 1, 0],
      ['202', 1, 0],
      ['400', 0, 1],
    ])
    expect(responses[2]!.content[0]!.type).toBe('application/problem+json')
    expect(contract.version).toBe('3.1')
  })

  it('follows references to methods and resource types, in other files too', () => {
    const { contract, documents } = read(
      `${resources(`
        <resource path="hydrants" type="#listed common.wadl#counted"><method href="#add"/></resource>`)}
      <method id="add" name="POST"/>
      <resource_type id="listed"><method name="GET"/></resource_type>`,
      {
        'common.wadl': application(
          '<resource_type id="counted"><param name="since" style="query"/><resource path="count"><method name="GET"/></resource></resource_type>',
        ),
      },
    )
    expect(
      contract.operations.map(({ method, path, parameters }) => [method, path, parameters.length]),
    ).toEqual([
      ['post', '/hydrants', 0],
      ['get', '/hydrants', 0],
      ['get', '/hydrants/count', 1],
    ])
    const { at } = contract.operations[2]!
    expect(documents.locate([at]).get(at)).toMatchObject({ file: 'common.wadl', line: 1 })
  })

  it('ends where a resource type holds itself', () => {
    const { contract } = read(
      `${resources('<resource path="a" type="#round"/>')}
      <resource_type id="round"><method name="GET"/><resource path="b" type="#round"/></resource_type>`,
    )
    expect(contract.operations.length).toBeLessThan(10)
  })

  it.each([
    ['<resource path="a"><method/></resource>', 'A method needs "name"'],
    ['<resource path="a"><param style="query"/></resource>', 'A param needs "name"'],
    ['<resource path="a"><method href="#gone"/></resource>', '"#gone" leads nowhere'],
    ['<resource path="a" type="#gone"/>', '"#gone" leads nowhere'],
  ])('says what is wrong with %s', (inside, message) => {
    expect(read(resources(inside)).diagnostics.map((problem) => problem.message)).toEqual([message])
  })
})
