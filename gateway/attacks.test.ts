import { readFileSync, writeFileSync } from 'node:fs'
import net from 'node:net'
import { join } from 'node:path'
import fc from 'fast-check'
import { afterAll, afterEach, beforeAll, describe, expect, it } from 'vitest'
import {
  exchange,
  liar,
  placed,
  recorder,
  statuses,
  testGateway,
  type TestGateway,
} from '../tests/support/gateway'

let gateway: TestGateway
let backend: Awaited<ReturnType<typeof recorder>>
const operations = [
  'GET /things',
  'POST /things',
  'DELETE /things/{id}',
  'GET /things/{id}',
  'GET /things/export withheld',
  'GET /reports/{year}.{format}',
]

beforeAll(async () => {
  backend = await recorder()
  gateway = await testGateway({ bounds: { headersMs: 500, requestMs: 1500, totalMs: 1200 } })
})
afterAll(async () => {
  await gateway.close()
  await backend.close()
})

const serve = () => gateway.place(placed(backend.url, operations))
const ask = (head: string, body = '') =>
  exchange(gateway.dataPort, `${head.replaceAll('\n', '\r\n')}\r\n\r\n${body}`)
const get = (path: string, headers = '') =>
  ask(`GET ${path} HTTP/1.1\nHost: a.example\nConnection: close${headers}`)
const alive = async () => expect(statuses(await get('/v1/things'))).toEqual([200])

