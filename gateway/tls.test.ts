import { mkdirSync, rmSync, symlinkSync, writeFileSync } from 'node:fs'
import http from 'node:http'
import https, { type RequestOptions } from 'node:https'
import { join } from 'node:path'
import tls from 'node:tls'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { PolicySet } from '../core/runtime/policies'
import { Authority, type Issued } from '../standins/authority'
import { freePort, placed, recorder, testGateway, type TestGateway } from '../tests/support/gateway'

const day = 86_400_000
let gateway: TestGateway
let backend: Awaited<ReturnType<typeof recorder>>
let tlsPort: number
let works: Authority
let stranger: Authority
let telemetry: Issued

interface Answer {
  status: number
  headers: http.IncomingHttpHeaders
  body: string
}

function ask(path: string, options: RequestOptions & { plain?: boolean } = {}): Promise<Answer> {
  const { plain, ...more } = options
  return new Promise((resolve, reject) => {
    const request = (plain ? http : https).request(
      {
        host: '127.0.0.1',
        port: plain ? gateway.dataPort : tlsPort,
        path,
        servername: 'a.example',
        ca: works.certificate,
        agent: false,
        ...more,
        headers: { host: 'a.example', ...more.headers },
      },
      (response) => {
        let body = ''
        response.on('data', (chunk: Buffer) => (body += chunk.toString()))
        response.on('end', () =>
          resolve({ status: response.statusCode!, headers: response.headers, body }),
        )
      },
    )
    request.on('error', reject)
    request.end()
  })
}

const keep = (file: string, { certificate, key }: Issued) => {
  const folder = join(gateway.directory, 'inner.certificates')
  mkdirSync(folder, { recursive: true })
  writeFileSync(join(folder, `${file}.key`), key)
  writeFileSync(join(folder, `${file}.crt`), certificate)
}

/** What the gateway says of where it listens. */
const listeners = async () => {
  const answer = await fetch(`http://127.0.0.1:${gateway.adminPort}/listeners`, {
    headers: { 'x-admin-secret': 's' },
  })
  return (await answer.json()) as {
    https: boolean
    troubles: string[]
    certificates: { file: string; names: string[]; issuer: string }[]
  }
}

const place = (policies: PolicySet = {}) =>
  gateway.place(placed(backend.url, ['GET /levels', 'POST /levels'], { policies }))

const byCertificate = (more: object = {}): PolicySet => ({
  authentication: {
    kind: 'credentials',
    anyOf: [
      {
        allOf: [
          {
            kind: 'client-certificate',
            authority: works.certificate.replaceAll('\n', ''),
            client: 'common-name',
            clients: [],
            ...more,
          },
        ],
      },
    ],
  },
})

beforeAll(async () => {
  works = await Authority.make('Brackenmere Works')
  stranger = await Authority.make('Brackenmere Works')
  telemetry = await works.issue({ commonName: 'telemetry', for: 'client' })
  backend = await recorder()
  tlsPort = await freePort()
  gateway = await testGateway({ tlsPort })
  keep('a', await works.issue({ commonName: 'a.example', names: ['a.example', '*.sites.example'] }))
  keep('b', await works.issue({ commonName: 'b.example', names: ['b.example'] }))
})
afterAll(async () => {
  await gateway.close()
  await backend.close()
})

describe('HTTPS', () => {
  it('is spoken with the certificate for the name, and told to backends', async () => {
    await place()
    expect(await ask('/v1/levels')).toMatchObject({ status: 200, body: 'asked GET /levels' })
    expect(backend.seen.at(-1)!.headers['x-forwarded-proto']).toBe('https')
    expect((await ask('/v1/levels', { plain: true })).status).toBe(200)
    expect(backend.seen.at(-1)!.headers['x-forwarded-proto']).toBe('http')
  })

  it('has no handshake for a name without a certificate, for none, or below TLS 1.2', async () => {
    await expect(ask('/v1/levels', { servername: 'c.example' })).rejects.toThrow()
    await expect(ask('/v1/levels', { servername: '' })).rejects.toThrow()
    const old = { minVersion: 'TLSv1' as const, maxVersion: 'TLSv1.1' as const }
    await expect(ask('/v1/levels', { ...old, ciphers: 'ALL:@SECLEVEL=0' })).rejects.toThrow()
    expect((await ask('/v1/levels', { maxVersion: 'TLSv1.2' })).status).toBe(200)
  })

  it('takes no requests for a host that the connection was not made for', async () => {
    const fronted = await ask('/v1/levels', { servername: 'b.example' })
    expect(fronted).toMatchObject({ status: 421 })
    expect(fronted.body).toContain('was made for another name than a.example')
  })

  it('uses a renewed certificate without a restart, and the one that still holds', async () => {
    const ended = new Date(Date.now() - day)
    const [old, fresh] = await Promise.all([
      works.issue({
        commonName: 'old',
        names: ['n.sites.example'],
        begins: new Date(0),
        ends: ended,
      }),
      works.issue({ commonName: 'fresh', names: ['n.sites.example'] }),
    ])
    keep('n', old)
    const served = () =>
      new Promise<string>((resolve, reject) => {
        const socket = tls.connect(
          {
            host: '127.0.0.1',
            port: tlsPort,
            servername: 'n.sites.example',
            rejectUnauthorized: false,
          },
          () => {
            resolve(String(socket.getPeerCertificate().subject.CN))
            socket.destroy()
          },
        )
        socket.on('error', reject)
      })
    // The star of another one is for this name too, and holds.
    await expect.poll(served).toBe('a.example')
    keep('n', fresh)
    await expect.poll(served).toBe('fresh')
  })

  it('says what it has on the admin port, and which files it cannot use', async () => {
    writeFileSync(join(gateway.directory, 'inner.certificates', 'z.crt'), 'no certificate')
    await expect.poll(listeners).toMatchObject({
      https: true,
      troubles: [expect.stringMatching(/^z: /)],
    })
    expect((await listeners()).certificates.find(({ file }) => file === 'b')).toMatchObject({
      names: ['b.example'],
      issuer: 'Brackenmere Works',
    })
    expect(JSON.stringify(await listeners())).not.toContain('PRIVATE')
    expect((await ask('/v1/levels')).status).toBe(200)
  })

  it('outlives files that come and go while they are looked at', async () => {
    const gone = join(gateway.directory, 'inner.certificates', 'gone.crt')
    symlinkSync(join(gateway.directory, 'nowhere'), gone)
    const said = async () => (await listeners()).troubles.join()
    await expect.poll(said).toContain('ENOENT')
    expect((await ask('/v1/levels')).status).toBe(200)
    rmSync(gone)
  })

  it('outlives handshakes that are none', async () => {
    await new Promise<void>((resolve) => {
      const socket = tls.connect({ host: '127.0.0.1', port: tlsPort, rejectUnauthorized: false })
      socket.on('error', () => resolve())
    })
    const answer = await fetch(`http://127.0.0.1:${tlsPort}/`).catch(() => 'nothing')
    expect(answer).toBe('nothing')
    expect((await ask('/v1/levels')).status).toBe(200)
  })
})

