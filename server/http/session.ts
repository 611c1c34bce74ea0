import { isSecure } from './security'
import { randomUUID } from 'node:crypto'
import {
  clearSession,
  getRequestHeader,
  getRequestIP,
  getRequestURL,
  getSession,
  updateSession,
  type H3Event,
  type SessionConfig,
} from 'h3'
import type { Underway } from '../services/issuer'
import type { Origin } from '../services/sign-in'

const trustsProxy = () => process.env['ELM_TRUST_PROXY'] === 'true'

interface Sealed {
  session?: string
}

/** A sealed cookie that carries nothing but the session's identifier. `secret` has at least 32 characters. */
const configuration = (secret: string): SessionConfig => ({
  password: secret,
  name: 'elm_session',
  maxAge: 14 * 86_400,
  cookie: {
    httpOnly: true,
    sameSite: 'lax',
    path: '/',
    secure: isSecure(),
  },
})

export const sessionOf = async (event: H3Event, secret: string): Promise<string | undefined> =>
  (await getSession<Sealed>(event, configuration(secret))).data.session

export const keepSession = (event: H3Event, secret: string, session: string) =>
  updateSession<Sealed>(event, configuration(secret), { session })

export const forgetSession = (event: H3Event, secret: string) =>
  clearSession(event, configuration(secret))

/** By what address the product was reached: as the browser says, or else by the request itself. */
export const originOf = (event: H3Event): string =>
  getRequestHeader(event, 'origin') ??
  getRequestURL(event, { xForwardedProto: trustsProxy() }).origin

/** Kept between the way to an issuer and the way back. */
const underwayConfiguration = (secret: string): SessionConfig => ({
  ...configuration(secret),
  name: 'elm_sign_on',
  maxAge: 600,
})

export const keepUnderway = (event: H3Event, secret: string, underway: Underway) =>
  updateSession<{ underway?: Underway }>(event, underwayConfiguration(secret), { underway })

/** What was kept, once. */
export async function takeUnderway(event: H3Event, secret: string): Promise<Underway | undefined> {
  const { data } = await getSession<{ underway?: Underway }>(event, underwayConfiguration(secret))
  await clearSession(event, underwayConfiguration(secret))
  return data.underway
}

interface Known {
  browser?: string
  names?: string[]
}

/** A sealed cookie that says who has signed in with this browser before; it lets nobody in. */
const knownConfiguration = (secret: string): SessionConfig => ({
  ...configuration(secret),
  name: 'elm_known',
  maxAge: 400 * 86_400,
})

/** Where a request comes from: behind a proxy that is trusted, what that says, and otherwise the connection. */
export async function placeOf(
  event: H3Event,
  secret: string,
  name: string | undefined,
): Promise<Origin> {
  const address = getRequestIP(event, {
    xForwardedFor: trustsProxy(),
  })
  const place = {
    address: address ?? '',
    agent: getRequestHeader(event, 'user-agent')?.replace(/[^\x20-\x7e]/g, '') ?? '',
  }
  if (name === undefined) return place
  const { browser, names } = (await getSession<Known>(event, knownConfiguration(secret))).data
  const isKnown = browser !== undefined && names?.includes(name.trim().toLowerCase())
  return isKnown ? { ...place, known: browser } : place
}

export async function keepKnown(event: H3Event, secret: string, name: string): Promise<void> {
  const { browser, names } = (await getSession<Known>(event, knownConfiguration(secret))).data
  await updateSession<Known>(event, knownConfiguration(secret), {
    browser: browser ?? randomUUID(),
    names: [...new Set([name, ...(names ?? [])])].slice(0, 20),
  })
}
