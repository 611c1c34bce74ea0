import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { readResources, withStatus, writeResource } from './files'

const text = `# Who serves what
format: 1
kind: GatewayGroup
name: edge
spec:
  serves: Public traffic # for everybody
---
format: 1
kind: Host
name: api.brackenmere.example
spec: { stage: Live, audiences: [public] }
`

describe('resources in files', () => {
  it('are read with the lines they begin in', () => {
    const { resources, faults } = readResources('a.yaml', text)
    expect(faults).toEqual([])
    expect(resources).toMatchObject([
      { kind: 'GatewayGroup', name: 'edge', document: 0, line: 2 },
      { kind: 'Host', spec: { stage: 'Live' }, document: 1, line: 8 },
    ])
  })

  it.each([
    ['kind: [', /./],
    ['format: 2\nkind: Host\nname: a\nspec: {}', /format of a resource is 1/],
    ['format: 1\nkind: Host\nspec: {}', /a kind and a name/],
    ['format: 1\nkind: Host\nname: a\nspec: []', /below spec/],
    ['format: 1\nkind: Host\nname: a\nspce: {}\nspec: {}', /no member called "spce"/],
    ['format: 1\nkind: Host\nname: &a x\nspec: { b: *a }', /Aliases and anchors/],
    ['- 1', /A resource is an object/],
  ])('%j is refused with its line', (written, says) => {
    const { resources, faults } = readResources('a.yaml', written)
    expect(resources).toEqual([])
    expect(faults).toMatchObject([{ file: 'a.yaml', message: says }])
    expect(faults[0]!.line).toBeGreaterThan(0)
  })

  it('are read as they were written, whatever they say', () => {
    fc.assert(
      fc.property(fc.dictionary(fc.string(), fc.jsonValue()), (spec) => {
        // What JSON itself cannot keep is none of this.
        const value = JSON.parse(JSON.stringify(spec)) as Record<string, unknown>
        delete value['__proto__']
        const { resources, faults } = readResources(
          'a.yaml',
          writeResource({ kind: 'Host', name: 'a', spec: value }),
        )
        expect(faults).toEqual([])
        expect(resources[0]!.spec).toEqual(value)
      }),
    )
  })

  it('get their status beside what somebody wrote, comments and all', () => {
    const after = withStatus(text, new Map([[1, { generation: 3 }]]))
    expect(after).toContain('# Who serves what')
    expect(after).toContain('Public traffic # for everybody')
    expect(after.indexOf('generation: 3')).toBeGreaterThan(after.indexOf('kind: Host'))
    expect(readResources('a.yaml', after).resources.map(({ spec }) => spec)).toEqual(
      readResources('a.yaml', text).resources.map(({ spec }) => spec),
    )
    const again = withStatus(after, new Map([[1, { generation: 4 }]]))
    expect(again).toBe(after.replace('generation: 3', 'generation: 4'))
  })
})
