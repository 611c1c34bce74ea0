/** A definition of real shape with so many operations: about 5.5 kB of JSON each, as large public ones have. */
export function largeDefinition(operations: number): Record<string, unknown> {
  const paths: Record<string, unknown> = {}
  const schemas: Record<string, unknown> = { Problem: problem }
  for (let n = 0; n < operations; n++) {
    const name = `Thing${n}`
    schemas[name] = thing(n)
    paths[`/things-${n}/{thingId}`] = {
      get: operation(n, name, 'get', `Read thing ${n}`),
      ...(n % 3 === 0 ? { patch: operation(n, name, 'update', `Change thing ${n}`, name) } : {}),
    }
  }
  return {
    openapi: '3.1.0',
    info: {
      title: `Large ${operations}`,
      version: '1.0.0',
      description: 'A large definition for a large test.',
      contact: { email: 'field@brackenmere.example' },
    },
    servers: [{ url: 'https://api.brackenmere.example/large' }],
    security: [{ apiKey: [] }],
    paths,
    components: {
      securitySchemes: { apiKey: { type: 'apiKey', in: 'header', name: 'X-Api-Key' } },
      responses: {
        Missing: {
          description: 'There is no such thing',
          content: {
            'application/problem+json': { schema: { $ref: '#/components/schemas/Problem' } },
          },
        },
      },
      schemas,
    },
  }
}

const problem = {
  type: 'object',
  description: 'What went wrong.',
  properties: { title: { type: 'string' }, detail: { type: 'string' } },
}

const text =
  'One of very many things, described at the length a person would write it, with what it is for and what to mind.'

function operation(n: number, name: string, verb: string, summary: string, body?: string) {
  const content = {
    'application/json': {
      schema: { $ref: `#/components/schemas/${name}` },
      example: { thingId: 't-1', count: 3, parts: [{ code: 'p-1', weight: 2.5 }] },
    },
  }
  return {
    operationId: `${verb}Thing${n}`,
    summary,
    description: text,
    tags: [`Group ${n % 40}`],
    parameters: [
      {
        name: 'thingId',
        in: 'path',
        required: true,
        description: 'The thing.',
        schema: { type: 'string' },
      },
      {
        name: 'view',
        in: 'query',
        description: 'How much of it to give.',
        schema: { type: 'string', enum: ['short', 'whole', 'history'] },
      },
    ],
    ...(body ? { requestBody: { required: true, content } } : {}),
    responses: {
      200: { description: 'The thing', content },
      404: { $ref: '#/components/responses/Missing' },
    },
  }
}

function thing(n: number) {
  const properties: Record<string, unknown> = {
    thingId: { type: 'string', description: 'Identifier.', examples: ['t-1'] },
    count: { type: 'integer', description: 'How many.', minimum: 0 },
    next: { $ref: `#/components/schemas/Thing${Math.max(0, n - 1)}` },
    parts: {
      type: 'array',
      description: 'What it is made of.',
      items: {
        type: 'object',
        properties: { code: { type: 'string' }, weight: { type: 'number', maximum: 900 } },
      },
    },
  }
  for (let i = 0; i < 22; i++) {
    properties[`field${i}`] = {
      type: i % 2 === 0 ? 'string' : 'number',
      description: `Field ${i} of thing ${n}: ${text.slice(0, 60)}`,
    }
  }
  return { type: 'object', description: text, required: ['thingId', 'count'], properties }
}

/** A WSDL and the schema it imports, with so many types: about 1.6 kB each. */
export function largeService(types: number): { wsdl: string; schema: string } {
  const parts: string[] = []
  for (let n = 0; n < types; n++) {
    const fields = Array.from(
      { length: 12 },
      (_, i) =>
        `      <xs:element name="field${i}" type="${i === 0 && n > 0 ? `l:Thing${n - 1}` : 'xs:string'}" minOccurs="${i % 2}"${i === 5 ? ' maxOccurs="unbounded"' : ''}/>`,
    )
    parts.push(
      `  <xs:complexType name="Thing${n}">\n    <xs:annotation><xs:documentation>${text}</xs:documentation></xs:annotation>\n    <xs:sequence>\n${fields.join('\n')}\n    </xs:sequence>\n    <xs:attribute name="state" type="l:State" use="required"/>\n  </xs:complexType>`,
      `  <xs:element name="thing${n}" type="l:Thing${n}"/>`,
    )
  }
  const schema = `<?xml version="1.0"?>\n<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema" xmlns:l="urn:large" targetNamespace="urn:large">\n  <xs:simpleType name="State"><xs:restriction base="xs:string"><xs:enumeration value="good"/><xs:enumeration value="weak"/></xs:restriction></xs:simpleType>\n${parts.join('\n')}\n</xs:schema>\n`
  const messages = Array.from(
    { length: 200 },
    (_, n) =>
      `<message name="M${n}"><part name="parameters" element="l:thing${n % types}"/></message>`,
  )
  const operations = Array.from(
    { length: 200 },
    (_, n) => `<operation name="Op${n}"><input message="tns:M${n}"/></operation>`,
  )
  const wsdl = `<definitions name="Large" targetNamespace="urn:service" xmlns="http://schemas.xmlsoap.org/wsdl/" xmlns:tns="urn:service" xmlns:l="urn:large" xmlns:xs="http://www.w3.org/2001/XMLSchema"><types><xs:schema><xs:import namespace="urn:large" schemaLocation="large.xsd"/></xs:schema></types>${messages.join('')}<portType name="P">${operations.join('')}</portType></definitions>`
  return { wsdl, schema }
}
