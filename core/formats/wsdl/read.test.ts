import { describe, expect, it } from 'vitest'
import { readDefinition } from '../read'
import { readable } from '../../../tests/support/reading'

const read = (text: string, others: Record<string, string> = {}) => readable(text, 'a.wsdl', others)

const head = `<definitions name="Lab" targetNamespace="urn:lab" xmlns="http://schemas.xmlsoap.org/wsdl/"
  xmlns:tns="urn:lab" xmlns:xs="http://www.w3.org/2001/XMLSchema" xmlns:soap="http://schemas.xmlsoap.org/wsdl/soap/"
  xmlns:http="http://schemas.xmlsoap.org/wsdl/http/">`
const types = (body: string) =>
  `<types><xs:schema targetNamespace="urn:lab" xmlns:l="urn:lab" elementFormDefault="qualified">${body}</xs:schema></types>`

function schemaOf(body: string, name: string, others: Record<string, string> = {}) {
  const { contract, diagnostics } = read(`${head}${types(body)}</definitions>`, others)
  expect(diagnostics).toEqual([])
  return contract.schemas.find((found) => found.name === name)!.schema
}

describe('XML Schema', () => {
  it('translates sequences, attributes, repetition, nil and defaults', () => {
    expect(
      schemaOf(
        `<xs:complexType name="Sample"><xs:sequence>
          <xs:element name="id" type="xs:string"/>
          <xs:element name="note" type="xs:string" minOccurs="0"/>
          <xs:element name="value" type="xs:decimal" minOccurs="0" maxOccurs="unbounded"/>
          <xs:element name="warm" type="xs:boolean" nillable="true" default="true"/>
        </xs:sequence><xs:attribute name="by" type="xs:string" use="required"/></xs:complexType>`,
        'Sample',
      ),
    ).toEqual({
      type: 'object',
      xml: { namespace: 'urn:lab' },
      properties: {
        id: { type: 'string' },
        note: { type: 'string' },
        value: { type: 'array', items: { type: 'number' } },
        warm: { type: ['boolean', 'null'], default: true },
        by: { type: 'string', xml: { attribute: true } },
      },
      required: ['id', 'warm', 'by'],
    })
  })

  it('translates extension, choice, simple content, lists, unions and facets', () => {
    const body = `
      <xs:simpleType name="Code"><xs:restriction base="xs:string"><xs:pattern value="[A-Z]{2}"/><xs:maxLength value="2"/></xs:restriction></xs:simpleType>
      <xs:simpleType name="Grade"><xs:restriction base="xs:int"><xs:enumeration value="1"/><xs:enumeration value="2"/></xs:restriction></xs:simpleType>
      <xs:simpleType name="Codes"><xs:list itemType="l:Code"/></xs:simpleType>
      <xs:simpleType name="Either"><xs:union memberTypes="l:Code xs:int"/></xs:simpleType>
      <xs:complexType name="Base"><xs:sequence><xs:element name="a" type="l:Code"/></xs:sequence></xs:complexType>
      <xs:complexType name="More"><xs:complexContent><xs:extension base="l:Base"><xs:choice><xs:element name="b" type="xs:int"/><xs:element name="c" type="xs:int"/></xs:choice></xs:extension></xs:complexContent></xs:complexType>
      <xs:complexType name="Amount"><xs:simpleContent><xs:extension base="xs:decimal"><xs:attribute name="unit" type="xs:string"/></xs:extension></xs:simpleContent></xs:complexType>`
    const of = (name: string) => {
      const schema = schemaOf(body, name) as Record<string, unknown>
      delete schema['xml']
      return schema
    }
    expect(of('Code')).toEqual({ type: 'string', maxLength: 2, pattern: '^(?:[A-Z]{2})$' })
    expect(of('Grade')).toEqual({ type: 'integer', format: 'int32', enum: [1, 2] })
    expect(of('Codes')).toMatchObject({
      type: 'array',
      items: { $ref: '#/components/schemas/Code' },
    })
    expect(of('Either')).toEqual({
      anyOf: [{ $ref: '#/components/schemas/Code' }, { type: 'integer', format: 'int32' }],
    })
    expect(of('More')).toEqual({
      allOf: [
        { $ref: '#/components/schemas/Base' },
        {
          type: 'object',
          properties: {
            b: { type: 'integer', format: 'int32' },
            c: { type: 'integer', format: 'int32' },
          },
          oneOf: [{ required: ['b'] }, { required: ['c'] }],
        },
      ],
    })
    expect(of('Amount')).toMatchObject({
      properties: { value: { type: 'number' }, unit: { type: 'string' } },
      required: ['value'],
    })
  })

  it('takes names that every object has for names like any other', () => {
    const body = `<xs:complexType name="toString"><xs:sequence>
      <xs:element name="constructor" type="xs:int"/><xs:element name="valueOf" type="l:toString" minOccurs="0"/>
      </xs:sequence><xs:attribute name="hasOwnProperty" type="xs:string"/></xs:complexType>`
    expect(schemaOf(body, 'toString')).toMatchObject({
      properties: {
        constructor: { type: 'integer' },
        valueOf: { $ref: '#/components/schemas/toString' },
        hasOwnProperty: { type: 'string', xml: { attribute: true } },
      },
      required: ['constructor'],
    })
  })

  it('keeps recursion as references, and gives substitution groups as alternatives', () => {
    expect(
      schemaOf(
        '<xs:complexType name="Node"><xs:sequence><xs:element name="next" type="l:Node" minOccurs="0"/></xs:sequence></xs:complexType>',
        'Node',
      ),
    ).toMatchObject({ properties: { next: { $ref: '#/components/schemas/Node' } } })
    expect(
      schemaOf(
        `<xs:complexType name="A"/><xs:complexType name="B"/>
        <xs:element name="head" type="l:A" abstract="true"/><xs:element name="one" type="l:A" substitutionGroup="l:head"/><xs:element name="two" type="l:B" substitutionGroup="l:head"/>
        <xs:complexType name="Holder"><xs:sequence><xs:element ref="l:head"/></xs:sequence></xs:complexType>`,
        'Holder',
      ),
    ).toMatchObject({
      properties: {
        head: {
          anyOf: [
            { title: 'one', allOf: [{ $ref: '#/components/schemas/A' }] },
            { title: 'two', allOf: [{ $ref: '#/components/schemas/B' }] },
          ],
        },
      },
    })
  })

  it('lets a redefinition extend what it redefines', () => {
    const base = `<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema" targetNamespace="urn:lab" xmlns:l="urn:lab">
      <xs:complexType name="Sample"><xs:sequence><xs:element name="id" type="xs:string"/></xs:sequence></xs:complexType>
      <xs:group name="Taken"><xs:sequence><xs:element name="at" type="xs:date"/></xs:sequence></xs:group>
      <xs:attributeGroup name="Marks"><xs:attribute name="lot" type="xs:string"/></xs:attributeGroup>
      <xs:simpleType name="Code"><xs:restriction base="xs:string"><xs:maxLength value="9"/></xs:restriction></xs:simpleType>
    </xs:schema>`
    const body = `<xs:redefine schemaLocation="base.xsd">
        <xs:complexType name="Sample"><xs:complexContent><xs:extension base="l:Sample">
          <xs:sequence><xs:element name="grade" type="l:Code"/></xs:sequence>
        </xs:extension></xs:complexContent></xs:complexType>
        <xs:group name="Taken"><xs:sequence><xs:group ref="l:Taken"/><xs:element name="by" type="xs:string"/></xs:sequence></xs:group>
        <xs:attributeGroup name="Marks"><xs:attributeGroup ref="l:Marks"/><xs:attribute name="rack" type="xs:string"/></xs:attributeGroup>
        <xs:simpleType name="Code"><xs:restriction base="l:Code"><xs:minLength value="2"/></xs:restriction></xs:simpleType>
      </xs:redefine>
      <xs:complexType name="Visit"><xs:sequence><xs:group ref="l:Taken"/></xs:sequence><xs:attributeGroup ref="l:Marks"/></xs:complexType>`
    const { contract, diagnostics } = read(`${head}${types(body)}</definitions>`, {
      'base.xsd': base,
    })
    expect(diagnostics).toEqual([])
    const named = (name: string) => contract.schemas.find((found) => found.name === name)
    expect(named('Sample')!.schema).toMatchObject({
      allOf: [
        { $ref: '#/components/schemas/Sample_2' },
        { properties: { grade: { $ref: '#/components/schemas/Code' } } },
      ],
    })
    expect(named('Sample_2')).toMatchObject({
      declared: false,
      schema: { properties: { id: { type: 'string' } } },
    })
    expect(named('Code')!.schema).toMatchObject({
      allOf: [{ $ref: '#/components/schemas/Code_2' }],
      minLength: 2,
    })
    expect(named('Code_2')!.schema).toMatchObject({ maxLength: 9 })
    const visit = named('Visit')!.schema as { properties: object }
    expect(Object.keys(visit.properties)).toEqual(['at', 'by', 'lot', 'rack'])
  })

  it('follows imports and includes over files; a file without a namespace takes that of the one that includes it', () => {
    const { contract, diagnostics, documents } = read(
      `${head}<types><xs:schema><xs:import namespace="urn:s" schemaLocation="x/s.xsd"/></xs:schema></types></definitions>`,
      {
        'x/s.xsd':
          '<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema" targetNamespace="urn:s" xmlns="urn:s"><xs:include schemaLocation="common.xsd"/><xs:complexType name="S"><xs:sequence><xs:element name="c" type="Common"/></xs:sequence></xs:complexType></xs:schema>',
        'x/common.xsd':
          '<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema">\n<xs:simpleType name="Common"><xs:restriction base="xs:string"/></xs:simpleType></xs:schema>',
      },
    )
    expect(diagnostics).toEqual([])
    const common = contract.schemas.find(({ name }) => name === 'Common')!
    expect(documents.locate([common.at]).get(common.at)).toEqual({
      file: 'x/common.xsd',
      line: 2,
      column: 1,
    })
    expect(contract.schemas.find(({ name }) => name === 'S')!.schema).toMatchObject({
      properties: { c: { $ref: '#/components/schemas/Common' } },
    })
  })

  it.each([
    [
      '<xs:complexType name="A"><xs:sequence><xs:element name="b" type="l:Gone"/></xs:sequence></xs:complexType>',
      /The schema has no type "l:Gone"/,
    ],
    [
      '<xs:complexType name="A"><xs:sequence><xs:element name="b" type="xs:strin"/></xs:sequence></xs:complexType>',
      /XML Schema has no type "strin"/,
    ],
    [
      '<xs:complexType name="A"><xs:sequence><xs:element/></xs:sequence></xs:complexType>',
      /An element needs "name" or "ref"/,
    ],
    ['<xs:include schemaLocation="gone.xsd"/>', /gone.xsd is not among the files/],
  ])('says what is wrong with %s', (body, message) => {
    expect(
      read(`${head}${types(body)}</definitions>`).diagnostics.map((problem) => problem.message),
    ).toEqual([expect.stringMatching(message)])
  })
})

