import http from 'node:http'
import { exportJWK, generateKeyPair, SignJWT, type JWK, type JWTPayload } from 'jose'
import { listen } from './gateway'

/** An issuer of tokens whose keys, answers and silences a test decides about. */
export interface TestIssuer {
  issuer: string
  jwks: string
  /** A token for client `tenant-app`, good for five minutes unless said otherwise. */
  token(claims?: JWTPayload, options?: { kid?: string }): Promise<string>
  /** Signs with new keys from now on; old ones are published no more. */
  rotate(): Promise<void>
  /** How its keys are handed out: as they are, not at all, or never. */
  mood: 'well' | 'down' | 'silent'
  asked: number
  close(): Promise<void>
}

export async function testIssuer(): Promise<TestIssuer> {
  let keys = await newKeys(1)
  let n = 1
  const server = http.createServer((_request, response) => {
    issuer.asked++
    if (issuer.mood === 'silent') return
    if (issuer.mood === 'down') return void response.writeHead(503).end()
    response.writeHead(200, { 'content-type': 'application/json' })
    response.end(JSON.stringify({ keys: [keys.jwk] }))
  })
  const url = `http://127.0.0.1:${await listen(server)}`
  const issuer: TestIssuer = {
    issuer: 'https://idp.brackenmere.example',
    jwks: `${url}/jwks`,
    mood: 'well',
    asked: 0,
    token: (claims = {}, { kid = keys.jwk.kid } = {}) => {
      const now = Math.floor(Date.now() / 1000)
      const payload = {
        iss: issuer.issuer,
        aud: 'supply',
        azp: 'tenant-app',
        iat: now,
        exp: now + 300,
        ...claims,
      }
      return new SignJWT(payload)
        .setProtectedHeader({ alg: 'ES256', kid: kid! })
        .sign(keys.privateKey)
    },
    async rotate() {
      keys = await newKeys(++n)
    },
    close: () =>
      new Promise((resolve) => {
        server.close(() => resolve())
        server.closeAllConnections()
      }),
  }
  return issuer
}

async function newKeys(n: number) {
  const { publicKey, privateKey } = await generateKeyPair('ES256', { extractable: true })
  const jwk: JWK = { ...(await exportJWK(publicKey)), kid: `key-${n}`, alg: 'ES256', use: 'sig' }
  return { privateKey, jwk }
}
