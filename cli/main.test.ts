import { spawnSync } from 'node:child_process'
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { Ajv } from 'ajv'
import { zipSync } from 'fflate'
import { afterAll, describe, expect, it } from 'vitest'
import { sarifSchema } from '../tests/support/sarif'
import type { Inspection } from './inspect'

const folder = mkdtempSync(join(tmpdir(), 'elm-cli-'))
afterAll(() => rmSync(folder, { recursive: true, force: true }))

const run = (...args: string[]) => {
  const { status, stdout, stderr } = spawnSync(process.execPath, ['dist/cli.mjs', ...args], {
    encoding: 'utf8',
  })
  return { status, stdout, stderr }
}
const inspect = (...paths: string[]) => {
  const { status, stdout } = run('inspect', '--json', ...paths)
  return { status, found: JSON.parse(stdout) as Inspection[] }
}

describe('elm-ledger inspect', () => {
  it('counts what definitions of every format hold', () => {
    const { status, found } = inspect('demo/definitions')
    expect(status).toBe(0)
    const counts = (ending: string) => {
      const one = found.find(({ file }) => file.endsWith(ending))!
      return [one.format, one.formatVersion, one.operations, one.schemas, one.servers]
    }
    expect(counts('lab-sampling/1.8.0/lab-sampling.wsdl')).toEqual(['WSDL', '1.1', 9, 21, 2])
    expect(counts('works-orders/3.2.0.wsdl')).toEqual(['WSDL', '2.0', 9, 8, 1])
    expect(counts('billing-and-tariffs.raml')).toEqual(['RAML', '1.0', 21, 12, 1])
    expect(counts('tanker-dispatch/0.9.4.raml')).toEqual(['RAML', '0.8', 15, 3, 1])
    expect(counts('hydrant-register.wadl')).toEqual(['WADL', '2009', 10, 4, 1])
    expect(counts('connections-and-permits/1.0.3.json')).toEqual(['Swagger', '2.0', 16, 8, 1])
    expect(counts('3.3.0/customer-accounts.yaml')).toEqual(['OpenAPI', '3.0.3', 21, 16, 1])
    expect(found.every(({ ms }) => ms > 0)).toBe(true)
  })

  it('looks into archives', () => {
    const archive = join(folder, 'all.zip')
    const text = readFileSync('demo/definitions/works-orders/3.2.0.wsdl')
    writeFileSync(
      archive,
      zipSync({ 'works/orders.wsdl': text, 'works/readme.md': text.subarray(0, 10) }),
    )
    const { found } = inspect(archive)
    expect(found).toMatchObject([
      { file: `${archive}!works/orders.wsdl`, format: 'WSDL', operations: 9 },
    ])
  })

  it('says of an archive that is refused why, and goes on with the others', () => {
    const archive = join(folder, 'up.zip')
    writeFileSync(archive, zipSync({ '../up.yaml': new Uint8Array(4) }))
    const { status, found } = inspect(archive, 'demo/definitions/works-orders')
    expect(status).toBe(1)
    expect(found.map(({ format }) => format)).toEqual([null, 'WSDL'])
    expect(found[0]!.problems[0]!.message).toMatch(/leads out of its folder/)
  })

  it('says with 1 that something is wrong, and where', () => {
    const file = join(folder, 'bad.yaml')
    writeFileSync(
      file,
      'openapi: 3.1.0\ninfo:\n  title: A\n  version: "1"\npaths:\n  /a:\n    get:\n      responses:\n        "200": { $ref: "#/none" }\n',
    )
    const { status, found } = inspect(file)
    expect(status).toBe(1)
    expect(found[0]!.problems).toMatchObject([{ level: 'error', file, line: 9, column: 18 }])
    expect(run('inspect', file).stdout).toContain(`${file}:9:18 error:`)
  })

  it('says with 2 that it was used wrongly', () => {
    expect(run('inspect', join(folder, 'none.yaml'))).toMatchObject({ status: 2, stdout: '' })
    expect(run('inspect').status).toBe(2)
    expect(run('nothing').status).toBe(2)
    expect(run('--help').status).toBe(0)
  })

  it('does not read what lies elsewhere', () => {
    const secret = join(folder, 'secret.yaml')
    writeFileSync(secret, 'password: hunter\n')
    const inner = mkdtempSync(join(tmpdir(), 'elm-cli-'))
    const file = join(inner, 'a.yaml')
    writeFileSync(
      file,
      `openapi: 3.1.0\ninfo: { title: A, version: "1" }\npaths: {}\ncomponents: { schemas: { S: { $ref: "${secret}" } } }\n`,
    )
    expect(inspect(file).found[0]!.problems[0]!.message).toMatch(/is not among the files/)
    rmSync(inner, { recursive: true })
  })
})

