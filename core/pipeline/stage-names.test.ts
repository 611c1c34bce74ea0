import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { readPipeline } from './pipeline'
import { withStageCalled } from './stage-names'

const called = (text: string, from: string, to: string) =>
  withStageCalled({ file: 'pipeline.yaml', text }, from, to)

const written = `# How it goes.
pipeline: 1
stages:
  - name: Trial   # where it begins
  - name: "Live"
    gates:
      condition:
        all:
          - { cel: 'to != "Live" || team == "Metering"', says: Live is for Metering }
`

describe('the text of a pipeline with a stage called otherwise', () => {
  it('has the name in its stages and in what its conditions compare with, and nowhere else', () => {
    expect(called(written, 'Live', 'Production')).toBe(
      written
        .replace('name: "Live"', 'name: "Production"')
        .replace('to != "Live"', 'to != "Production"'),
    )
    expect(called(written, 'Trial', 'Sandbox')).toContain('name: Sandbox   # where it begins')
    expect(called(written, 'Rehearsal', 'Practice')).toBe(written)
  })

  it('is JSON where it was', () => {
    expect(called('{"pipeline":1,"stages":[{"name":"Live"}]}', 'Live', 'A "B"')).toBe(
      '{"pipeline":1,"stages":[{"name":"A \\"B\\""}]}',
    )
  })

  it('stays as it is where it cannot be read', () => {
    expect(called('stages: [', 'Live', 'Production')).toBe('stages: [')
  })

  const name = fc.string({ minLength: 1, maxLength: 40 }).filter((text) => text.trim() === text)
  const isAsBefore = (from: string, to: string) => {
    fc.pre(from !== to)
    const text = JSON.stringify({
      pipeline: 1,
      stages: [
        { name: 'Trial' },
        {
          name: from,
          gates: {
            condition: { all: [{ cel: `to == ${JSON.stringify('x')}`, says: 'It is x' }] },
          },
        },
      ],
    })
    fc.pre(from !== 'Trial' && to !== 'Trial' && from !== 'x')
    const before = readPipeline({ file: 'p.json', text }, ['Trial', from])
    fc.pre(before.pipeline !== undefined)
    const after = readPipeline({ file: 'p.json', text: called(text, from, to) }, ['Trial', to])
    expect(after.pipeline?.stages.map((stage) => stage.name)).toEqual(['Trial', to])
    expect(called(called(text, from, to), to, from)).toBe(text)
  }
  it('reads as the same pipeline, with every odd name', () => {
    fc.assert(fc.property(name, name, isAsBefore))
  })
})
