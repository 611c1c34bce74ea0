import { readFileSync } from 'node:fs'
import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { operationName } from '../contract/model'
import { readDefinition } from '../formats/read'
import { draftFaults, proposedId, type OperationDraft } from './draft'
import { schemaFromExample } from './example'
import { newDefinition } from './new-definition'
import { insertOperation } from './operation'
import { EditFault } from './tree'
import { representedElements } from '../formats/wadl/insert'
import { readable } from '../../tests/support/reading'

const draft = (changes: Partial<OperationDraft> = {}): OperationDraft => ({
  method: 'get',
  path: '/valves/{valveId}',
  id: 'getValve',
  summary: 'Read one valve',
  tag: '',
  parameters: [{ name: 'valveId', in: 'path', type: 'string', required: true, description: '' }],
  body: undefined,
  status: '200',
  answer: { kind: 'example', value: { valveId: 'v-1', turns: 4, openedOn: '2026-01-31' } },
  ...changes,
})

const operationsIn = (text: string, file: string) => {
  const reading = readable(text, file)
  expect(reading.diagnostics.filter(({ severity }) => severity === 'error')).toEqual([])
  return reading.contract.operations.map(operationName)
}

/** What was there stays: without the new lines, the text is the old one. */
const isKept = (before: string, after: string) => {
  const old = before.split('\n')
  let at = 0
  for (const line of after.split('\n')) if (line === old[at]) at++
  return at === old.length
}

const demo = [
  ['supply-interruptions/2.5.0.yaml', 'OpenAPI', 'yaml', true],
  ['payments-desk/1.5.0.yaml', 'OpenAPI', 'yaml', false],
  ['reservoir-levels/1.2.0.json', 'OpenAPI', 'json', false],
  ['connections-and-permits/1.0.3.json', 'Swagger', 'json', false],
  ['tanker-dispatch/0.9.4.raml', 'RAML', 'yaml', false],
] as const