describe('elm-ledger convert', () => {
  it('writes another format, and lists what is lost with its place', () => {
    const out = join(folder, 'out.json')
    const source = 'demo/definitions/supply-interruptions/2.5.0.yaml'
    const { status, stderr } = run('convert', source, '--to', 'openapi-3.0', '-o', out)
    expect(status).toBe(0)
    expect(stderr).toMatch(/2\.5\.0\.yaml:\d+:\d+ not carried over: OpenAPI 3\.0 has no webhooks/)
    expect(JSON.parse(readFileSync(out, 'utf8'))).toMatchObject({ openapi: '3.0.3' })
    expect(inspect(out).status).toBe(0)
  })

  it('bundles a WSDL with its schemas into one document', () => {
    const out = join(folder, 'one.wsdl')
    expect(
      run('convert', 'demo/definitions/lab-sampling/1.8.0/lab-sampling.wsdl', '--bundle', '-o', out)
        .status,
    ).toBe(0)
    expect(inspect(out).found).toMatchObject([
      { format: 'WSDL', operations: 9, schemas: 21, problems: [] },
    ])
  })

  it.each([[['--to', 'nothing']], [['--bundle', '--dereference']], [[]]])(
    'refuses %j',
    (options) => {
      expect(run('convert', 'demo/definitions/works-orders/3.2.0.wsdl', ...options).status).toBe(2)
    },
  )
})

describe('elm-ledger compare', () => {
  const older = 'demo/definitions/meter-readings/3.9.2.yaml'
  const newer = 'demo/definitions/meter-readings/4.0.0.yaml'
  interface Told {
    effect: string
    direction: string
    operation: string
    subject: string
    message: string
    before: { file: string; line: number; column: number } | null
    after: { file: string; line: number; column: number } | null
    witness: object | null
  }

  it('says what breaks, where in both texts, with a witness', () => {
    const { status, stdout } = run('compare', older, newer, '--format', 'json')
    expect(status).toBe(0)
    const changes = JSON.parse(stdout) as Told[]
    const gone = changes.find(({ message }) => message === 'Is gone')!
    expect(gone).toMatchObject({
      effect: 'breaking',
      direction: 'both',
      operation: 'GET /meters/{meterId}/estimates/next',
      before: { file: older },
      after: null,
    })
    for (const { effect, witness } of changes) expect(effect === 'breaking').toBe(witness !== null)
    const order = changes.map(({ effect }) => ['breaking', 'risky', 'safe'].indexOf(effect))
    expect(order).toEqual([...order].sort())
  })

  it.each<[string[], number]>([
    [[older, newer], 0],
    [[older, newer, '--fail-on', 'breaking'], 1],
    [[older, newer, '--fail-on', 'risky'], 1],
    [[older, older, '--fail-on', 'risky'], 0],
    [[older], 2],
    [[older, 'nowhere.yaml'], 2],
    [[older, newer, '--format', 'prose'], 2],
    [[older, newer, '--fail-on', 'safe'], 2],
    [[older, 'package-lock.json'], 3],
  ])('%j ends with %i', (args, status) => {
    expect(run('compare', ...args).status).toBe(status)
  })

  it('compares any format with any other', () => {
    const { stdout, status } = run(
      'compare',
      'demo/definitions/tanker-dispatch/0.9.4.raml',
      'demo/successors/tanker-dispatch-1.0.0.yaml',
      '--format',
      'json',
    )
    expect(status).toBe(0)
    const changes = JSON.parse(stdout) as Told[]
    const said = changes.map(
      ({ effect, operation, message }) => `${effect} ${operation}: ${message}`,
    )
    expect(said).toEqual(
      expect.arrayContaining([
        'breaking GET /jobs/{jobId}: Was GET /Jobs/{jobId}',
        'breaking DELETE /tankers/{tankerId}: Is gone',
        'breaking GET /depots: Asks for token, asked for basic',
        'breaking PUT /tankers/{tankerId}: Response 200: state may be "in-repair"',
        'breaking POST /tankers/{tankerId}/fill: Request body application/x-www-form-urlencoded is gone',
      ]),
    )
    // What is only written in another language is no change.
    expect(changes.filter(({ operation }) => operation === 'POST /jobs')).toHaveLength(3)
  })

  it('checks a definition against the version before it, where rules ask what changed', () => {
    const findings = (...args: string[]) => {
      const { stdout } = run('lint', newer, '--format', 'json', ...args)
      return (JSON.parse(stdout) as { rule: string; message: string }[])
        .filter(({ rule }) => ['version-fits', 'deprecate-before-removing'].includes(rule))
        .map(({ message }) => message)
    }
    expect(findings()).toEqual([])
    expect(findings('--before', older)).toEqual([
      'GET /meters/{meterId}/estimates/next is gone since 3.9.2, where it was not deprecated; announce it first',
    ])
    expect(run('lint', newer, '--before', 'nowhere.yaml').status).toBe(2)
    expect(run('lint', newer, '--before', 'package-lock.json').status).toBe(2)
    expect(run('lint', newer, older, '--before', older).status).toBe(2)
  })

  it('writes a changelog, and reports that other programs read', () => {
    const markdown = run('compare', older, newer, '--format', 'markdown').stdout
    expect(markdown).toMatch(
      /^# From .*\n\nThe version number that fits is 4\.0\.0\.\n\n## Breaking\n/,
    )
    const sarif = JSON.parse(run('compare', older, newer, '--format', 'sarif').stdout) as {
      version: string
      runs: { results: { level: string }[] }[]
    }
    expect(sarif.version).toBe('2.1.0')
    expect(sarif.runs[0]!.results.map(({ level }) => level)).toContain('error')
    const junit = run('compare', older, newer, '--format', 'junit').stdout
    expect(junit).toMatch(/<testsuites>\n <testsuite [^>]*failures="[1-9]\d*"/)
    expect(junit.match(/<failure /g)!.length).toBe(Number(/failures="(\d+)"/.exec(junit)![1]))
  })

  it('lets nothing of a definition into the words of a report as markup', () => {
    const hostile = join(folder, 'hostile.yaml')
    const name = '"><script>alert(1)</script>&\\u0001`*_['
    const text = (inside: string) =>
      `openapi: 3.1.0\ninfo: { title: x, version: "1" }\npaths:\n  /a:\n    get:\n      parameters: [${inside}]\n      responses: { "200": { description: x } }\n`
    writeFileSync(
      hostile,
      text(
        `{ name: "${name.replaceAll('"', '\\"')}", in: query, required: true, schema: { type: string } }`,
      ),
    )
    const plain = join(folder, 'plain.yaml')
    writeFileSync(plain, text(''))
    const junit = run('compare', plain, hostile, '--format', 'junit').stdout
    expect(junit).not.toContain('<script>')
    const markdown = run('compare', plain, hostile, '--format', 'markdown').stdout
    expect(markdown).not.toMatch(/^- .*[^\\]<script>/m)
  })
})

