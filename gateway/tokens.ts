import { createHash } from 'node:crypto'
import { errors, jwtVerify, type JWTPayload } from 'jose'
import type { AuthMethod } from '../core/runtime/policies/authenticate'
import { duration } from '../core/runtime/policies/words'
import type { Dispatcher } from 'undici'
import { Bounded } from './bounded'
import { IssuerKeys, KeysUnknown } from './jwks'

type JwtMethod = AuthMethod & { kind: 'jwt' }

/** What became of a token. `unknown` is neither good nor bad: the issuer's keys are not to be had. */
export type TokenCheck =
  | { kind: 'good'; claims: JWTPayload }
  | { kind: 'bad'; why: string }
  | { kind: 'unknown'; why: string }

/** Signatures that take a key only the issuer has. */
const algorithms = [
  'RS256',
  'RS384',
  'RS512',
  'PS256',
  'PS384',
  'PS512',
  'ES256',
  'ES384',
  'ES512',
  'EdDSA',
]
const longest = 8192
/** How long a token that was found good is taken for good without looking again; in milliseconds. */
const remembered = 60_000

/** Tokens that were verified, and the keys of their issuers. */
export class Tokens {
  private readonly issuers = new Map<string, IssuerKeys>()
  private readonly good = new Bounded<{ claims: JWTPayload; until: number }>(10_000)

  constructor(
    private readonly agent: Dispatcher,
    private readonly now: () => number = Date.now,
  ) {}

  /** At once where the token was verified before. */
  check(token: string, method: JwtMethod): TokenCheck | Promise<TokenCheck> {
    if (token.length > longest) return { kind: 'bad', why: 'it is longer than 8 kB' }
    const key = createHash('sha256').update(JSON.stringify(method)).update(token).digest('base64')
    const known = this.good.get(key)
    if (known && known.until > this.now()) return { kind: 'good', claims: known.claims }
    return this.verify(token, method, key)
  }

  private async verify(token: string, method: JwtMethod, key: string): Promise<TokenCheck> {
    const { issuer, audience, skewSeconds, claims: wanted } = method
    try {
      const { payload } = await jwtVerify(token, this.keysOf(method.jwks).get, {
        issuer,
        ...(audience.length > 0 && { audience }),
        clockTolerance: skewSeconds,
        algorithms,
        requiredClaims: ['exp'],
        currentDate: new Date(this.now()),
      })
      const missing = wanted.find(({ name, value }) => !claimHas(payload[name], value))
      if (missing) return { kind: 'bad', why: `its claim ${missing.name} is not ${missing.value}` }
      const ends = (payload.exp! + skewSeconds) * 1000
      this.good.set(key, { claims: payload, until: Math.min(ends, this.now() + remembered) })
      return { kind: 'good', claims: payload }
    } catch (error) {
      if (error instanceof KeysUnknown) return { kind: 'unknown', why: error.message }
      return { kind: 'bad', why: reasonOf(error, skewSeconds) }
    }
  }

  private keysOf(address: string): IssuerKeys {
    let keys = this.issuers.get(address)
    if (!keys) this.issuers.set(address, (keys = new IssuerKeys(address, this.agent, this.now)))
    return keys
  }
}

const claimHas = (claim: unknown, value: string) =>
  Array.isArray(claim) ? claim.includes(value) : String(claim) === value

function reasonOf(error: unknown, skewSeconds: number): string {
  if (error instanceof errors.JWTExpired) return `it expired more than ${duration(skewSeconds)} ago`
  if (error instanceof errors.JWTClaimValidationFailed)
    return error.claim === 'nbf'
      ? 'it is not valid yet'
      : `its claim ${error.claim} is not the one that is asked for`
  if (error instanceof errors.JWSSignatureVerificationFailed) return 'its signature is wrong'
  if (error instanceof errors.JWKSNoMatchingKey)
    return 'it is signed with a key that its issuer does not have'
  if (error instanceof errors.JOSEAlgNotAllowed || error instanceof errors.JOSENotSupported)
    return 'it is not signed in a way that is taken'
  return 'it is not a JWT'
}
