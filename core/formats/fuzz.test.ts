import { readdirSync, readFileSync, statSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { describe, expect, it } from 'vitest'
import { convert, ConversionFault } from './convert'
import { readDefinition } from './read'
import { mutated, random } from '../../tests/support/mutations'

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
          for (const { line, column, message } of reading.problems) {
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