describe('framing', () => {
  beforeAll(serve)

  it('never lets the body of a request become another request', async () => {
    const inner = 'GET /live/private HTTP/1.1\r\nHost: b\r\n\r\n'
    const chunk = `${inner.length.toString(16)}\r\n${inner}\r\n0\r\n\r\n`
    for (const method of ['GET', 'DELETE', 'POST', 'HEAD', 'OPTIONS']) {
      backend.seen.length = 0
      const path = method === 'DELETE' ? '/v1/things/1' : '/v1/things'
      const head = `${method} ${path} HTTP/1.1\nHost: a.example\n`
      await ask(`${head}Transfer-Encoding: chunked\nConnection: close`, chunk)
      await ask(`${head}Content-Length: ${inner.length}\nConnection: close`, inner)
      expect(backend.seen.map(({ url }) => url).filter((url) => url.includes('private'))).toEqual(
        [],
      )
      for (const { body } of backend.seen) expect(body).toBe(inner)
    }
    await alive()
  })

  it('refuses a message that has two lengths, or codings that are not plainly chunked', async () => {
    const head = 'POST /v1/things HTTP/1.1\nHost: a.example\n'
    backend.seen.length = 0
    const bad = [
      'Content-Length: 4\nTransfer-Encoding: chunked',
      'Transfer-Encoding: gzip, chunked',
      'Transfer-Encoding: chunked\nTransfer-Encoding: chunked',
      'Transfer-Encoding: xchunked',
      'Transfer-Encoding : chunked',
      'Content-Length: 4\nContent-Length: 5',
      'Content-Length: +4',
      'Content-Length: 4, 4',
      'Content-Length: 99999999999999999999',
    ]
    for (const framing of bad) {
      const [status] = statuses(
        await ask(head + framing, '0\r\n\r\nGET /v1/things HTTP/1.1\r\n\r\n'),
      )
      expect([400, 501], framing).toContain(status)
    }
    expect(backend.seen).toEqual([])
    await alive()
  })

  it('lets no headers through that belong to the connection or that only the gateway may set', async () => {
    backend.seen.length = 0
    await ask(
      [
        'POST /v1/things HTTP/1.1',
        'Host: a.example',
        'Connection: close, X-Mine, Authorization',
        'Content-Length: 2',
        'X-Mine: 1',
        'Authorization: Bearer x',
        'Forwarded: for=1.2.3.4',
        'X-Real-IP: 1.2.3.4',
        'X_Real_IP: 1.2.3.4',
        'X-Forwarded-For: 1.2.3.4',
        'X-Forwarded-Prefix: /x',
        'X-HTTP-Method-Override: DELETE',
        'X-Original-URL: /live/private',
        'TE: trailers',
        'Keep-Alive: 5',
        'Proxy-Authorization: Basic x',
        'Upgrade: h2c',
        'HTTP2-Settings: AAMA',
        'X-Kept: yes',
      ].join('\n'),
      'hi',
    )
    const { headers, rawHeaders, body } = backend.seen[0]!
    expect(body).toBe('hi')
    expect(headers).toMatchObject({
      'x-kept': 'yes',
      'x-forwarded-for': expect.stringMatching(/127\.0\.0\.1$/) as string,
      'x-forwarded-host': 'a.example',
    })
    expect(
      rawHeaders
        .filter((_, i) => i % 2 === 0)
        .map((name) => name.toLowerCase())
        .sort(),
    ).toEqual([
      'connection',
      'content-length',
      'host',
      'x-forwarded-for',
      'x-forwarded-host',
      'x-forwarded-proto',
      'x-kept',
      'x-request-id',
    ])
    expect(rawHeaders.join(' ')).not.toMatch(/1\.2\.3\.4|private|DELETE/)
  })

  it('refuses a header that may stand once and stands twice, however it is spelled', async () => {
    backend.seen.length = 0
    for (const [one, other] of [
      ['Authorization: Bearer a', 'authorization: Bearer b'],
      ['Content-Type: text/plain', 'Content-Type: text/xml'],
      ['Content-Type: text/plain', 'Content_Type: text/xml'],
      ['SOAPAction: a', 'SOAPAction: b'],
      ['Origin: https://a.example', 'Origin: https://b.example'],
      ['User-Agent: a', 'User_Agent: b'],
      ['Range: bytes=0-1', 'Range: bytes=2-3'],
    ])
      expect(statuses(await get('/v1/things', `\n${one}\n${other}`)), one).toEqual([400])
    for (const named of ['Content-Type', 'content_type', 'x, Content-Encoding'])
      expect(
        statuses(
          await get('/v1/things', `\nContent-Type: text/plain`).then(() =>
            ask(`GET /v1/things HTTP/1.1\nHost: a.example\nConnection: close, ${named}`),
          ),
        ),
        named,
      ).toEqual([400])
    expect(backend.seen).toHaveLength(3)
  })

  it('passes nothing from a stranger that only proxies set, unless a policy names it', async () => {
    const lies = [
      'Via: 1.1 x',
      'CF-Connecting-IP: 1.2.3.4',
      'CF_Connecting_IP: 1.2.3.4',
      'X-Original-Method: DELETE',
      'X-Envoy-Original-Path: /live/private',
      'X_Envoy_External_Address: 1.2.3.4',
      'X-Rewrite-Something: a',
      'X-Auth-Request-User: root',
      'Remote_User: root',
      'Client-Cert: :AA==:',
      'True_Client_IP: 1.2.3.4',
    ]
    const sent = async () => {
      backend.seen.length = 0
      await get('/v1/things', lies.map((line) => `\n${line}`).join(''))
      const { rawHeaders } = backend.seen[0]!
      return rawHeaders.filter(
        (_, i) =>
          i % 2 === 0 && !/^(?:host|connection|x-forwarded-.*|x-request-id)$/i.test(rawHeaders[i]!),
      )
    }
    expect(await sent()).toEqual([])
    const map = [
      {
        kind: 'rename',
        in: 'header',
        name: 'X-Original-Method',
        toIn: 'header',
        toName: 'X-Original-Method',
      } as const,
    ]
    await gateway.place(placed(backend.url, operations, { policies: { parameters: { map } } }))
    expect(await sent()).toEqual(['X-Original-Method'])
    await serve()
  })

  it('reads the names of headers in one way: with - and _ as one', async () => {
    const changes = { set: [{ name: 'X-Set', value: 'ours' }], add: [], remove: ['X-Tenant'] }
    await gateway.place(placed(backend.url, operations, { policies: { requestHeaders: changes } }))
    backend.seen.length = 0
    await get('/v1/things', '\nX_Tenant: evil\nx-tenant: evil\nX_Set: evil\nX_Other: kept')
    const { headers } = backend.seen[0]!
    expect(headers).toMatchObject({ 'x-set': 'ours', x_other: 'kept' })
    expect(JSON.stringify(headers)).not.toContain('evil')
    await serve()
  })

  it('passes the head of a response that has no body, whatever length it says', async () => {
    const quiet = await liar((socket) => {
      socket.write('HTTP/1.1 304 Not Modified\r\nETag: "a"\r\nContent-Length: 1234\r\n\r\n')
    })
    await gateway.place(placed(quiet.url, operations))
    const one = 'GET /v1/things HTTP/1.1\r\nHost: a.example\r\n\r\n'
    for (let n = 0; n < 3; n++) {
      const said = await exchange(gateway.dataPort, one)
      expect(statuses(said)).toEqual([304])
      expect(said).toContain('ETag: "a"')
    }
    await quiet.close()
    const empty = await liar((socket) => {
      socket.write('HTTP/1.1 204 No Content\r\nContent-Length: 5\r\n\r\n')
    })
    await gateway.place(placed(empty.url, operations))
    expect(statuses(await exchange(gateway.dataPort, one))).toEqual([204])
    await empty.close()
    await serve()
  })

  it('answers 400 to two Host headers and to hosts that are none', async () => {
    for (const hosts of [
      'Host: a.example\nHost: b.example',
      'Host: a.example/x',
      'Host: u@a.example',
    ])
      expect(statuses(await ask(`GET /v1/things HTTP/1.1\n${hosts}\nConnection: close`))).toEqual([
        400,
      ])
  })

  it('gives no client another’s answer when a backend says more than it was asked', async () => {
    let connections = 0
    const lying = await liar((socket, asked) => {
      connections++
      const said = `for ${/GET (\S+)/.exec(asked)?.[1]}`
      const whole = `HTTP/1.1 200 OK\r\nContent-Length: ${said.length}\r\n\r\n${said}`
      const more = 'HTTP/1.1 200 OK\r\nContent-Length: 6\r\n\r\nstolen'
      if (asked.includes('/1')) socket.write(whole + more)
      else if (asked.includes('/2')) {
        socket.write(whole)
        setTimeout(() => socket.write(more.slice(0, 30)), 20)
        setTimeout(() => socket.write(more.slice(30)), 40)
      } else socket.write(whole)
    })
    await gateway.place(placed(lying.url, operations))
    for (const id of ['1', '3', '2', '4', '5']) {
      const answer = await get(`/v1/things/${id}`)
      expect(answer).toContain(`for /things/${id}`)
      expect(answer).not.toContain('stolen')
    }
    expect(connections).toBe(5)
    await lying.close()
    await serve()
  })
})

