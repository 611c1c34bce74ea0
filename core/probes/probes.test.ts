import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { readDefinition } from '../formats/read'
import { describe as describedBy } from '../runtime/described'
import { writeProbe } from './arazzo'
import { filled, readCondition, valueOf, type Known } from './expressions'
import { probeFromExamples } from './from-examples'
import { readProbe } from './read'
import { hasPassed, resultText, runProbe, type ProbeAnswer, type ProbeRequest } from './run'

const definition = `openapi: 3.1.0
info: { title: Wells, version: 1.0.0 }
paths:
  /wells:
    get:
      operationId: listWells
      parameters:
        - { name: day, in: query, required: true, schema: { type: string, format: date } }
        - { name: X-Area, in: header, required: true, schema: { type: string }, example: north }
      responses:
        '200':
          description: Some
          content:
            application/json:
              schema: { type: array, items: { type: object, required: [id], properties: { id: { type: string } } } }
    post:
      operationId: addWell
      requestBody: { content: { application/json: { schema: { type: object } } } }
      responses: { '201': { description: Added } }
  /wells/{id}:
    get:
      operationId: getWell
      parameters: [{ name: id, in: path, required: true, schema: { type: string } }]
      responses: { '200': { description: One }, '404': { description: None } }
`
const reading = readDefinition({ file: 'wells.yaml', text: definition })
if (!reading.readable) throw new Error('The definition is not readable')
const { contract } = reading
const { operations } = contract
const described = describedBy(
  operations.map((operation) => ({
    row: `${operation.method.toUpperCase()} ${operation.path}`,
    operation,
  })),
  contract,
)

const probe = (steps: string) => `arazzo: 1.0.1
info: { title: Wells, version: 1.0.0 }
sourceDescriptions: [{ name: definition, url: wells.yaml, type: openapi }]
workflows:
  - workflowId: probe
    steps:
${steps}
`
const chain = probe(`      - stepId: list
        operationId: listWells
        parameters:
          - { name: day, in: query, value: 2026-12-01 }
          - { name: X-Area, in: header, value: north }
        successCriteria:
          - condition: $statusCode == 200 && $response.body#/0/id != null
          - { type: regex, context: $response.header.content-type, condition: ^application/json }
        outputs: { first: '$response.body#/0/id' }
      - stepId: get
        operationPath: '{$sourceDescriptions.definition.url}#/paths/~1wells~1{id}/get'
        parameters: [{ name: id, in: path, value: $steps.list.outputs.first }]
        successCriteria: [{ condition: $statusCode == 200 }]
`)
const read = (text: string) => readProbe({ file: 'probe.yaml', text }, operations)
const messages = (text: string) =>
  read(text).diagnostics.map(({ line, message }) => `${line}: ${message}`)

const json = (status: number, body: unknown): ProbeAnswer => ({
  ...{ status, ms: 3, cut: false, body: JSON.stringify(body) },
  headers: [{ name: 'Content-Type', value: 'application/json' }],
})
async function run(text: string, answers: (ProbeAnswer | Error)[]) {
  const sent: ProbeRequest[] = []
  const { probe: found, diagnostics } = read(text)
  if (!found) throw new Error(JSON.stringify(diagnostics))
  const results = await runProbe(found, {
    described,
    credential: 'secret',
    send(request) {
      const answer = answers[sent.length]!
      sent.push(request)
      return answer instanceof Error ? Promise.reject(answer) : Promise.resolve(answer)
    },
  })
  return { sent, results, passed: hasPassed(found, results), says: resultText(2, results) }
}