describe('adding an operation', () => {
  it.each(demo)(
    'to %s puts it in its place and changes nothing else',
    (name, format, syntax, modern) => {
      const text = readFileSync(`demo/definitions/${name}`, 'utf8')
      const after = insertOperation(text, syntax, format, draft(), modern)
      const before = operationsIn(text, name)
      expect(operationsIn(after, name).sort()).toEqual([...before, 'GET /valves/{valveId}'].sort())
      expect(syntax === 'json' || isKept(text, after)).toBe(true)
      expect(() => insertOperation(after, syntax, format, draft(), modern)).toThrow(EditFault)
    },
  )

  it('below a path that is there, keeps comments, order and indentation', () => {
    const text =
      'openapi: 3.1.0\ninfo: { title: A, version: "1" }\npaths:\n    # the valves\n    /valves/{valveId}:\n        parameters:\n            - { name: valveId, in: path, required: true, schema: { type: string } }\n        get: # first\n            responses: { "200": { description: ok } }\n# after\ncomponents: {}\n'
    const after = insertOperation(
      text,
      'yaml',
      'OpenAPI',
      draft({
        method: 'delete',
        id: 'removeValve',
        parameters: [],
        answer: undefined,
        status: '204',
      }),
      true,
    )
    expect(isKept(text, after)).toBe(true)
    expect(after).toContain('        delete:\n            summary: Read one valve\n')
    expect(after.indexOf('delete:')).toBeLessThan(after.indexOf('# after'))
    expect(operationsIn(after, 'a.yaml')).toEqual([
      'GET /valves/{valveId}',
      'DELETE /valves/{valveId}',
    ])
  })

  it('to a definition that has no operation yet', () => {
    const text = newDefinition({
      title: 'Valves',
      version: '0.1.0',
      description: '',
      contactName: '',
      contactEmail: '',
      server: 'https://api.brackenmere.example/valves',
    })
    expect(operationsIn(text, 'a.yaml')).toEqual([])
    expect(operationsIn(insertOperation(text, 'yaml', 'OpenAPI', draft(), true), 'a.yaml')).toEqual(
      ['GET /valves/{valveId}'],
    )
  })

  it('keeps Windows line ends', () => {
    const text =
      'openapi: 3.1.0\r\ninfo:\r\n  title: A\r\n  version: "1"\r\npaths:\r\n  /a:\r\n    get:\r\n      responses:\r\n        "204":\r\n          description: ok\r\n'
    const after = insertOperation(text, 'yaml', 'OpenAPI', draft(), true)
    expect(after.replaceAll('\r\n', '')).not.toContain('\n')
    expect(operationsIn(after, 'a.yaml')).toHaveLength(2)
  })

  describe('to a WADL', () => {
    const register = readFileSync(
      'demo/definitions/hydrant-register/1.1.0/hydrant-register.wadl',
      'utf8',
    )
    const into = (text: string, changes: Partial<OperationDraft> = {}) =>
      insertOperation(text, 'xml', 'WADL', draft(changes), false)
    const file = (text: string) => {
      const reading = readDefinition({ file: 'a.wadl', text }, (name) =>
        readFileSync(`demo/definitions/hydrant-register/1.1.0/${name}`, 'utf8'),
      )
      if (!reading.readable) throw new Error(JSON.stringify(reading.diagnostics))
      expect(reading.diagnostics).toEqual([])
      return reading.contract.operations
    }

    it('puts it below the resource that is nearest, and keeps the rest', () => {
      const after = into(register, {
        method: 'post',
        path: '/hydrants/{number}/flushes/{flushId}',
        parameters: [
          { name: 'number', in: 'path', type: 'string', required: true, description: '' },
          { name: 'flushId', in: 'path', type: 'integer', required: true, description: '' },
          { name: 'dryRun', in: 'query', type: 'boolean', required: false, description: '' },
        ],
        summary: 'Flush "all" & report',
        body: { kind: 'example', value: { minutes: 4, by: 'crew <3>' } },
        answer: { kind: 'schema', name: 'h:hydrant' },
      })
      expect(isKept(register, after)).toBe(true)
      const made = file(after).find(({ path }) => path.endsWith('/flushes/{flushId}'))!
      expect(made).toMatchObject({ method: 'post', summary: 'Flush "all" & report' })
      expect(made.parameters.map(({ name, in: place }) => `${place} ${name}`).sort()).toEqual([
        'path flushId',
        'path number',
        'query dryRun',
      ])
      expect(made.body?.content[0]).toMatchObject({
        type: 'application/json',
        schema: { properties: { minutes: { type: 'integer' }, by: { type: 'string' } } },
      })
      expect(made.responses[0]?.content[0]?.schema).toBeDefined()
      expect(file(after)).toHaveLength(file(register).length + 1)
    })

    it('opens a resource that has nothing inside, and refuses what stands', () => {
      const after = into(register, { method: 'put', path: '/areas', parameters: [] })
      expect(file(after).map(operationName)).toContain('PUT /areas')
      expect(() => into(register, { path: '/hydrants', parameters: [] })).toThrow(EditFault)
      expect(() => into('<application', {})).toThrow(EditFault)
      expect(() => into('<application/>', {})).toThrow(/no "resources"/)
    })

    it('writes with the prefixes of the document', () => {
      const text =
        '<w:application xmlns:w="http://wadl.dev.java.net/2009/02"><w:resources base="https://a.example/"></w:resources></w:application>'
      const after = into(text)
      expect(after).toContain('<w:resource path="valves/{valveId}">')
      expect(file(after).map(operationName)).toEqual(['GET /valves/{valveId}'])
    })

    it('offers the elements that its representations speak of', () => {
      expect(representedElements(register)).toContain('h:hydrant')
      expect(representedElements('no xml')).toEqual([])
    })
  })

  it('into a text that is not readable is refused', () => {
    expect(() => insertOperation('paths: [', 'yaml', 'OpenAPI', draft(), true)).toThrow(EditFault)
  })
})

describe('the form', () => {
  it.each([
    ['get', '/hydrants', 'listHydrants'],
    ['get', '/hydrants/{id}', 'getHydrant'],
    ['post', '/hydrants', 'createHydrant'],
    ['delete', '/hydrants/{id}/checks/{checkId}', 'deleteHydrantCheck'],
    ['get', '/water-qualities', 'listWaterQualities'],
    ['post', '/hydrants/{number}/flushes', 'createHydrantFlush'],
    ['put', '/statuses/{id}/address', 'replaceStatusAddress'],
  ])('proposes an identifier for %s %s', (method, path, id) =>
    expect(proposedId(method, path)).toBe(id),
  )

  it('names what is wrong with a draft', () => {
    expect(draftFaults(draft())).toEqual({})
    expect(draftFaults(draft({ path: 'valves', status: 'ok' }))).toHaveProperty('path')
    expect(draftFaults(draft({ path: '/valves/{id' }))).toHaveProperty('path')
    expect(draftFaults(draft({ path: '/valves?x=1' }))).toHaveProperty('path')
    expect(draftFaults(draft({ status: 'ok' }))).toHaveProperty('status')
  })

  it('makes a schema that any example fits', () => {
    fc.assert(
      fc.property(fc.jsonValue({ maxDepth: 3 }), (value) => {
        const schema = schemaFromExample(value)
        if (Array.isArray(value)) expect(schema['type']).toBe('array')
        else if (typeof value === 'object' && value !== null) {
          expect(Object.keys(schema['properties'] as object)).toEqual(Object.keys(value))
        } else if (value !== null)
          expect(['string', 'boolean', 'integer', 'number']).toContain(schema['type'])
      }),
    )
  })
})
