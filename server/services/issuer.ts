import * as oidc from 'openid-client'
import { readBackendAddress } from '../../core/runtime/backend-address'
import type { SignOn } from '../../shared/api/settings'

/** Within which an issuer answers, in seconds; and for how long what it says of itself is taken as it was, in ms. */
const timeoutSeconds = 10
const knownForMs = 10 * 60_000

/** An issuer that can be asked, with the client's secret. */
export interface Client extends Pick<SignOn, 'issuer' | 'clientId'> {
  clientSecret: string
}

const isLoopback = (url: URL) => ['127.0.0.1', '[::1]', 'localhost'].includes(url.hostname)

/** Why an issuer's address cannot be used, in words; undefined where it can. */
export function issuerFault(issuer: string): string | undefined {
  const read = readBackendAddress(issuer)
  if ('refused' in read) return `${issuer} ${read.refused}`
  if (read.url.protocol === 'http:' && !isLoopback(read.url))
    return 'An issuer is reached by https; http is taken on this machine only'
  return undefined
}

/** What the issuer's own configuration leads to is held to the same as its address. */
const guarded: oidc.CustomFetch = (url, options) => {
  const fault = issuerFault(url.split('?')[0]!)
  if (fault !== undefined) throw new Error(fault)
  return fetch(url, { ...options, redirect: 'error' } as RequestInit)
}

let known: { key: string; until: number; asked: Promise<oidc.Configuration> } | undefined

/** What an issuer says of itself (OpenID Connect Discovery 1.0), asked once in a while. */
export function configurationOf({ issuer, clientId, clientSecret }: Client) {
  const key = JSON.stringify([issuer, clientId, clientSecret])
  if (known?.key === key && known.until > Date.now()) return known.asked
  const asked = oidc.discovery(new URL(issuer), clientId, clientSecret, undefined, {
    // Marked so that it stands out: it is for an issuer on this machine, as the demo's is.
    // eslint-disable-next-line @typescript-eslint/no-deprecated
    execute: isLoopback(new URL(issuer)) ? [oidc.allowInsecureRequests] : [],
    timeout: timeoutSeconds,
    [oidc.customFetch]: guarded,
  })
  known = { key, until: Date.now() + knownForMs, asked }
  asked.catch(() => {
    if (known?.asked === asked) known = undefined
  })
  return asked
}

/** Between the way to the issuer and the way back; kept by the browser alone, sealed. */
export interface Underway {
  state: string
  nonce: string
  verifier: string
  /** Where the person was going. */
  to: string
}

/** The way to the issuer: authorization code flow with PKCE (RFC 7636), state and nonce. */
export async function wayTo(
  client: Client,
  returnAddress: string,
  to: string,
): Promise<{ location: string; underway: Underway }> {
  const configuration = await configurationOf(client)
  const underway = {
    state: oidc.randomState(),
    nonce: oidc.randomNonce(),
    verifier: oidc.randomPKCECodeVerifier(),
    to,
  }
  const location = oidc.buildAuthorizationUrl(configuration, {
    redirect_uri: returnAddress,
    scope: 'openid profile groups',
    code_challenge: await oidc.calculatePKCECodeChallenge(underway.verifier),
    code_challenge_method: 'S256',
    state: underway.state,
    nonce: underway.nonce,
  })
  return { location: location.href, underway }
}

/** What an issuer says of somebody; the subject is theirs for good. */
export type Claims = Record<string, unknown> & { sub: string }

/** The claims about whoever came back, once their code has been exchanged and the tokens verified. */
export async function claimsAfter(
  client: Client,
  returned: URL,
  { state, nonce, verifier }: Underway,
): Promise<Claims> {
  const configuration = await configurationOf(client)
  const tokens = await oidc.authorizationCodeGrant(configuration, returned, {
    pkceCodeVerifier: verifier,
    expectedState: state,
    expectedNonce: nonce,
    idTokenExpected: true,
  })
  const said = tokens.claims()!
  if (!configuration.serverMetadata().userinfo_endpoint) return said
  return { ...said, ...(await oidc.fetchUserInfo(configuration, tokens.access_token, said.sub)) }
}