describe('paths', () => {
  beforeAll(serve)

  it('are refused where a backend could read another one out of them', async () => {
    const tricks = [
      'x\\..\\..\\..\\live\\customers',
      '../export',
      './export',
      'x/../export',
      '%2e%2e/export',
      '.%2e/export',
      'x%2f..%2fexport',
      'x%5c..%5cexport',
      '..;/export',
      '..;a=b/export',
      '%252e%252e%252fexport',
      '%25252e%25252e%25252fexport',
      '/export',
      'x//export',
      'export%00',
      'export%0d%0aX: y',
      'export%7f',
      'export%',
      'export%zz',
      'export#x',
      'exp\u00e9',
      '%c0%ae%c0%ae/export',
      '%ff',
      'x|y',
      'x"y',
    ]
    backend.seen.length = 0
    for (const trick of tricks) {
      const [status] = statuses(await get(`/v1/things/${trick}`))
      expect(status, trick).toBe(400)
    }
    for (const target of ['http://a.example/v1/things', '*', '//a.example/v1/things', 'v1/things'])
      expect(statuses(await get(target)), target).toEqual([400])
    expect(backend.seen).toEqual([])
  })

  it('that are withheld are not reached through the template of another operation', async () => {
    backend.seen.length = 0
    for (const path of ['export', '%65xport', 'expor%74', 'export?x=1', 'export/']) {
      const answer = await get(`/v1/things/${path}`)
      expect(statuses(answer), path).toEqual([404])
      expect(answer).not.toMatch(/withheld|Not for outside/)
    }
    expect(backend.seen).toEqual([])
    expect(statuses(await get('/v1/things/exports'))).toEqual([200])
  })

  it('are sent as they were matched, byte for byte', async () => {
    const kept = ['a%20b', 'caf%C3%A9', 'a%3Ab', 'a;v=1', 'a:b', "a'b(c)!*", '%7Ea~', 'a%25b']
    for (const id of kept) {
      expect(await get(`/v1/things/${id}?q=%2e%2e&r=a+b`)).toContain(
        `asked GET /things/${id}?q=%2e%2e&r=a+b`,
      )
    }
    expect(await get('/%76%31/things/7')).toContain('asked GET /things/7')
  })

  it('of whatever bytes reach a backend below its own base path only, or not at all', async () => {
    const piece = fc.constantFrom(
      ...[
        '..',
        '.',
        '%2e',
        '%2F',
        '\\',
        '/',
        'export',
        '%65xport',
        ';',
        '%25',
        'a',
        '%00',
        '?',
        '#',
      ],
    )
    await fc.assert(
      fc.asyncProperty(fc.array(piece, { maxLength: 8 }), async (pieces) => {
        backend.seen.length = 0
        await get(`/v1/things/${pieces.join('')}`)
        for (const { url } of backend.seen) {
          const read = new URL(url, 'http://b').pathname
          expect(read).toMatch(/^\/things/)
          expect(decodeURIComponent(read)).not.toBe('/things/export')
        }
      }),
      { numRuns: 150 },
    )
  })

  it('match in time that does not depend on how they are written', async () => {
    const template = `/x/${'abcdefghij'
      .split('')
      .map((name) => `{${name}}-`)
      .join('')}!`
    await gateway.place(placed(backend.url, [`GET ${template}`]))
    const started = performance.now()
    const answer = await get(`/v1/x/${'-'.repeat(8000)}`)
    expect(statuses(answer)).toEqual([404])
    expect(performance.now() - started).toBeLessThan(1000)
    await serve()
  })
})