describe('elm-ledger drift', () => {
  const route = (backend: string) => `apiVersion: gateway.networking.k8s.io/v1
kind: HTTPRoute
metadata: { name: levels, namespace: water }
spec:
  hostnames: [inner.example]
  rules:
    - matches: [{ path: { type: Exact, value: /levels/v1/levels }, method: GET }]
      backendRefs: [{ name: ${backend}, port: 8080 }]
`
  const file = (name: string, text: string) => {
    writeFileSync(join(folder, name), text)
    return join(folder, name)
  }
  const intent = file('intent.yaml', route('levels'))
  const moved = file('moved.yaml', route('archive'))
  const drift = (running: string[], ...more: string[]) =>
    run('drift', '--intent', intent, '--running', ...running, ...more)

  it('ends with 0 where nothing differs, and with 1 where something does', () => {
    expect(drift([intent])).toMatchObject({ status: 0, stdout: '= nothing differs\n' })
    const { status, stdout } = drift([moved])
    expect(status).toBe(1)
    expect(stdout).toContain('≠ GET /levels/v1/levels: backend is served by')
    expect(stdout).toContain('2 differences')
  })

  it('writes what differs as JSON, and as SARIF that keeps its schema', () => {
    expect(JSON.parse(drift([moved], '--format', 'json').stdout)).toMatchObject([
      {
        where: 'GET /levels/v1/levels',
        what: 'backend',
        intended: expect.stringContaining('levels') as string,
        running: expect.stringContaining('archive') as string,
        cause: 'Somebody changed it on the gateway',
      },
      { what: 'address', running: 'http://archive.water.svc:8080' },
    ])
    const ajv = new Ajv({ strict: false, allErrors: true })
    const log: unknown = JSON.parse(drift([moved], '--format', 'sarif').stdout)
    ajv.validate(sarifSchema, log)
    expect(ajv.errors ?? []).toEqual([])
    expect(log).toMatchObject({
      runs: [{ results: [{ ruleId: 'drift', level: 'error' }, { ruleId: 'drift' }] }],
    })
  })

  it('reads several files as one, and says what it does not understand', () => {
    const odd = file(
      'odd.json',
      '{"apiVersion":"o.example/v1","kind":"Odd","metadata":{"name":"x"}}',
    )
    const { status, stderr } = drift([intent, odd])
    expect(status).toBe(0)
    expect(stderr).toMatch(/not understood: .*Odd/)
  })

  it('ends with 2 for wrong use, and with 3 for what is not readable', () => {
    expect(drift(['nowhere.yaml'])).toMatchObject({ status: 2, stdout: '' })
    expect(run('drift', '--intent', intent).status).toBe(2)
    expect(run('drift', '--intent', '-', '--running', '-').status).toBe(2)
    expect(drift([intent], '--format', 'xml').status).toBe(2)
    const broken = file('broken.yaml', 'a: [')
    const { status, stderr } = drift([broken])
    expect(status).toBe(3)
    expect(stderr).toContain('not readable')
  })
})
