import { readFileSync } from 'node:fs'
import http from 'node:http'
import { gzipSync } from 'node:zlib'
import { request } from 'undici'
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import { envelope, faultEnvelope } from '../core/contract/envelopes'
import { convert } from '../core/formats/convert'
import type { PlacementSpec, RouteRow } from '../core/runtime/placement'
import { faceContract, faceOf } from '../core/runtime/rest-face'
import { laboratory } from '../standins/older'
import { restServer } from '../standins/rest'
import { listen, testGateway, type TestGateway } from '../tests/support/gateway'
import { contractOf, readable } from '../tests/support/reading'

const folder = 'demo/definitions/lab-sampling/1.8.0'
const text = (name: string) => readFileSync(`${folder}/${name}`, 'utf8')
const { contract } = readable(
  text('lab-sampling.wsdl'),
  'lab-sampling.wsdl',
  Object.fromEntries(
    ['common.xsd', 'results.xsd', 'samples.xsd'].map((name) => [name, text(name)]),
  ),
)
const operations = contract.operations.map((operation) => ({
  row: `POST ${operation.path}`,
  operation,
}))

let gateway: TestGateway
let laboratoryUrl: string
let liarUrl: string
const servers: http.Server[] = []
/** What the next request of the second backend is answered with. */
let lie: { status?: number; type?: string; body: string | Buffer; coding?: string } = { body: '' }
let heard: { headers: http.IncomingHttpHeaders; body: string; url: string }

async function serve(url: string) {
  const spec: PlacementSpec = {
    host: 'a.example',
    basePath: '/lab/v1',
    prefix: { kind: 'strip' },
    face: 'rest',
    backends: [{ name: 'main', url, timeoutMs: 1000 }],
    routes: contract.operations.map(({ path }): RouteRow => ({
      method: 'POST',
      path,
      treatment: { kind: 'route', backend: 'main' },
    })),
    policies: { authentication: { kind: 'none', reason: 'a test' } },
  }
  await gateway.place(spec, {
    face: {
      calls: () => faceOf(operations, contract),
      document: (address) =>
        convert(faceContract(contract, address), 'openapi-3.1', 'bundle', 'json').text,
    },
  })
}

beforeAll(async () => {
  const lab = restServer({ '/lab': laboratory() })
  const liar = http.createServer((asked, response) => {
    let body = ''
    asked.on('data', (chunk: Buffer) => (body += chunk.toString()))
    asked.on('end', () => {
      heard = { headers: asked.headers, body, url: asked.url ?? '' }
      const { status = 200, type = 'text/xml', coding } = lie
      response.writeHead(status, {
        'content-type': type,
        ...(coding && { 'content-encoding': coding }),
      })
      response.end(lie.body)
    })
  })
  servers.push(lab, liar)
  laboratoryUrl = `http://127.0.0.1:${await listen(lab)}/lab`
  liarUrl = `http://127.0.0.1:${await listen(liar)}/Lab.svc`
  gateway = await testGateway()
})
afterAll(async () => {
  await gateway.close()
  for (const server of servers) server.close()
})

async function ask(
  path: string,
  body: unknown,
  headers: Record<string, string> = { 'content-type': 'application/json' },
) {
  const answer = await request(`http://127.0.0.1:${gateway.dataPort}/lab/v1${path}`, {
    method: 'POST',
    headers: { host: 'a.example', ...headers },
    body: typeof body === 'string' || Buffer.isBuffer(body) ? body : JSON.stringify(body),
  })
  const said = await answer.body.text()
  return {
    status: answer.statusCode,
    type: String(answer.headers['content-type']),
    text: said,
    body: JSON.parse(said || '{}') as Record<string, unknown>,
  }
}

const sample = {
  sample: {
    recordedAt: '2026-11-20T08:00:00Z',
    id: 'S-0000042',
    kind: 'raw',
    point: { name: 'Weir', code: 'WEIR', zone: 'north', regulatory: true },
    takenAt: '2026-11-20T07:30:00Z',
    temperature: null,
    bottle: [{ value: 'glass', millilitres: 500 }],
    recordedBy: 'lena',
  },
}

describe('the REST face of a service of SOAP', () => {
  beforeEach(() => serve(laboratoryUrl))

  it('takes JSON and answers JSON', async () => {
    const registered = await ask('/registerSample', sample)
    expect(registered).toMatchObject({ status: 200, type: 'application/json' })
    const { id } = registered.body as { id: string }
    expect(id).toMatch(/^S-\d{7}$/)
    const read = await ask('/getSample', { id })
    expect(read.status).toBe(200)
    expect(read.body).toMatchObject({ sample: { id, recordedBy: 'lab' } })
  })

  it('answers nothing where an operation has no answer', async () => {
    expect(await ask('/discardSample', { id: 'S-0004417', reason: 'Spilt' })).toMatchObject({
      status: 202,
      text: '',
    })
  })

  it('answers a fault as a problem, with what it tells', async () => {
    const missing = await ask('/getSample', { id: 'S-9999999' })
    expect(missing).toMatchObject({ status: 400, type: 'application/problem+json' })
    expect(missing.body).toMatchObject({
      title: 'The service answered with a fault',
      fault: { code: expect.any(String) as string, text: expect.any(String) as string },
    })
  })

  it('holds a request against its schema before anything is sent', async () => {
    const wrong = await ask('/getSample', { id: 'no bottle' })
    expect(wrong.status).toBe(400)
    expect(wrong.body['detail']).toMatch(/id/)
    expect((await ask('/getSample', {})).status).toBe(400)
    const { point: _, ...pointless } = sample.sample
    expect((await ask('/registerSample', { sample: pointless })).body['detail']).toMatch(/point/)
  })

  it('is offered as a definition that reads without a fault', async () => {
    const { body } = await request(`http://127.0.0.1:${gateway.dataPort}/lab/v1/openapi.json`, {
      headers: { host: 'a.example' },
    })
    const document = (await body.json()) as { servers: { url: string }[] }
    expect(document.servers).toEqual([{ url: 'https://a.example/lab/v1' }])
    const face = contractOf(document)
    expect(face.operations.map(({ path }) => path)).toEqual(
      contract.operations.map(({ path }) => path),
    )
    expect(
      face.operations.every(({ body: asked }) =>
        asked?.content.every(({ type }) => type === 'application/json'),
      ),
    ).toBe(true)
  })
})

