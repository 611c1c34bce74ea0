import { readFileSync } from 'node:fs'
import { request } from 'undici'
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import { envelope, envelopeNamespaces } from '../core/contract/envelopes'
import { mockAnswers } from '../core/contract/mocks'
import { bundleWsdl } from '../core/formats/wsdl/bundle'
import { describe as describedBy } from '../core/runtime/described'
import { operationKey, type PlacementSpec, type RouteRow } from '../core/runtime/placement'
import type { PolicySet } from '../core/runtime/policies'
import { apiKeyIn } from '../core/runtime/policies/authenticate'
import type { SoapMatch } from '../core/runtime/soap'
import { recorder, testGateway, type TestGateway } from '../tests/support/gateway'
import { readable } from '../tests/support/reading'

let gateway: TestGateway
let backend: Awaited<ReturnType<typeof recorder>>

const folder = 'demo/definitions/lab-sampling/1.6.0'
const text = (name: string) => readFileSync(`${folder}/${name}`, 'utf8')
const others = Object.fromEntries(
  ['common.xsd', 'results.xsd', 'samples.xsd'].map((name) => [name, text(name)]),
)
const lab = readable(text('lab-sampling.wsdl'), 'lab-sampling.wsdl', others)
const samples = 'urn:brackenmere.example:lab:samples'
const act = (name: string) => `urn:brackenmere.example:lab:${name}`

const soap = new Map(
  lab.contract.operations.map(({ method, path, soap: bindings = [] }) => [
    operationKey({ method: method.toUpperCase(), path }),
    bindings.map(({ version, action, input }): SoapMatch => ({
      version,
      ...(action !== undefined && { action }),
      ...(input && { element: `{${input.namespace}}${input.name}` }),
    })),
  ]),
)

async function serve(policies: PolicySet = {}, mocked: string[] = []) {
  const routes = lab.contract.operations.map(({ path }): RouteRow => {
    const treatment = mocked.includes(path)
      ? ({ kind: 'mock' } as const)
      : path === '/discardSample'
        ? ({ kind: 'withheld', reason: 'For the laboratory' } as const)
        : ({ kind: 'route', backend: 'main' } as const)
    const own: PolicySet | undefined =
      path === '/listPoints' ? { rate: { requests: 1, seconds: 60, per: 'placement' } } : undefined
    return { method: 'POST', path, treatment, ...(own && { policies: own }) }
  })
  const spec: PlacementSpec = {
    host: 'a.example',
    basePath: '/lab/soap',
    prefix: { kind: 'strip' },
    backends: [{ name: 'main', url: `${backend.url}/Lab.svc`, timeoutMs: 1000 }],
    routes,
    policies: { authentication: { kind: 'none', reason: 'a test' }, ...policies },
  }
  const root = lab.documents.get()!.reading
  if (!root.readable || root.syntax !== 'xml') throw new Error('no WSDL')
  await gateway.place(spec, {
    soap,
    wsdl: (address) => bundleWsdl(lab.documents, root.root, address),
    described: () =>
      describedBy(
        lab.contract.operations.map((operation) => ({ row: `POST ${operation.path}`, operation })),
        lab.contract,
      ),
    mocks: new Map(
      lab.contract.operations.map((operation) => [
        operationKey({ method: 'POST', path: operation.path }),
        mockAnswers(lab.contract, operation),
      ]),
    ),
  })
}

beforeAll(async () => {
  backend = await recorder()
  gateway = await testGateway()
})
afterAll(() => Promise.all([gateway.close(), backend.close()]))
beforeEach(() => serve())

async function ask(
  body: string | Buffer,
  headers: Record<string, string> = {},
  path = '/lab/soap',
) {
  backend.seen.length = 0
  const answer = await request(`http://127.0.0.1:${gateway.dataPort}${path}`, {
    method: 'POST',
    body,
    headers: { host: 'a.example', 'content-type': 'text/xml', ...headers },
  })
  return {
    status: answer.statusCode,
    type: answer.headers['content-type'],
    id: String(answer.headers['x-request-id']),
    text: await answer.body.text(),
  }
}
const routeOf = async (id: string) =>
  (await gateway.log(id)).steps.find(({ name, passed }) => name === 'match' && passed)?.text
const message = (name: string, version: '1.1' | '1.2' = '1.1') =>
  envelope(version, `<s:${name} xmlns:s="${samples}"><s:id>S-1</s:id></s:${name}>`)

