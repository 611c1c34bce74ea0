import { spawnSync } from 'node:child_process'
import { copyFileSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { Ajv } from 'ajv'
import addFormats from 'ajv-formats'
import { zipSync } from 'fflate'
import { afterAll, beforeEach, describe, expect, it } from 'vitest'
import { validateXML } from 'xmllint-wasm'
import { sarifSchema } from '../tests/support/sarif'

const folder = mkdtempSync(join(tmpdir(), 'elm-lint-'))
afterAll(() => rmSync(folder, { recursive: true, force: true }))

const run = (...args: string[]) => {
  const { status, stdout, stderr } = spawnSync(process.execPath, ['dist/cli.mjs', ...args], {
    encoding: 'utf8',
  })
  return { status, stdout, stderr }
}
const lint = (...args: string[]) => run('lint', ...args)
interface JsonFinding {
  file: string
  rule: string
  level: string
  line: number
  column: number
  endLine: number
  endColumn: number
  pointer: string
  waived: boolean
}
const found = (...args: string[]) => {
  const { status, stdout } = lint(...args, '--format', 'json')
  return { status, findings: JSON.parse(stdout) as JsonFinding[] }
}

const supply = 'demo/definitions/supply-interruptions/2.5.0.yaml'
const house = ['--rulebook', 'rulebooks/house.yaml']

describe('elm-ledger lint', () => {
  it('says what a definition breaks, where, and whether that fails', () => {
    const { status, findings } = found(supply, ...house)
    expect(status).toBe(1)
    const contact = findings.find(({ rule }) => rule === 'contact-email')!
    expect(contact).toMatchObject({ file: supply, level: 'MUST', waived: false })
    expect(contact.line).toBeGreaterThan(1)
    expect(contact.pointer).toMatch(/^\/info/)
    expect([contact.endLine, contact.endColumn]).not.toContain(0)
    // The rest of what the register knows of an API is said with options.
    const open = ['demo/definitions/reservoir-levels', ...house, '--level', 'must']
    expect(lint(...open).status).toBe(1)
    expect(lint(...open, '--audience', 'public').status).toBe(0)
  })

  it('checks folders on all cores and compares the definitions in them', () => {
    const { findings } = found('demo/definitions', ...house)
    expect(new Set(findings.map(({ file }) => file)).size).toBeGreaterThan(10)
  })

  it('ends with 2 for a wrong use and 3 for what is not readable', () => {
    const broken = join(folder, 'broken.yaml')
    writeFileSync(broken, 'openapi: 3.1.0\n  info: [')
    expect(lint(broken).status).toBe(3)
    expect(lint(join(folder, 'nothing.yaml')).status).toBe(2)
    expect(lint(supply, '--level', 'shall').status).toBe(2)
    expect(lint(supply, '--rulebook', 'package.json').status).toBe(2)
    expect(lint(supply, '--token', 'elt_x').status).toBe(2)
  })

  it('takes out what a baseline accepts, and nothing that is new', () => {
    const file = join(folder, 'supply.yaml')
    const baseline = join(folder, 'baseline.json')
    copyFileSync(supply, file)
    expect(lint(file, ...house, '--write-baseline', baseline).status).toBe(0)
    expect(lint(file, ...house, '--baseline', baseline).status).toBe(0)
    const text = readFileSync(file, 'utf8')
    writeFileSync(file, `# moved down\n${text.replace('operationId: list', 'operationId: List')}`)
    const { status, findings } = found(file, ...house, '--baseline', baseline)
    expect(status).toBe(1)
    expect(findings.filter(({ waived }) => !waived).map(({ rule }) => rule)).toEqual([
      'operation-identifier-casing',
    ])
    expect(lint(file, '--baseline', supply).status).toBe(2)
  })

  it('writes SARIF 2.1.0', () => {
    const ajv = new Ajv({ strict: false, allErrors: true })
    addFormats(ajv)
    const broken = join(folder, 'not readable.yaml')
    writeFileSync(broken, 'openapi: 3.1.0\n  info: [')
    const { stdout } = lint('demo/definitions', broken, ...house, '--format', 'sarif')
    const log = JSON.parse(stdout) as { runs: { results: unknown[] }[] }
    ajv.validate(sarifSchema, log)
    expect(ajv.errors).toBeNull()
    expect(log.runs[0]!.results.length).toBeGreaterThan(100)
  })

  it('writes JUnit XML', async () => {
    const broken = join(folder, 'not readable.yaml')
    writeFileSync(broken, 'openapi: 3.1.0\n  info: [')
    const { stdout } = lint('demo/definitions', broken, ...house, '--format', 'junit')
    const { errors } = await validateXML({
      xml: [{ fileName: 'report.xml', contents: stdout }],
      schema: [readFileSync('tests/support/junit.xsd', 'utf8')],
    })
    expect(errors).toEqual([])
    expect(stdout.match(/<failure /g)!.length).toBeGreaterThan(20)
  })
})

describe('elm-ledger lint --fix', () => {
  const file = join(folder, 'valves.yaml')
  const text = [
    '# Valves of the whole network',
    'openapi: 3.1.0',
    'info: { title: Valves, version: 1.0.0 }',
    'paths:',
    '  /valves:',
    '    get:',
    '      operationId: List_Valves # as the screens call it',
    '      responses: { "200": { description: A page } }',
    '',
  ].join('\r\n')
  beforeEach(() => writeFileSync(file, text))

  it('writes the fixes, leaves everything else, and says what is left', () => {
    const before = found(file, ...house).findings.length
    const { stdout, stderr } = lint(file, ...house, '--fix', '--format', 'json')
    expect(stderr).toMatch(/valves\.yaml: \d+ places? fixed/)
    const after = readFileSync(file, 'utf8')
    expect(after).toContain('# Valves of the whole network\r\n')
    expect(after).toContain('operationId: listValves # as the screens call it\r\n')
    expect((JSON.parse(stdout) as unknown[]).length).toBeLessThan(before)
    lint(file, ...house, '--fix')
    expect(readFileSync(file, 'utf8')).toBe(after)
  })

  it('keeps the encoding of a file', () => {
    writeFileSync(file, Buffer.from(`\uFEFF${text}`, 'utf16le'))
    lint(file, ...house, '--fix')
    const bytes = readFileSync(file)
    expect([...bytes.subarray(0, 2)]).toEqual([0xff, 0xfe])
    expect(bytes.toString('utf16le')).toContain('operationId: listValves')
  })

  it('leaves archives and what a baseline accepts alone', () => {
    const archive = join(folder, 'all.zip')
    writeFileSync(archive, zipSync({ 'valves.yaml': Buffer.from(text) }))
    expect(lint(archive, ...house, '--fix').status).toBe(2)
    const baseline = join(folder, 'accepted.json')
    lint(file, ...house, '--write-baseline', baseline)
    lint(file, ...house, '--baseline', baseline, '--fix')
    expect(readFileSync(file, 'utf8')).toBe(text)
  })
})

describe('elm-ledger rules', () => {
  it('runs the samples of a rulebook', () => {
    const { status, stdout } = run('rules', 'test')
    expect(status).toBe(0)
    expect(stdout).toMatch(/\d+ samples/)
    const own = join(folder, 'own.yaml')
    const wrong = readFileSync('rulebooks/house.yaml', 'utf8').replace(
      'expect: isSemver(definition.version)',
      'expect: "true"',
    )
    writeFileSync(own, wrong)
    expect(run('rules', 'test', '--rulebook', own).status).toBe(1)
  })

  it('writes a page for people', () => {
    const markdown = run('rules', 'docs')
    expect(markdown.stdout).toMatch(/^# /)
    const html = run('rules', 'docs', '--format', 'html')
    expect(html.stdout).toMatch(/^<!doctype html>/i)
  })
})