describe('what strangers and backends send', () => {
  afterEach(alive)
  const with_ = async (
    answer: (socket: net.Socket, asked: string) => void,
    check: () => Promise<void>,
  ) => {
    const lying = await liar(answer)
    await gateway.place(placed(lying.url, operations))
    try {
      await check()
    } finally {
      await lying.close()
      await serve()
    }
  }
  beforeAll(serve)

  it('never ends the process, whatever the response: a 502, or the connection breaks off', async () => {
    const answers = [
      'HTTP/1.1 000 None\r\nContent-Length: 0\r\n\r\n',
      'HTTP/1.1 999 Many\r\nContent-Length: 0\r\n\r\n',
      'HTTP/1.1 20 Short\r\n\r\n',
      'HTTP/1.1 101 Switching\r\nUpgrade: x\r\nConnection: upgrade\r\n\r\n',
      'HTTP/1.1 200 OK\r\nX: a\u0001b\r\nContent-Length: 0\r\n\r\n',
      'HTTP/1.1 200 OK\r\nX:\u0000\r\nContent-Length: 0\r\n\r\n',
      'HTTP/1.1 200 OK\r\nContent-Length: 1\r\nContent-Length: 2\r\n\r\nab',
      'HTTP/1.1 200 OK\r\nContent-Length: 5\r\nTransfer-Encoding: chunked\r\n\r\n0\r\n\r\n',
      'HTTP/1.1 200 OK\r\nContent-Length: -1\r\n\r\n',
      `HTTP/1.1 200 OK\r\nX: ${'x'.repeat(200_000)}\r\n\r\n`,
      'nonsense\r\n\r\n',
      '',
    ]
    for (const said of answers) {
      await with_(
        (socket) => (said === '' ? socket.destroy() : socket.end(Buffer.from(said, 'latin1'))),
        async () => {
          const [status] = statuses(await get('/v1/things'))
          expect([502, undefined], said.slice(0, 60)).toContain(status)
        },
      )
    }
  })

  it('passes header values outside of ASCII on as they are', async () => {
    await with_(
      (socket) =>
        socket.end(
          Buffer.from(
            'HTTP/1.1 200 OK\r\nX-Name: caf\u00e9\r\nContent-Length: 0\r\n\r\n',
            'latin1',
          ),
        ),
      async () =>
        expect(await get('/v1/things', '\nX-Town: Beck\u00f8y')).toMatch(/x-name: caf\u00e9/i),
    )
  })

  it('breaks the response off where the backend does, in chunks and with a length', async () => {
    const begun = [
      'HTTP/1.1 200 OK\r\nTransfer-Encoding: chunked\r\n\r\n5\r\nhello\r\n',
      'HTTP/1.1 200 OK\r\nTransfer-Encoding: chunked\r\n\r\n5\r\nhello\r\nzz\r\n',
      'HTTP/1.1 200 OK\r\nContent-Length: 10\r\n\r\nhello',
    ]
    for (const said of begun) {
      await with_(
        (socket) => {
          socket.write(said)
          setTimeout(() => socket.destroy(), 50)
        },
        async () => {
          const answer = await get('/v1/things')
          expect(answer).toContain('hello')
          expect(answer).not.toMatch(/\r\n0\r\n\r\n$/)
        },
      )
    }
  })

  it('ends a response that trickles past the total deadline, and answers 504 to silence', async () => {
    await with_(
      (socket) => {
        socket.write('HTTP/1.1 200 OK\r\nTransfer-Encoding: chunked\r\n\r\n')
        const drip = setInterval(() => socket.write('1\r\nx\r\n'), 100)
        socket.on('close', () => clearInterval(drip))
      },
      async () => {
        const started = performance.now()
        await exchange(gateway.dataPort, 'GET /v1/things HTTP/1.1\r\nHost: a.example\r\n\r\n', 5000)
        expect(performance.now() - started).toBeLessThan(4000)
      },
    )
    await with_(
      () => undefined,
      async () => {
        const silent = 'GET /v1/things HTTP/1.1\r\nHost: a.example\r\nConnection: close\r\n\r\n'
        expect(statuses(await exchange(gateway.dataPort, silent, 4000))).toEqual([504])
      },
    )
  })

  it('ends clients that never finish a head or a body', async () => {
    for (const half of [
      'GET /v1/things HTTP/1.1\r\nHost: a.exa',
      'POST /v1/things HTTP/1.1\r\nHost: a.example\r\nContent-Length: 50\r\n\r\nhalf',
    ]) {
      const started = performance.now()
      await exchange(gateway.dataPort, half, 8000)
      expect(performance.now() - started).toBeLessThan(6000)
    }
  })

  it('survives random bytes', async () => {
    await fc.assert(
      fc.asyncProperty(fc.uint8Array({ maxLength: 200 }), async (bytes) => {
        const head = Buffer.from('POST /v1/things HTTP/1.1\r\nHost: a.example\r\n')
        await exchange(gateway.dataPort, Buffer.concat([head, bytes, Buffer.from('\r\n\r\n')]), 20)
      }),
      { numRuns: 100 },
    )
  })
})

