import { spawnSync } from 'node:child_process'
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { availableParallelism, tmpdir } from 'node:os'
import { join } from 'node:path'
import yaml from 'js-yaml'
import { SaxesParser } from 'saxes'
import { readDefinition } from '../core/formats/read'
import { locate } from '../core/text/read'
import { largeDefinition, largeService } from './large'
import { lines, report } from './measure'

const megabytes = (text: string) => (text.length / 1e6).toFixed(1)

/** Reading each format, and finding places in it. */
export function formats(): void {
  const value = largeDefinition(3000)
  const json = JSON.stringify(value)
  const yamlText = yaml.dump(value, { lineWidth: -1, noRefs: true })

  const parse = () => JSON.parse(json) as unknown
  report(
    `Reading ${megabytes(json)} MB of JSON into a contract`,
    () => readDefinition({ file: 'a.json', text: json }),
    'JSON.parse',
    parse,
    4,
  )
  report(
    `Reading ${megabytes(yamlText)} MB of YAML into a contract`,
    () => readDefinition({ file: 'a.yaml', text: yamlText }),
    'js-yaml',
    () => yaml.load(yamlText),
    1.3,
  )
  const reading = readDefinition({ file: 'a.json', text: json })
  if (!reading.readable) throw new Error('the large definition is not readable')
  const places = reading.contract.operations
    .flatMap(({ responses }) => responses.map(({ at }) => at))
    .slice(-1000)
  report(
    'Finding 1,000 places in the JSON',
    () => locate(json, 'json', places),
    'JSON.parse',
    parse,
    3,
  )
  const plain = readDefinition({ file: 'a.yaml', text: yamlText })
  if (!plain.readable) throw new Error('the large definition is not readable as YAML')
  report(
    'Finding 1,000 places in the YAML',
    () => plain.documents.locate(places),
    'js-yaml',
    () => yaml.load(yamlText),
    1,
  )
  const { wsdl, schema } = largeService(3400)
  report(
    `Reading ${megabytes(schema)} MB of XML Schema with its WSDL`,
    () => readDefinition({ file: 'a.wsdl', text: wsdl }, () => schema),
    'a bare saxes pass',
    () => new SaxesParser().write(schema).close(),
    3,
  )
  manyDefinitions(JSON.stringify(largeDefinition(30)))
}

interface Usage {
  /** Kilobytes held at most, and seconds of all cores. */
  memory: number
  cpu: number
  seconds: number
}

/** Runs the command line inside a process that says at its end what it used. */
function runCommand(args: string[]): Usage {
  const script = `
    const started = performance.now()
    process.argv = [process.execPath, ...${JSON.stringify(args)}]
    process.stdout.write = () => true
    process.on('exit', () => {
      const { maxRSS, userCPUTime, systemCPUTime } = process.resourceUsage()
      const cpu = (userCPUTime + systemCPUTime) / 1e6
      process.stderr.write(JSON.stringify({ memory: maxRSS, cpu, seconds: (performance.now() - started) / 1000 }))
    })
    import(${JSON.stringify(join(import.meta.dirname, 'cli.mjs'))})`
  const { stderr } = spawnSync(process.execPath, ['--input-type=module', '-e', script], {
    encoding: 'utf8',
  })
  return JSON.parse(stderr) as Usage
}

/** The command line over 2,000 definitions: how many cores it keeps busy, and its memory. */
function manyDefinitions(text: string): void {
  const folder = mkdtempSync(join(tmpdir(), 'elm-bench-'))
  for (let n = 0; n < 2000; n++) writeFileSync(join(folder, `${n}.json`), text)
  const { memory, cpu, seconds } = runCommand(['inspect', '--json', folder])
  lines.push(
    `${'elm-ledger inspect over 2,000 definitions'.padEnd(52)} ${(seconds * 1000).toFixed(0).padStart(7)} ms   ${(cpu / seconds).toFixed(2).padStart(6)} of ${availableParallelism()} cores busy, ${(memory / 1024).toFixed(0)} MB at most (of 1,000)`,
  )
  rmSync(folder, { recursive: true })
}