const element =
  '<xs:element name="ask"><xs:complexType><xs:sequence><xs:element name="id" type="xs:int"/></xs:sequence></xs:complexType></xs:element><xs:element name="answer" type="xs:string"/>'
const messages =
  '<message name="In"><part name="parameters" element="tns:ask"/></message><message name="Out"><part name="parameters" element="tns:answer"/></message>'
const portType = (name: string) =>
  `<portType name="${name}"><operation name="Ask"><documentation>Asks.</documentation><input message="tns:In"/><output message="tns:Out"/><fault name="f" message="tns:Out"/></operation></portType>`

describe('WSDL 1.1', () => {
  it('reads an operation with its SOAP binding, faults and addresses', () => {
    const { contract, diagnostics } = read(`${head}${types(element)}${messages}${portType('P')}
      <binding name="B" type="tns:P"><soap:binding style="document"/><operation name="Ask"><soap:operation soapAction="urn:ask"/><input><soap:body use="literal"/></input></operation></binding>
      <service name="Lab"><port name="S" binding="tns:B"><soap:address location="https://lab.brackenmere.example/soap"/></port></service></definitions>`)
    expect(diagnostics).toEqual([])
    expect(contract.title).toBe('Lab')
    expect(contract.operations[0]).toMatchObject({
      method: 'post',
      path: '/Ask',
      id: 'Ask',
      description: 'Asks.',
      body: { content: [{ type: 'text/xml', schema: { $ref: '#/components/schemas/ask' } }] },
      responses: [{ status: '200', content: [{ schema: { type: 'string' } }] }, { status: '500' }],
      soap: [
        {
          binding: 'B',
          version: '1.1',
          style: 'document',
          action: 'urn:ask',
          addresses: ['https://lab.brackenmere.example/soap'],
        },
      ],
    })
  })

  it('counts one operation per port type, and tells those of one name apart', () => {
    const { contract } = read(
      `${head}${types(element)}${messages}${portType('Soap')}${portType('HttpGet')}</definitions>`,
    )
    expect(contract.operations.map(({ path, id }) => [path, id])).toEqual([
      ['/Soap/Ask', 'Soap_Ask'],
      ['/HttpGet/Ask', 'HttpGet_Ask'],
    ])
  })

  it('puts the parts of an HTTP binding into the address', () => {
    const { contract } =
      read(`${head}<message name="In"><part name="id" type="xs:int"/></message><portType name="P"><operation name="Ask"><input message="tns:In"/></operation></portType>
      <binding name="B" type="tns:P"><http:binding verb="GET"/><operation name="Ask"><http:operation location="/ask/(id)"/><input><http:urlReplacement/></input></operation></binding></definitions>`)
    expect(contract.operations[0]).toMatchObject({
      method: 'get',
      path: '/ask/{id}',
      parameters: [{ name: 'id', in: 'path' }],
    })
  })

  it('gives an rpc message an object of its parts', () => {
    const { contract } =
      read(`${head}<message name="In"><part name="a" type="xs:int"/><part name="b" type="xs:string"/></message><portType name="P"><operation name="Ask"><input message="tns:In"/></operation></portType>
      <binding name="B" type="tns:P"><soap:binding style="rpc"/><operation name="Ask"><soap:operation/><input><soap:body use="encoded"/></input></operation></binding></definitions>`)
    expect(contract.operations[0]!.body!.content[0]!.schema).toMatchObject({
      type: 'object',
      required: ['a', 'b'],
      xml: { name: 'Ask' },
    })
    expect(contract.operations[0]!.soap![0]).toMatchObject({ style: 'rpc', use: 'encoded' })
  })

  it.each([
    [portType('P'), /"message" names the message "tns:In", which does not exist/],
    [
      `${messages.replace('tns:ask', 'tns:none')}${types(element)}${portType('P')}`,
      /The schema has no element "tns:none"/,
    ],
    [
      '<service name="S"><port name="P" binding="tns:None"/></service>',
      /"binding" names the binding "tns:None"/,
    ],
  ])('names what does not exist', (body, message) => {
    expect(read(`${head}${body}</definitions>`).diagnostics[0]!.message).toMatch(message)
  })
})

describe('XML from strangers', () => {
  it('expands no entity and fetches nothing', () => {
    const reading = readDefinition({
      file: 'a.wsdl',
      text: '<!DOCTYPE d [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;"><!ENTITY x SYSTEM "file:///etc/passwd">]>\n<definitions xmlns="http://schemas.xmlsoap.org/wsdl/"><documentation>&b;&x;</documentation></definitions>',
    })
    expect(reading.readable).toBe(false)
    expect(reading.diagnostics[0]).toMatchObject({ line: 2, severity: 'error' })
    expect(JSON.stringify(reading)).not.toMatch(/root:|aaaaaaaaaaaa/)
  })

  it('reports several faults of the grammar with their places', () => {
    const reading = readDefinition({
      file: 'a.wsdl',
      text: '<a>\n<b x=1/>\n<c>&nope;</c>\n</d>\n</a>',
    })
    expect(reading.diagnostics.map(({ line }) => line)).toEqual(expect.arrayContaining([2, 3, 4]))
  })

  it('refuses 300 levels', () => {
    const text = `${'<a>'.repeat(300)}${'</a>'.repeat(300)}`
    expect(readDefinition({ file: 'a.xml', text }).diagnostics[0]!.message).toMatch(/Nested deeper/)
  })
})