describe('a backend and callers that are not to be trusted', () => {
  beforeEach(() => serve(liarUrl))

  it('send one message of SOAP, at the address of the service, whatever the caller says', async () => {
    lie = { body: envelope('1.1', '<r xmlns="urn:x"/>') }
    await ask(
      '/getSample',
      { id: 'S-0000001' },
      {
        'content-type': 'application/json; charset=utf-8',
        soapaction: '"urn:brackenmere.example:lab:discardSample"',
        accept: 'application/json',
      },
    )
    expect(heard.url).toBe('/Lab.svc')
    expect(heard.headers).toMatchObject({
      'content-type': 'text/xml; charset=utf-8',
      soapaction: '"urn:brackenmere.example:lab:getSample"',
    })
    expect(heard.body).toBe(
      envelope(
        '1.1',
        '<getSample xmlns="urn:brackenmere.example:lab:samples"><id>S-0000001</id></getSample>',
      ),
    )
  })

  it('cannot put markup into the message', async () => {
    lie = { body: envelope('1.1', '') }
    const evil = '</name></point></sample></registerSample></soap:Body><x a="1">&amp;]]>'
    const point = { ...sample.sample.point, name: evil }
    const answer = await ask('/registerSample', { sample: { ...sample.sample, point } })
    expect(answer.status).toBe(200)
    expect(heard.body).toContain('<name>&lt;/name&gt;&lt;/point&gt;')
    expect(heard.body.match(/<soap:Body>/g)).toHaveLength(1)
    const nul = await ask('/registerSample', {
      sample: { ...sample.sample, point: { ...point, name: 'a\u0000b' } },
    })
    expect(nul.status).toBe(400)
    expect(nul.body['detail']).toContain('a character that XML cannot carry')
  })

  it('are told what is wrong with a body that is none', async () => {
    const json = { 'content-type': 'application/json' }
    expect((await ask('/getSample', '{', json)).status).toBe(400)
    expect((await ask('/getSample', '<a/>', { 'content-type': 'text/xml' })).status).toBe(415)
    expect(
      (await ask('/getSample', gzipSync('{}'), { ...json, 'content-encoding': 'gzip' })).status,
    ).toBe(415)
    expect((await ask('/getSample', '['.repeat(100) + ']'.repeat(100), json)).body['title']).toBe(
      'The body is too much',
    )
    const large = JSON.stringify({ id: 'x'.repeat(5 * 1024 * 1024) })
    expect((await ask('/getSample', large, json)).status).toBe(413)
  })

  it('are not passed on where the answer is no message', async () => {
    const answers: [string, typeof lie][] = [
      ['words', { body: 'all is well' }],
      ['a page', { body: '<html><body/></html>', type: 'text/html' }],
      ['entities', { body: `<!DOCTYPE a [<!ENTITY x "y">]>${envelope('1.1', '<r>&x;</r>')}` }],
      ['half of one', { body: envelope('1.1', '<r/>').slice(0, -20) }],
      ['compressed', { body: gzipSync(envelope('1.1', '<r/>')), coding: 'gzip' }],
      ['another envelope', { body: '<Envelope xmlns="urn:x"><Body/></Envelope>' }],
      ['a failure', { body: 'no', status: 503 }],
    ]
    for (const [what, said] of answers) {
      lie = said
      const { status, type } = await ask('/getSample', { id: 'S-0000001' })
      expect([what, status, type]).toEqual([what, 502, 'application/problem+json'])
    }
  })

  it('tell faults of both versions by whose they are', async () => {
    const fault = (isSender: boolean) => ({ isSender, reason: 'No <such> sample' })
    lie = { status: 500, body: faultEnvelope('1.1', fault(true)) }
    expect(await ask('/getSample', { id: 'S-0000001' })).toMatchObject({
      status: 400,
      body: { detail: 'No <such> sample' },
    })
    lie = { status: 500, body: faultEnvelope('1.2', fault(false)), type: 'application/soap+xml' }
    expect((await ask('/getSample', { id: 'S-0000001' })).status).toBe(500)
  })

  it('keep a large answer from being kept', async () => {
    lie = { body: envelope('1.1', `<r>${'x'.repeat(5 * 1024 * 1024)}</r>`) }
    expect((await ask('/getSample', { id: 'S-0000001' })).status).toBe(502)
  }, 20_000)
})