describe('plain HTTP', () => {
  it('is redirected with path and query', async () => {
    await place({ transport: { plain: 'redirected' } })
    const answer = await ask('/v1/levels?site=3', {
      plain: true,
      headers: { host: 'A.example:80' },
    })
    expect(answer).toMatchObject({
      status: 301,
      headers: { location: 'https://a.example/v1/levels?site=3' },
    })
    expect((await ask('/v1/levels')).status).toBe(200)
    expect((await ask('/v2/levels', { plain: true })).status).toBe(404)
  })

  it('is refused with the reason', async () => {
    await place({ transport: { plain: 'refused' } })
    const before = backend.seen.length
    const answer = await ask('/v1/levels', { plain: true })
    expect(answer.status).toBe(404)
    expect(
      (await gateway.log(answer.headers['x-request-id'] as string)).steps.at(-1)!.text,
    ).toContain('only by TLS')
    expect(backend.seen).toHaveLength(before)
    expect((await ask('/v1/levels')).status).toBe(200)
  })
})

describe('client certificates', () => {
  const from = ({ certificate, key }: Issued) => ask('/v1/levels', { cert: certificate, key })
  const why = async (answer: Answer) =>
    (await gateway.log(answer.headers['x-request-id'] as string)).steps.at(-1)!.text

  it('name the client; without one there is a 401', async () => {
    await place(byCertificate())
    const good = await from(telemetry)
    expect(good.status).toBe(200)
    expect((await gateway.log(good.headers['x-request-id'] as string)).consumer).toBe('telemetry')
    const none = await ask('/v1/levels')
    expect(none.status).toBe(401)
    expect(await why(none)).toContain('showed no certificate')
    const plain = await ask('/v1/levels', { plain: true })
    expect(plain.status).toBe(401)
    expect(await why(plain)).toContain('without TLS')
  })

  it('are refused when ended, from elsewhere, for servers, self-made or of an authority', async () => {
    await place(byCertificate())
    const others = {
      'ended on': await works.issue({
        commonName: 'telemetry',
        for: 'client',
        begins: new Date(0),
        ends: new Date(Date.now() - day),
      }),
      'holds only from': await works.issue({
        commonName: 'telemetry',
        for: 'client',
        begins: new Date(Date.now() + day),
      }),
      // The same name as the real one, and another key.
      'not issued by': await stranger.issue({ commonName: 'telemetry', for: 'client' }),
      'not for clients': await works.issue({ commonName: 'telemetry', for: 'server' }),
      'of an authority': await works.issue({ commonName: 'telemetry', for: 'authority' }),
    }
    for (const [reason, issued] of Object.entries(others)) {
      const answer = await from(issued)
      expect([reason, answer.status]).toEqual([reason, 401])
      expect(await why(answer)).toContain(reason)
    }
  })

  it('are taken from some clients only, where a policy lists them', async () => {
    await place(byCertificate({ clients: ['lab'] }))
    expect(await why(await from(telemetry))).toContain('telemetry is not among the clients')
  })

  it('need an authority that can be read', async () => {
    const [begin = '', ...rest] = works.certificate.split('\n')
    const broken = [begin, rest.join('').replace(/^(.{40})./, '$1A')].join('')
    const refused = place(byCertificate({ authority: broken.replace('A', 'A') }))
    await refused.catch(() => undefined)
    await expect(
      place(byCertificate({ authority: Buffer.from('0').toString('base64') })),
    ).rejects.toThrow(/is no certificate/)
    await place()
  })
})
