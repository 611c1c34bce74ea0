import { readdirSync, readFileSync, statSync } from 'node:fs'
import { dirname, join } from 'node:path'
import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { invalidity } from '../contract/validate'
import { sampleValue } from '../contract/samples'
import { check } from '../rules/engine'
import { circumstancesOf } from '../rules/model'
import { conversionTargets, convert, ConversionFault } from './convert'
import { readDefinition } from './read'
import { mutated, random } from '../../tests/support/mutations'
import { readable } from '../../tests/support/reading'
import { readHouse } from '../../tests/support/rules'

/** Mutated inputs; a nightly run sets ELM_FUZZ=10000 or more. */
const inputs = Number(process.env['ELM_FUZZ'] ?? 400)
const longestMs = 2000
/** Of the processor: what a busy machine keeps waiting does not hang. */
const spentMs = () => process.cpuUsage().user / 1000
const folder = 'demo/definitions'
const files = readdirSync(folder, { recursive: true, encoding: 'utf8' }).filter((name) =>
  statSync(join(folder, name)).isFile(),
)

describe('a definition that somebody broke', () => {
  it(
    `is read or refused, never crashes and never hangs (${inputs} inputs)`,
    { timeout: inputs * 300 },
    () => {
      const texts = files.map((file) => ({ file, text: readFileSync(join(folder, file), 'utf8') }))
      const slow: string[] = []
      for (let seed = 0; seed < inputs; seed++) {
        const next = random(seed)
        const { file, text } = texts[next(texts.length)]!
        const broken = mutated(text, next)
        const root = dirname(join(folder, file))
        const beside = (name: string) => {
          const path = join(root, name)
          if (!path.startsWith(folder) || !statSync(path, { throwIfNoEntry: false })?.isFile())
            return undefined
          const whole = readFileSync(path, 'utf8')
          return next(2) === 0 ? mutated(whole, next) : whole
        }
        const started = spentMs()
        try {
          const reading = readDefinition({ file: file.replace(/^.*\//, ''), text: broken }, beside)
          for (const { line, column, message } of reading.diagnostics) {
            if (line < 1 || column < 1 || message === '')
              throw new Error(`a problem without a place: ${message}`)
          }
          if (reading.readable) {
            convert(reading.contract, 'openapi-3.1', 'dereference', 'json')
            convert(reading.contract, 'swagger-2.0', 'bundle', 'json')
          }
        } catch (error) {
          if (error instanceof ConversionFault) continue
          throw new Error(`seed ${seed}, ${file}: ${(error as Error).stack}`)
        }
        if (spentMs() - started > longestMs) slow.push(`seed ${seed}, ${file}`)
      }
      expect(slow).toEqual([])
    },
  )
})

const names = ['A', 'B', 'C']
const anchors = ['one', 'two']
const identifiers = [
  'https://schemas.brackenmere.example/x',
  'y',
  'https://schemas.brackenmere.example/z',
]
const step = fc.constantFrom('properties/p', 'items', '$defs/D', 'allOf/0', '$ref', 'p')
const pointer = fc
  .tuple(fc.constantFrom(...names), fc.array(step, { maxLength: 3 }))
  .map(([name, steps]) => ['#/components/schemas', name, ...steps].join('/'))
const reference = fc.oneof(
  { weight: 4, arbitrary: pointer },
  fc.constantFrom('#', '#/paths/~1a/get', ...identifiers, ...anchors.map((anchor) => `#${anchor}`)),
  fc
    .tuple(fc.constantFrom(...identifiers), fc.constantFrom(...anchors, '/$defs/D', '/items'))
    .map(([id, fragment]) => `${id}#${fragment}`),
)
const said = {
  $ref: reference,
  $dynamicRef: reference,
  $id: fc.constantFrom(...identifiers),
  $anchor: fc.constantFrom(...anchors),
  $dynamicAnchor: fc.constantFrom(...anchors),
  discriminator: reference.map((target) => ({ propertyName: 'p', mapping: { a: target } })),
}
const { schema: tangled } = fc.letrec<{ schema: object }>((tie) => {
  const inner = tie('schema')
  const whole = {
    ...said,
    properties: fc.record({ p: inner }),
    items: inner,
    $defs: fc.record({ D: inner }),
    allOf: fc.array(inner, { maxLength: 2 }),
  }
  return {
    schema: fc.oneof(
      { maxDepth: 3 },
      fc.record(said, { requiredKeys: [] }),
      fc.record(whole, { requiredKeys: [] }),
    ),
  }
})

describe('references that lead anywhere', () => {
  const { rules, domain, words } = readHouse()

  it('are followed or refused, and never go round for ever', { timeout: 120_000 }, () => {
    fc.assert(
      fc.property(fc.tuple(tangled, tangled, tangled), reference, ([A, B, C], way) => {
        const content = { 'application/json': { schema: { $ref: way } } }
        const text = JSON.stringify({
          openapi: '3.1.0',
          info: { title: 'Tangle', version: '1.0.0' },
          paths: {
            '/a': { get: { responses: { 200: { description: 'A', content } } } },
            '/b': { $ref: '#/paths/~1b/get' },
          },
          components: { schemas: { A, B, C }, parameters: { p: { $ref: way } } },
        })
        const { contract, documents } = readable(text, 'a.json')
        for (const target of conversionTargets) convert(contract, target)
        convert(contract, 'openapi-3.1', 'dereference')
        sampleValue(contract, { $ref: '#/components/schemas/A' })
        invalidity(contract, { p: [{}] }, { $ref: '#/components/schemas/A' })
        const { faults } = check(
          documents,
          contract,
          { rules, domain, words },
          circumstancesOf({ today: '2026-11-25' }),
        )
        expect(faults).toEqual([])
      }),
      { numRuns: inputs },
    )
  })
})