describe('an operation of SOAP', () => {
  it.each([
    [
      'by its action and its element',
      message('getSample'),
      { soapaction: `"${act('getSample')}"` },
    ],
    ['by its element alone', message('getSample'), {}],
    ['by its element where the action is empty', message('getSample'), { soapaction: '""' }],
    [
      'by SOAP 1.2',
      message('getSample', '1.2'),
      { 'content-type': `application/soap+xml; charset=utf-8; action="${act('getSample')}"` },
    ],
    [
      'with attachments',
      `--b1\r\nContent-Type: text/xml\r\n\r\n${message('getSample')}\r\n--b1\r\nContent-Type: image/png\r\n\r\n\u0001\r\n--b1--`,
      { 'content-type': 'multipart/related; boundary=b1; type="text/xml"' },
    ],
  ])('is called %s', async (_, body, headers) => {
    const answer = await ask(body, headers)
    expect(answer.status).toBe(200)
    expect(await routeOf(answer.id)).toMatch(/^getSample of \/lab\/soap/)
    // At the address of the backend itself, byte for byte.
    expect(backend.seen).toMatchObject([{ method: 'POST', url: '/Lab.svc' }])
    expect(backend.seen[0]!.body).toBe(body)
  })

  it.each([
    [
      'an action that says another operation than the body',
      message('discardSample'),
      { soapaction: act('getSample') },
      404,
    ],
    [
      'an operation that is withheld',
      message('discardSample'),
      { soapaction: act('discardSample') },
      404,
    ],
    ['an element of another namespace', message('getSample').replace(samples, 'urn:x'), {}, 404],
    ['an empty body', envelope('1.1', ''), {}, 404],
    [
      'two bodies',
      message('getSample').replace('</soap:Envelope>', '<soap:Body/></soap:Envelope>'),
      {},
      400,
    ],
    [
      'an envelope of the other version',
      message('getSample', '1.2'),
      { 'content-type': 'text/xml' },
      400,
    ],
    ['entities', `<!DOCTYPE a [<!ENTITY b "c">]>${message('getSample').slice(38)}`, {}, 400],
    ['no XML', '{"a":1}', {}, 400],
    ['another media type', message('getSample'), { 'content-type': 'application/json' }, 415],
    ['a compressed message', message('getSample'), { 'content-encoding': 'gzip' }, 415],
    [
      'attachments without an end',
      `--b1\r\n\r\n${message('getSample')}`,
      { 'content-type': 'multipart/related; boundary=b1; type="text/xml"' },
      400,
    ],
  ])('refuses %s, as a fault', async (_, body, headers, status) => {
    const answer = await ask(body, headers)
    expect(answer).toMatchObject({ status, type: 'text/xml; charset=utf-8' })
    expect(answer.text).toMatch(/<soap:Fault><faultcode>soap:Client</)
    expect(backend.seen).toEqual([])
  })

  it('is known by its beginning, and looked at as a whole only for whoever may call it', async () => {
    await serve({ authentication: apiKeyIn('X-Api-Key') })
    const long = message('getSample').replace(
      '</soap:Envelope>',
      `${'<x/>'.repeat(50_000)}<soap:Body/></soap:Envelope>`,
    )
    expect((await ask(long)).status).toBe(401)
    expect(backend.seen).toEqual([])
    await serve()
    const answer = await ask(long)
    expect(answer.status).toBe(400)
    expect(answer.text).toContain('more than one body')
    expect(backend.seen).toEqual([])
  })

  it('is refused where its first 64 KB do not say what it is for, whatever they are made of', async () => {
    const fillers = [
      Array.from({ length: 99 }, (_, i) => `<p${i}:a xmlns:p${i}="u${i}">`).join(''),
      `<a ${Array.from({ length: 20_000 }, (_, i) => `a${i}=""`).join(' ')}/>`,
      '<a/>'.repeat(100_000),
      `<a b="${'x'.repeat(200_000)}"/>`,
      `<!--${'x'.repeat(200_000)}-->`,
    ]
    for (const filler of fillers) {
      const body = message('getSample').replace(
        '<soap:Body>',
        `<soap:Header>${filler}</soap:Header><soap:Body>`,
      )
      const answer = await ask(body)
      expect(answer.status).toBe(400)
      expect(backend.seen).toEqual([])
    }
  })

  it.each(['utf-16', 'utf-7', 'ebcdic-cp-us'])('is not taken in %s', async (encoding) => {
    const declared = message('getSample').replace(
      /^<\?xml[^>]*\?>|^/,
      `<?xml version="1.0" encoding="${encoding}"?>`,
    )
    expect((await ask(declared)).status).toBe(400)
    const typed = { 'content-type': `text/xml; charset=${encoding}` }
    expect((await ask(message('getSample'), typed)).status).toBe(415)
    expect(backend.seen).toEqual([])
  })

  it.each([
    ['something before its first part', `x\r\n--b1\r\n\r\nBODY\r\n--b1--`, ''],
    ['a delimiter that is nearly one', `--b1x\r\n\r\nBODY\r\n--b1\r\n\r\nBODY\r\n--b1--`, ''],
    ['a delimiter inside of its root', `--b1\r\n\r\nBODY\n--b1\n\nBODY\r\n--b1--`, ''],
    [
      'another part named as its root',
      `--b1\r\nContent-ID: <a>\r\n\r\nBODY\r\n--b1--`,
      '; start="<b>"',
    ],
    [
      'an encoded root',
      `--b1\r\nContent-Transfer-Encoding: quoted-printable\r\n\r\nBODY\r\n--b1--`,
      '',
    ],
    [
      'a root in another encoding',
      `--b1\r\nContent-Type: text/xml; charset=utf-7\r\n\r\nBODY\r\n--b1--`,
      '',
    ],
    [
      'a folded head',
      `--b1\r\nContent-Type: text/xml;\r\n charset=utf-7\r\n\r\nBODY\r\n--b1--`,
      '',
    ],
  ])('with attachments is refused for %s', async (_, text, more) => {
    const headers = { 'content-type': `multipart/related; boundary=b1; type="text/xml"${more}` }
    const answer = await ask(text.replaceAll('BODY', message('getSample')), headers)
    expect(answer.status).toBe(400)
    expect(backend.seen).toEqual([])
  })

  it.each([
    `application/soap+xml; x="; action=${act('getSample')}"; action="${act('discardSample')}"`,
    `application/soap+xml; action="${act('getSample')}"; action="${act('discardSample')}"`,
    `application/soap+xml; action="${act('getSample')}`,
  ])('is never called by an action that others read otherwise: %s', async (type) => {
    const answer = await ask(message('getSample', '1.2'), { 'content-type': type })
    expect(answer.status).toBeGreaterThanOrEqual(400)
    expect(backend.seen).toEqual([])
  })

  it('is no path of its own', async () => {
    expect((await ask(message('getSample'), {}, '/lab/soap/getSample')).status).toBe(404)
  })

  it('has limits of its own, which answer faults of its version', async () => {
    const list = message('listPoints', '1.2')
    const type = { 'content-type': 'application/soap+xml' }
    expect((await ask(list, type)).status).toBe(200)
    const limited = await ask(list, type)
    expect(limited).toMatchObject({ status: 429, type: 'application/soap+xml; charset=utf-8' })
    expect(limited.text).toContain(envelopeNamespaces['1.2'])
    expect(limited.text).toContain('<soap:Value>soap:Sender</soap:Value>')
    expect((await ask(message('getSample'))).status).toBe(200)
  })

  it('is mocked by an envelope that its schema allows', async () => {
    await serve({}, ['/registerSample'])
    const answer = await ask(message('registerSample'))
    expect(answer).toMatchObject({ status: 200, type: 'text/xml' })
    expect(answer.text).toContain(`<soap:Body><registerSampleResponse xmlns="${samples}"><id>`)
    const fault = await ask(message('registerSample'), { prefer: 'code=500' })
    expect(fault.status).toBe(500)
    expect(fault.text).toMatch(/<soap:Fault>.*<detail><[\w]+ xmlns=/)
  })
})