describe('a probe', () => {
  it('is sent step by step, and gives what one answered to the next', async () => {
    const { sent, passed, says } = await run(chain, [json(200, [{ id: 'a/b' }]), json(200, {})])
    expect(sent).toMatchObject([
      {
        method: 'GET',
        path: '/wells?day=2026-12-01',
        headers: [{ name: 'X-Area', value: 'north' }],
      },
      { method: 'GET', path: '/wells/a%2Fb' },
    ])
    expect({ passed, says }).toEqual({ passed: true, says: '2 steps passed' })
  })

  it.each([
    [json(500, []), 'list, GET /wells: not so: $statusCode == 200'],
    [json(200, []), 'list, GET /wells: not so: $statusCode == 200 && $response.body#/0/id != null'],
    [json(200, [{ id: 7 }]), 'list, GET /wells: The response'],
    [new Error('It hangs'), 'list, GET /wells: It hangs'],
  ])('stops at the first step that is not as it was asked for', async (answer, says) => {
    const found = await run(chain, [answer])
    expect(found.sent).toHaveLength(1)
    expect(found.passed).toBe(false)
    expect(found.says).toContain(says)
    expect(JSON.stringify(found.results)).not.toContain('secret')
  })

  it('fails where a status comes that is not described, and where a step needs what is not there', async () => {
    const odd = await run(
      probe(
        `      - { stepId: one, operationId: getWell, parameters: [{ name: id, in: path, value: x }] }`,
      ),
      [json(302, {})],
    )
    expect(odd.results[0]!.contract).toEqual(['The status 302 is not described'])
    const lost = await run(chain.replace("'$response.body#/0/id'", '$response.header.x'), [
      json(200, [{ id: 'a' }]),
    ])
    expect(lost.results[1]).toMatchObject({
      trouble: 'There is nothing at $steps.list.outputs.first',
    })
  })

  it('that the desk writes is one, with the key in its place', async () => {
    const text = writeProbe({
      ...{ title: 'Wells', source: 'wells.yaml', status: 200, body: undefined },
      operation: { method: 'GET', path: '/wells/{id}' },
      ...{ path: '/wells/7', headers: [] },
      credential: [{ name: 'X-Key', in: 'header', value: '{$inputs.credential}' }],
    })
    const { sent, passed } = await run(text, [json(200, {})])
    expect(sent[0]).toMatchObject({ headers: [{ name: 'X-Key', value: 'secret' }] })
    expect(passed).toBe(true)
  })

  it('is made of what a definition lets read, with its own examples', async () => {
    const { text, left } = probeFromExamples(contract, 'wells.yaml')
    expect(left).toEqual(['GET /wells/{id}: id has no example'])
    const { sent, passed } = await run(text, [json(200, [])])
    expect(sent[0]!.path).toMatch(/^\/wells\?day=\d{4}-\d{2}-\d{2}$/)
    expect(sent[0]!.headers).toEqual([{ name: 'X-Area', value: 'north' }])
    expect(passed).toBe(true)
  })

  it.each([
    ['openapi: 3.1.0', /begins with arazzo/],
    [
      probe('      - { stepId: a, operationId: nothing }'),
      /7: The definition has no operation called nothing/,
    ],
    [
      probe('      - { stepId: a, operationId: getWell, onFailure: [] }'),
      /onFailure of a step is not carried out/,
    ],
    [probe('      - { stepId: a, workflowId: other }'), /workflowId of a step is not carried out/],
    [
      probe(
        '      - { stepId: a, operationId: getWell, successCriteria: [{ condition: "$statusCode = 200" }] }',
      ),
      /This condition: "= 200" is not understood/,
    ],
    [
      probe(
        '      - { stepId: a, operationId: getWell, successCriteria: [{ condition: "(a+)+$", type: regex }] }',
      ),
      /A pattern has a context/,
    ],
    [
      probe(
        '      - { stepId: a, operationId: getWell, successCriteria: [{ condition: "$.a", type: jsonpath }] }',
      ),
      /simple or regex/,
    ],
    [
      probe(
        '      - { stepId: a, operationId: getWell }\n      - { stepId: a, operationId: getWell }',
      ),
      /Another step is called a/,
    ],
  ])('that cannot be carried out is refused with its line', (text, says) => {
    expect(read(text).probe).toBeUndefined()
    expect(messages(text).join('\n')).toMatch(says)
  })
})

describe('a condition', () => {
  const known: Known = {
    inputs: { n: 3 },
    steps: { one: { id: 'x' } },
    response: {
      status: 200,
      headers: { etag: '"1"' },
      body: { items: [{ name: 'Elm' }], of: null },
    },
  }
  it.each([
    ['$statusCode == 200', true],
    ['$statusCode >= 200 && $statusCode < 300', true],
    ['!($statusCode == 200) || true', true],
    ["$response.body#/items/0/name == 'elm'", true],
    ["$response.body#/items/1/name == 'elm'", false],
    ['$response.body#/of == null', true],
    ['$response.header.ETag == \'"1"\'', true],
    ["$steps.one.outputs.id == 'x' && $inputs.n > 2", true],
    ["$inputs.n > 'a'", false],
    ['$statusCode', false],
  ])('%s is %s', (text, holds) => {
    expect(readCondition(text)(known)).toBe(holds)
  })

  it('either reads or says what is wrong, whatever is written', () => {
    const word = fc.constantFrom(
      '$statusCode',
      '(',
      ')',
      '&&',
      '||',
      '!',
      '==',
      '1',
      "'a'",
      'true',
      '$x',
      ' ',
    )
    fc.assert(
      fc.property(fc.array(word, { maxLength: 12 }), (words) => {
        try {
          expect(typeof readCondition(words.join(' '))(known)).toBe('boolean')
        } catch (error) {
          expect((error as Error).name).toBe('Error')
          expect((error as Error).message).not.toBe('')
        }
      }),
    )
  })

  it('values are filled in wherever they stand, and missing ones said', () => {
    expect(filled({ a: ['id {$steps.one.outputs.id}', '$inputs.n'] }, known)).toEqual({
      a: ['id x', 3],
    })
    expect(() => filled('$inputs.other', known)).toThrow('There is nothing at $inputs.other')
    expect(valueOf('$inputs.toString', known)).toBeUndefined()
  })
})
