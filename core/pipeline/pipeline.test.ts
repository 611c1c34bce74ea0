import { readFileSync } from 'node:fs'
import { Ajv2020 } from 'ajv/dist/2020'
import yaml from 'js-yaml'
import { describe, expect, it } from 'vitest'
import { emptyValue, readValue, withDefaults, withoutDefaults, type Field } from '../runtime/fields'
import { conditionNames } from './condition'
import { carryOutConfig } from './carrying-out'
import { gateKinds } from './gates'
import { isFor, pipelineSchema, readPipeline, stageAfter, usualPipeline } from './pipeline'

const stages = ['Trial', 'Rehearsal', 'Live']
const read = (text: string) => readPipeline({ file: 'pipeline.yaml', text }, stages)
const faults = (text: string) =>
  read(text).diagnostics.map(({ line, message }) => `${line}: ${message}`)

const written = `pipeline: 1
for: { audiences: [private], teams: [Metering] }
stages:
  - name: Trial
  - name: Live
    gates:
      findings: {}
      soak: { hours: 48 }
      approval: { number: 2, roles: [governance] }
`

describe('a pipeline', () => {
  it('is read with what it leaves out filled in', () => {
    const { pipeline, diagnostics } = read(written)
    expect(diagnostics).toEqual([])
    expect(pipeline).toMatchObject({
      for: { audiences: ['private'], teams: ['Metering'] },
      stages: [
        { name: 'Trial', gates: {} },
        {
          name: 'Live',
          gates: {
            findings: { level: 'MUST' },
            soak: { hours: 48, calls: 0, errorPercent: 1 },
            approval: { number: 2, roles: ['governance'], authorsToo: true },
          },
        },
      ],
    })
    expect(read(JSON.stringify({ pipeline: 1, stages: [{ name: 'Trial' }] })).diagnostics).toEqual(
      [],
    )
  })

  it.each([
    ['pipeline: 2\nstages: [{ name: Trial }]\n', '1: Format must be a whole number from 1 to 1'],
    ['pipeline: 1\n', '1: Stages is missing'],
    [
      'pipeline: 1\nstages:\n  - name: Nowhere\n',
      '3: There is no stage "Nowhere"; there are Trial, Rehearsal, Live',
    ],
    [
      'pipeline: 1\nstages:\n  - name: Trial\n  - name: Live\n  - name: Trial\n',
      '5: Versions go through Trial once',
    ],
    [
      'pipeline: 1\nstages:\n  - name: Trial\n    gates: { drift: {} }\n',
      '4: Nothing stands before the first stage: versions are placed there',
    ],
    [
      'pipeline: 1\nstages:\n  - name: Trial\n  - name: Live\n    gates:\n      soak: { hours: 0 }\n',
      '6: Hours must be a whole number from 1 to 168',
    ],
    [
      'pipeline: 1\nstages:\n  - name: Trial\n  - name: Live\n    gates:\n      window: { timeZone: Elm/Brook }\n',
      '6: Time zone: "Elm/Brook" is no time zone of the IANA database',
    ],
    [
      'pipeline: 1\nstages:\n  - name: Trial\n  - name: Live\n    carryOut: { shares: [10] }\n',
      '5: Say with watch how long each share is watched',
    ],
    [
      'pipeline: 1\nstages:\n  - name: Trial\n  - name: Live\n    carryOut:\n      watch: {}\n      shares: [50, 10]\n',
      '7: Shares grow: each is larger than the one before',
    ],
    ['<pipeline/>', '1: A pipeline is YAML or JSON'],
  ])('says what is wrong with it, and where: %j', (text, fault) => {
    expect(read(text).pipeline).toBeUndefined()
    expect(faults(text)).toContain(fault)
  })

  it('takes the stages in an order of its own, and says where it begins beside the way in', () => {
    const { pipeline, diagnostics } = read(
      'pipeline: 1\nstages:\n  - name: Live\n  - name: Rehearsal\n',
    )
    expect(pipeline?.stages.map(({ name }) => name)).toEqual(['Live', 'Rehearsal'])
    expect(diagnostics).toMatchObject([
      {
        ...{ severity: 'warning', line: 3 },
        message: 'Versions are placed in Trial; from there this pipeline leads them nowhere',
      },
    ])
  })

  it('is written by a form without what holds anyway, and read as the same', () => {
    const { shape } = gateKinds.soak.config
    const usual = emptyValue(shape)
    expect(withoutDefaults(shape, usual, {})).toEqual({})
    expect(withoutDefaults(shape, usual, { hours: 1 })).toEqual({ hours: 24 })
    const configs = [...Object.values(gateKinds).map(({ config }) => config), carryOutConfig]
    for (const config of configs) {
      const value = readValue(config as Field<unknown>, emptyValue(config.shape))
      if (value.misfits) continue
      const lean = withoutDefaults(config.shape, value.value, {})
      expect(readValue(config as Field<unknown>, lean)).toEqual(value)
      expect(withDefaults(config.shape, lean)).toEqual(value.value)
    }
  })

  it('has everybody in it whom it does not leave out', () => {
    const { pipeline } = read(written)
    expect(isFor(pipeline!, { audience: 'private', team: 'Metering', labels: [] })).toBe(true)
    expect(isFor(pipeline!, { audience: 'public', team: 'Metering', labels: [] })).toBe(false)
    expect(isFor(pipeline!, { audience: 'private', team: 'Field', labels: [] })).toBe(false)
    expect(isFor(usualPipeline(stages), { audience: 'public', team: '', labels: [] })).toBe(true)
    const labelled = { ...usualPipeline(stages), for: { labels: ['money', 'people'] } }
    const of = (...labels: string[]) => isFor(labelled, { audience: 'public', team: '', labels })
    expect([of(), of('sensors'), of('sensors', 'people')]).toEqual([false, false, true])
  })

  it('leads from a stage to the next one of its own', () => {
    const { pipeline } = read(written)
    expect(stageAfter(pipeline!, 'Trial')?.name).toBe('Live')
    expect(stageAfter(pipeline!, 'Live')).toBeUndefined()
    expect(stageAfter(pipeline!, 'Rehearsal')).toBeUndefined()
    expect(stageAfter(usualPipeline(stages), 'Trial')?.name).toBe('Rehearsal')
  })

  it('has a page that names every gate and what may be said of it', () => {
    const page = readFileSync('docs/pipelines.md', 'utf8')
    for (const [name, { config }] of Object.entries(gateKinds)) {
      const [row] = page.split('\n').filter((line) => line.startsWith(`| \`${name}\``))
      expect(row, name).toBeDefined()
      const { shape } = config
      for (const member of shape.kind === 'object' ? Object.keys(shape.members) : [])
        expect(row).toContain(`\`${member}\``)
      if (name === 'condition')
        for (const { name: asked, says } of conditionNames)
          expect(row).toContain(`\`${asked}\` (${says})`)
    }
  })

  it('is read as its page shows it', () => {
    const [, example] = /```yaml\n([^]*?)```/.exec(readFileSync('docs/pipelines.md', 'utf8'))!
    const { pipeline, diagnostics } = read(example!)
    expect(diagnostics).toEqual([])
    expect(pipeline!.stages[1]!.gates.freeze!.periods).toEqual([
      { from: '2026-12-18', until: '2027-01-04', why: 'Bills go out' },
    ])
  })

  it('says of days and hours which are none', () => {
    const wrong = 'pipeline: 1\nstages:\n  - name: Trial\n  - name: Live\n    gates:\n'
    const freeze = `      freeze: { periods: [{ from: 2026-02-30, until: soon, why: x }], timeZone: Nowhere }\n`
    expect(read(wrong + freeze).diagnostics.map(({ message }) => message)).toEqual([
      expect.stringContaining('is no day'),
      expect.stringContaining('is no day'),
      expect.stringContaining('time zone'),
    ])
  })

  it('has a JSON Schema that takes what is read', () => {
    const schema = pipelineSchema()
    const ajv = new Ajv2020({ strict: false })
    const takes = ajv.compile(schema)
    expect(takes(yaml.load(written))).toBe(true)
    expect(takes({ stages: [{ name: 'Trial', gates: { colour: {} } }] })).toBe(false)
  })
})
