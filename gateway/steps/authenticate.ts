import { hash, type X509Certificate } from 'node:crypto'
import type { KeyDigest } from '../../core/runtime/placement'
import type { Authentication, AuthMethod } from '../../core/runtime/policies/authenticate'
import { methodWords } from '../../core/runtime/policies/authenticate'
import { only, readCookies, readQuery } from '../fields'
import { toldOf } from '../../core/runtime/issued-keys'
import { headerOf, pass, stop, type Check, type Passage, type Refusal } from '../passage'
import { clientCertificate, namedBy, readAuthority, whyNotIssuedBy } from '../client-certificates'
import type { TokenCheck, Tokens } from '../tokens'

/** What one credential came to. */
type Found =
  | { kind: 'client'; client: string; claims?: Record<string, unknown> }
  /** It was not sent at all, or it was and is wrong. */
  | { kind: 'missing'; why: string }
  | { kind: 'wrong'; why: string }
  | { kind: 'unknown'; why: string }

const sha256 = (text: string) => hash('sha256', text, 'hex')

/** Finds out who sends a request, by one of the alternatives that a policy has. */
export function authenticator(
  config: Authentication,
  credentials: readonly KeyDigest[],
  tokens: Tokens,
  now: () => number,
): Check {
  if (config.kind === 'none')
    return (passage) =>
      pass(passage, 'authenticate', 'authentication', 'No credential is asked for here')
  const names = new Map(credentials.map((key) => [key.sha256, key.name]))
  const { anyOf, hint } = config
  const used = anyOf.map(({ allOf }) => allOf.map(methodWords).join(' with '))
  const challenges = [...new Set(anyOf.flatMap(({ allOf }) => allOf.map(challenge)))]

  function conclude(passage: Passage, results: Found[][]): Refusal | undefined {
    const good = results.find(
      (found) => found.every(({ kind }) => kind === 'client') && !quarrel(found),
    )
    if (good) {
      const clients = good.filter((one) => one.kind === 'client')
      passage.client = clients.map(({ client }) => client).find((client) => client !== '') ?? ''
      passage.claims = clients.find(({ claims }) => claims)?.claims
      return pass(
        passage,
        'authenticate',
        'authentication',
        `The ${used[results.indexOf(good)]} ${passage.client === '' ? 'is good, and names no client' : `is that of ${passage.client}`}`,
      )
    }
    const troubles = results.flat().filter((one) => one.kind !== 'client')
    const unknown = troubles.find(({ kind }) => kind === 'unknown')
    const worst = unknown ?? troubles.find(({ kind }) => kind === 'wrong') ?? troubles[0]
    const text = worst?.why ?? 'The credentials are those of different clients'
    if (unknown)
      return stop(passage, 'authenticate', 'authentication', text, {
        status: 503,
        title: 'Credentials cannot be checked now',
        headers: { 'Retry-After': '10' },
      })
    return stop(passage, 'authenticate', 'authentication', text, {
      status: 401,
      title: 'A credential is needed',
      ...(hint !== undefined && { detail: `${text}. ${hint}` }),
      headers: {
        'WWW-Authenticate': challenges.map((one) =>
          one === 'Bearer' && worst?.kind === 'wrong' ? 'Bearer error="invalid_token"' : one,
        ),
      },
    })
  }

  const look = (passage: Passage, method: AuthMethod): Found | Promise<Found> => {
    if (method.kind === 'api-key') return keyOf(passage, method, names)
    if (method.kind === 'basic') return basicOf(passage, names)
    if (method.kind === 'client-certificate') return certificateOf(passage, method, now)
    return tokenOf(passage, method, tokens)
  }
  return (passage) => {
    const found = anyOf.map(({ allOf }) => allOf.map((method) => look(passage, method)))
    if (isSettled(found)) return conclude(passage, found)
    const all = found.map((alternative) =>
      Promise.all(alternative.map((one) => Promise.resolve(one))),
    )
    return Promise.all(all).then((results) => conclude(passage, results))
  }
}

/** Whether nothing has to be waited for. */
const isSettled = (found: (Found | Promise<Found>)[][]): found is Found[][] =>
  !found.some((alternative) => alternative.some((one) => one instanceof Promise))

/** Whether credentials that belong together name different clients. */
function quarrel(found: Found[]): boolean {
  const clients = found.flatMap((one) =>
    one.kind === 'client' && one.client !== '' ? [one.client] : [],
  )
  return new Set(clients).size > 1
}

