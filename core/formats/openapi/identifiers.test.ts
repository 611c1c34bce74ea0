import { describe, expect, it } from 'vitest'
import { invalidity } from '../../contract/validate'
import type { Schema } from '../../contract/model'
import { resolveSchema, wholeSchema } from '../../contract/schemas'
import { convert } from '../convert'
import { readable } from '../../../tests/support/reading'

const read = (text: string, others: Record<string, string> = {}) =>
  readable(text, 'api.yaml', others)
const head = (version: string) => `openapi: ${version}\ninfo: { title: Boats, version: "1.0.0" }\n`

describe('JSON Schema identifiers', () => {
  it('resolve anchors, $id and $dynamicRef to where they lead', () => {
    const { contract, diagnostics } = read(`${head('3.1.0')}paths: {}
components:
  schemas:
    Root:
      $id: https://schemas.brackenmere.example/root
      properties:
        a: { $ref: '#deep' }
        b: { $ref: 'leaf' }
        c: { $dynamicRef: '#node' }
      $defs:
        D: { $anchor: deep, type: integer }
        N: { $dynamicAnchor: node, type: boolean }
    Leaf: { $id: https://schemas.brackenmere.example/leaf, type: string }
`)
    expect(diagnostics).toEqual([])
    const schema = (name: string) => contract.schemas.find((found) => found.name === name)!.schema
    const { properties } = schema('Root') as { properties: Record<string, { $ref: string }> }
    const at = (name: string) => schema(properties[name]!.$ref.split('/').at(-1)!)
    expect(at('a')).toMatchObject({ type: 'integer' })
    expect(properties['b']!.$ref).toBe('#/components/schemas/Leaf')
    expect(at('c')).toMatchObject({ type: 'boolean' })
  })

  it('hold in the file that gives them', () => {
    const { contract, diagnostics } = read(
      `${head('3.1.0')}paths: {}
components:
  schemas:
    Own: { $anchor: part, type: integer }
    Other: { $ref: 'parts.yaml#part' }
    Whole: { $ref: 'parts.yaml#/Whole' }
`,
      {
        'parts.yaml': `Part: { $anchor: part, type: boolean }
Whole: { properties: { a: { $ref: '#part' }, b: { $ref: 'https://schemas.brackenmere.example/c' } } }
C: { $id: 'https://schemas.brackenmere.example/c', type: 'null' }
`,
      },
    )
    expect(diagnostics).toEqual([])
    const other = contract.schemas.find(({ name }) => name === 'Other')!.schema
    expect(resolveSchema(contract, other)).toMatchObject({ type: 'boolean' })
    const whole = wholeSchema(contract, { $ref: '#/components/schemas/Whole' }) as {
      properties: Record<string, Schema>
    }
    expect(wholeSchema(contract, whole.properties['a'])).toMatchObject({ type: 'boolean' })
    expect(wholeSchema(contract, whole.properties['b'])).toMatchObject({ type: 'null' })
  })

  it('of a whole document are its $self', () => {
    const { contract, diagnostics } = read(`openapi: 3.2.0
$self: https://apis.brackenmere.example/tides
info: { title: A, version: '1' }
paths: {}
components:
  schemas:
    A: { $ref: 'https://apis.brackenmere.example/tides#/components/schemas/B' }
    B: { type: string }
`)
    expect(diagnostics).toEqual([])
    expect(contract.schemas.find(({ name }) => name === 'A')!.schema).toEqual({
      $ref: '#/components/schemas/B',
    })
  })
})