describe('a message held against its schema', () => {
  beforeEach(() => serve({ contract: { requests: 'refuse', responses: 'ignore' } }))
  const sample = (inside: string, name = 'getSample') =>
    envelope('1.1', `<s:${name} xmlns:s="${samples}">${inside}</s:${name}>`)

  it('passes byte for byte where it fits, with attachments too', async () => {
    const body = sample('<s:id>S-0000001</s:id>')
    expect((await ask(body)).status).toBe(200)
    expect(backend.seen[0]!.body).toBe(body)
    const attached = `--b1\r\nContent-Type: text/xml\r\n\r\n${sample('<s:id>S-1</s:id>')}\r\n--b1--`
    const headers = { 'content-type': 'multipart/related; boundary=b1; type="text/xml"' }
    expect((await ask(attached, headers)).status).toBe(200)
  })

  it.each([
    ['a value that its pattern does not take', sample('<s:id>no bottle</s:id>'), /id/],
    ['an element that is missing', sample(''), /has no &quot;id&quot;/],
  ])('is refused for %s, as a fault with the place', async (_, body, why) => {
    const answer = await ask(body)
    expect(answer.status).toBe(400)
    expect(answer.text).toContain('<faultcode>soap:Client</faultcode>')
    expect(answer.text).toMatch(why)
    expect(backend.seen).toEqual([])
  })
})

describe('the WSDL of a placement', () => {
  it('is one document, with every service at the address outside', async () => {
    const answer = await request(`http://127.0.0.1:${gateway.dataPort}/lab/soap?wsdl`, {
      headers: { host: 'a.example' },
    })
    const wsdl = await answer.body.text()
    expect(answer.headers['content-type']).toBe('text/xml')
    expect([...wsdl.matchAll(/address location="([^"]*)"/g)].map(([, at]) => at)).toEqual([
      'https://a.example/lab/soap',
      'https://a.example/lab/soap',
    ])
    expect(wsdl).not.toMatch(/schemaLocation/)
    expect(readable(wsdl, 'a.wsdl').contract.operations).toHaveLength(
      lab.contract.operations.length,
    )
  })
})