function challenge(method: AuthMethod): string {
  if (method.kind === 'client-certificate') return 'ClientCertificate'
  if (method.kind === 'api-key') return `ApiKey ${method.in}="${method.name}"`
  return method.kind === 'basic' ? `Basic realm="${method.realm}", charset="UTF-8"` : 'Bearer'
}

function keyOf(
  passage: Passage,
  { in: where, name }: AuthMethod & { kind: 'api-key' },
  names: Map<string, string>,
): Found {
  const given =
    where === 'header'
      ? headerOf(passage, name)
      : where === 'query'
        ? only(readQuery(passage.head.target.query), name)
        : only(readCookies(headerOf(passage, 'cookie')), name)
  const place = where === 'query' ? 'query parameter' : where
  if (given === undefined || given === '')
    return { kind: 'missing', why: `The request has no key in the ${place} ${name}` }
  const client = clientOf(passage, given, names)
  return client === undefined
    ? { kind: 'wrong', why: `The key in ${name} is not known at this placement` }
    : { kind: 'client', client }
}

/** Whose key it is; of one that was issued for another place is noted that it was tried. */
function clientOf(passage: Passage, key: string, names: Map<string, string>): string | undefined {
  const digest = sha256(key)
  const client = names.get(digest)
  if (client === undefined) passage.tried = toldOf(key, digest)
  return client
}

function basicOf(passage: Passage, names: Map<string, string>): Found {
  const given = /^Basic +([\w+/=-]{1,4000})$/i.exec(headerOf(passage, 'authorization') ?? '')
  if (!given)
    return { kind: 'missing', why: 'The request has no name and secret in Authorization (Basic)' }
  const written = Buffer.from(given[1]!, 'base64').toString('utf8')
  const colon = written.indexOf(':')
  const client = clientOf(passage, written.slice(colon + 1), names)
  return colon === -1 || client === undefined || client !== written.slice(0, colon)
    ? { kind: 'wrong', why: 'The name and secret in Authorization are not known at this placement' }
    : { kind: 'client', client }
}

/** Authorities, each read once. */
const authorities = new Map<string, X509Certificate>()

function certificateOf(
  passage: Passage,
  { authority, client, clients }: AuthMethod & { kind: 'client-certificate' },
  now: () => number,
): Found {
  if (passage.scheme === 'http')
    return { kind: 'missing', why: 'The request came without TLS, where no certificate is shown' }
  const shown = clientCertificate(passage)
  if (!shown) return { kind: 'missing', why: 'The client showed no certificate' }
  let trusted = authorities.get(authority)
  if (!trusted) authorities.set(authority, (trusted = readAuthority(authority)))
  let why: string | undefined
  try {
    why = whyNotIssuedBy(shown, trusted, now())
  } catch {
    why = 'has a key or a signature that cannot be checked here'
  }
  if (why !== undefined) return { kind: 'wrong', why: `The client’s certificate ${why}` }
  const name = namedBy(shown, client)
  if (name === undefined || !isName.test(name))
    return { kind: 'wrong', why: 'The client’s certificate does not name a client' }
  return clients.length === 0 || clients.includes(name)
    ? { kind: 'client', client: name }
    : { kind: 'wrong', why: `${name} is not among the clients that are taken` }
}

/** What names a client stands in logs and counts: printable, and not without end. */
const isName = /^[\x20-\x7e]{1,200}$/

function tokenOf(
  passage: Passage,
  method: AuthMethod & { kind: 'jwt' },
  tokens: Tokens,
): Found | Promise<Found> {
  const given = /^Bearer +(\S+)$/i.exec(headerOf(passage, 'authorization') ?? '')
  if (!given) return { kind: 'missing', why: 'The request has no token in Authorization (Bearer)' }
  const found = (check: TokenCheck): Found => {
    if (check.kind === 'bad') return { kind: 'wrong', why: `The token is not taken: ${check.why}` }
    if (check.kind === 'unknown') return { kind: 'unknown', why: check.why }
    const client = check.claims[method.client]
    return {
      kind: 'client',
      client: typeof client === 'string' && isName.test(client) ? client : '',
      claims: check.claims,
    }
  }
  const checked = tokens.check(given[1]!, method)
  return checked instanceof Promise ? checked.then(found) : found(checked)
}