describe('bounds', () => {
  it('hold for connections from one address', async () => {
    const bounded = await testGateway({ bounds: { connectionsPerClient: 3 } })
    const sockets = Array.from({ length: 5 }, () => net.connect(bounded.dataPort, '127.0.0.1'))
    const ended = await Promise.all(
      sockets.map(
        (socket) =>
          new Promise<boolean>((resolve) => {
            socket.on('error', () => undefined)
            socket.once('close', () => resolve(true))
            socket.once('data', () => resolve(false))
            socket.write('GET / HTTP/1.1\r\nHost: a.example\r\n\r\n')
          }),
      ),
    )
    expect(ended.filter(Boolean)).toHaveLength(2)
    for (const socket of sockets) socket.destroy()
    await bounded.close()
  })

  it('hold for the log, however long the paths are', async () => {
    const bounded = await testGateway({ bounds: { logBytes: 20_000 } })
    await bounded.place(placed(backend.url, operations))
    for (let i = 0; i < 40; i++) {
      await exchange(
        bounded.dataPort,
        `GET /v1/${'x'.repeat(9000)}/${i} HTTP/1.1\r\nHost: a.example\r\nConnection: close\r\n\r\n`,
      )
    }
    const answer = await fetch(`http://127.0.0.1:${bounded.adminPort}/log?limit=1000`, {
      headers: { 'x-admin-secret': 's' },
    })
    const text = await answer.text()
    expect(text.length).toBeLessThan(20_000)
    expect((JSON.parse(text) as unknown[]).length).toBeGreaterThan(0)
    await bounded.close()
  })
})