const pages = `${head('3.1.0')}paths:
  /boats:
    get:
      responses:
        '200':
          description: Boats
          content: { application/json: { schema: { $ref: '#/components/schemas/Boats' } } }
  /anything:
    get:
      responses:
        '200':
          description: Anything
          content: { application/json: { schema: { $ref: '#/components/schemas/Page' } } }
components:
  schemas:
    Page:
      $id: https://schemas.brackenmere.example/page
      type: object
      properties:
        items: { type: array, items: { $dynamicRef: '#entry' } }
        next: { $ref: '#link' }
      $defs:
        Entry: { $dynamicAnchor: entry, not: {} }
        Link: { $anchor: link, type: string }
    Boats:
      $id: https://schemas.brackenmere.example/boats
      $ref: page
      $defs:
        Entry: { $dynamicAnchor: entry, $ref: 'https://schemas.brackenmere.example/boat' }
    Ferries:
      $id: https://schemas.brackenmere.example/ferries
      $ref: boats
      $defs:
        Entry: { $dynamicAnchor: entry, type: object, required: [line] }
    Boat:
      $id: https://schemas.brackenmere.example/boat
      type: object
      required: [name]
      properties: { name: { type: string } }
`

describe('dynamic references', () => {
  const { contract, diagnostics } = read(pages)
  const wrong = (name: string, items: unknown[]) =>
    invalidity(contract, { items }, { $ref: `#/components/schemas/${name}` })

  it('mean what the outermost resource on the way offers', () => {
    expect(diagnostics).toEqual([])
    expect(wrong('Boats', [{ name: 'Heron' }])).toBeUndefined()
    expect(wrong('Boats', [{}])).toContain('has no "name"')
    expect(wrong('Ferries', [{}])).toContain('has no "line"')
    expect(wrong('Ferries', [{ line: 'North' }])).toBeUndefined()
  })

  it('mean what is offered beside them where nothing else is on the way', () => {
    const page = contract.schemas.find(({ name }) => name === 'Page')!.schema
    const { properties } = page as { properties: { items: { items: Schema } } }
    expect(resolveSchema(contract, properties.items.items)).toMatchObject({ not: {} })
  })

  it('lead straight to what an anchor is another name for', () => {
    const { schema } = contract.schemas.find(({ name }) => name === 'Page_Boat')!
    expect(schema).toMatchObject({
      properties: { items: { items: { $ref: '#/components/schemas/Boat' } } },
    })
  })

  it('are gone from the contract, which names the copies that mean something else', () => {
    const names = contract.schemas.map(({ name }) => name)
    expect(names).toEqual(expect.arrayContaining(['Page_Boat', 'Page_Entry_3', 'Boats_Entry_3']))
    expect(contract.schemas.filter(({ declared }) => declared).map(({ name }) => name)).toEqual([
      'Page',
      'Boats',
      'Ferries',
      'Boat',
    ])
    expect(JSON.stringify(contract)).not.toContain('$dynamicRef')
  })

  it.each(['openapi-3.1', 'openapi-3.0'] as const)('still mean it as %s', (target) => {
    const { text } = convert(contract, target)
    const again = read(text)
    expect(again.diagnostics.filter(({ severity }) => severity === 'error')).toEqual([])
    const boats = { $ref: '#/components/schemas/Boats' }
    expect(invalidity(again.contract, { items: [{}] }, boats)).toContain('has no "name"')
    expect(invalidity(again.contract, { items: [{ name: 'Heron' }] }, boats)).toBeUndefined()
  })

  it('to themselves in a tree end', () => {
    const tree = read(`${head('3.1.0')}paths: {}
components:
  schemas:
    Tree:
      $id: https://schemas.brackenmere.example/tree
      $dynamicAnchor: node
      type: object
      properties:
        children: { type: array, items: { $dynamicRef: '#node' } }
    Strict:
      $id: https://schemas.brackenmere.example/strict
      $dynamicAnchor: node
      $ref: tree
      required: [name]
`).contract
    const strict = { $ref: '#/components/schemas/Strict' }
    const child = (inner: object) => ({ name: 'a', children: [inner] })
    expect(invalidity(tree, child({ name: 'b' }), strict)).toBeUndefined()
    expect(invalidity(tree, child(child({})), strict)).toContain('has no "name"')
    expect(
      invalidity(tree, { children: [{}] }, { $ref: '#/components/schemas/Tree' }),
    ).toBeUndefined()
  })
})