describe('configuration', () => {
  const resources = (kind: string, spec: string, path = '{ type: Exact, value: /a }') =>
    [
      'apiVersion: gateway.networking.k8s.io/v1',
      'kind: HTTPRoute',
      'metadata: { name: r }',
      `spec: { hostnames: [a.example], rules: [{ matches: [{ path: ${path} }], backendRefs: [{ kind: ${kind}, name: b }] }] }`,
      '---',
      `apiVersion: policy.elm-ledger.example/v1`,
      `kind: ${kind}`,
      'metadata: { name: b }',
      `spec: ${spec}`,
    ].join('\n')

  it('that no request could be served by is refused with the resource named', async () => {
    const regular = (value: string) => `{ type: RegularExpression, value: '${value}' }`
    const bad: [string, RegExp][] = [
      [resources('Mock', '{ status: 0 }'), /Mock b, status/],
      [resources('Mock', '{ status: 999 }'), /Mock b, status/],
      [resources('Mock', '{ status: 200, mediaType: "a b" }'), /Mock b: "a b" is not a media type/],
      [resources('Mock', '{ status: 200, mediaType: "a/b\\r\\nX: y" }'), /Mock b/],
      [resources('Backend', '{ url: "http://b:99999" }'), /Backend b/],
      [resources('Backend', '{ url: "ftp://b" }'), /Backend b/],
      [resources('Backend', '{ url: "http://u:p@b" }'), /Backend b.*user name/],
      [resources('Backend', '{ url: "http://169.254.169.254/x" }'), /Backend b.*link-local/],
      [resources('Backend', '{ url: "http://[fe80::1]/x" }'), /Backend b.*link-local/],
      [resources('Backend', '{ url: "http://[::ffff:169.254.169.254]" }'), /Backend b.*link-local/],
      [resources('Backend', '{ url: "http://2852039166/" }'), /Backend b.*link-local/],
      [resources('Backend', '{ url: "http://metadata.google.internal" }'), /Backend b.*metadata/],
      [resources('Backend', '{ url: "http://0.0.0.0:1" }'), /Backend b/],
      [resources('Backend', '{ url: "http://b/a/../c" }'), /Backend b.*not plain/],
      [
        resources('Backend', `{ url: "http://localhost:${gateway.adminPort}" }`),
        /Backend b.*installation/,
      ],
      [
        resources('Backend', `{ url: "http://127.1:${gateway.adminPort}" }`),
        /Backend b.*installation/,
      ],
      ...[
        'localhost.',
        'localhost..',
        '127.0.0.1',
        '[::ffff:7f00:1]',
        '0x7f.1',
        'a.localhost.',
      ].map((host): [string, RegExp] => [
        resources('Backend', `{ url: "http://${host}:${gateway.adminPort}/x" }`),
        /Backend b.*installation/,
      ]),
      [
        resources('Backend', '{ url: "http://metadata.google.internal./x" }'),
        /Backend b.*metadata/,
      ],
      [resources('Backend', '{ url: "http://b", timeoutMs: 1e12 }'), /Backend b, timeoutMs/],
      [
        resources('Mock', '{ status: 200 }', regular('^/x/(?P<a>[^/]+)(?P<b>[^/]+)$')),
        /HTTPRoute r.*two parameters with nothing between/,
      ],
      [resources('Mock', '{ status: 200 }', '{ type: Exact, value: /a/../b }'), /dot segment/],
      [resources('Mock', '{ status: 200 }', '{ type: Exact, value: "/a\\\\b" }'), /character/],
      [resources('Mock', '{ status: 200 }').replace('a.example', '"a b"'), /not a host name/],
    ]
    for (const [text, message] of bad) {
      const answer = await gateway.put(text)
      expect(answer.status, text).toBe(422)
      expect(((await answer.json()) as { detail: string }).detail).toMatch(message)
    }
    expect((await gateway.put(resources('Mock', '{ status: 200 }'))).status).toBe(200)
    await serve()
  })

  it('that is refused at a start is put aside, and the gateway runs', async () => {
    const file = join(gateway.directory, 'inner.yaml')
    writeFileSync(file, resources('Mock', '{ status: 0 }'))
    await gateway.restart()
    expect(statuses(await get('/v1/things'))).toEqual([404])
    expect(readFileSync(`${file}.refused`, 'utf8')).toContain('status: 0')
    await serve()
    await alive()
  })
})

describe('a request that nothing takes', () => {
  const nearest = async (path: string) => {
    const answer = await get(path)
    expect(statuses(answer)).toEqual([404])
    const id = /x-request-id: (\S+)/i.exec(answer)![1]!
    const { steps, nearest: near } = await gateway.log(id)
    expect(steps.at(-1)!.text).not.toContain('nearest')
    return near!.text
  }

  it('is told its nearest route at the desk only, and the right one', async () => {
    await gateway.place(
      placed(
        backend.url,
        ['', '/{id}', '/{id}/updates', '/export', '/{id}/areas'].flatMap((path) => [
          `GET /interruptions${path}`,
          `POST /interceptors${path}`,
        ]),
        { basePath: '/supply/v2' },
      ),
    )
    expect(await get('/supply/v2/interuptions')).not.toContain('nearest')
    expect(await nearest('/supply/v2/interuptions')).toMatch(
      /nearest route is GET \/supply\/v2\/interruptions; "interuptions" stands where "interruptions" is/,
    )
    expect(await nearest('/interruptions')).toMatch(
      /GET \/supply\/v2\/interruptions; the base path is missing/,
    )
    expect(await nearest('/supply/v2/interruptions/7/update')).toMatch(
      /GET \/supply\/v2\/interruptions\/\{id\}\/updates/,
    )
    expect(await nearest('/nothing/like/it')).toMatch(/Nothing here comes near it/)
  })
})
