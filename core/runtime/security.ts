import type { SecurityRequirement, SecurityScheme } from '../contract/model'
import { operationKey } from './placement'
import {
  methodWords,
  methodsOf,
  type Authentication,
  type AuthMethod,
} from './policies/authenticate'
import { listed } from '../text/counted'

/** How a definition says that clients show who they are, and which operations ask for what. */
export interface DefinedSecurity {
  schemes: DefinedScheme[]
  operations: { method: string; path: string; security?: SecurityRequirement[] }[]
}

export type DefinedScheme = Pick<
  SecurityScheme,
  'name' | 'type' | 'in' | 'parameterName' | 'scheme' | 'openIdConnectUrl'
>

/** The scheme as a credential that gateways can ask for; undefined where they cannot. */
function methodFor(scheme: DefinedScheme): AuthMethod | undefined {
  const kind = kindFor(scheme)
  if (kind === 'basic') return { kind, realm: 'API' }
  if (kind === 'api-key')
    return {
      kind,
      in: scheme.in === 'query' || scheme.in === 'cookie' ? scheme.in : 'header',
      name: scheme.parameterName ?? 'X-Api-Key',
    }
  if (kind === 'client-certificate')
    return { kind, authority: '', client: 'common-name', clients: [] }
  if (kind !== 'jwt') return undefined
  const issuer = scheme.openIdConnectUrl?.replace(/\/\.well-known\/.*$/, '') ?? ''
  return { kind, issuer, jwks: '', audience: [], skewSeconds: 30, client: 'azp', claims: [] }
}

/** RAML and others have names of their own for what OpenAPI calls http and apiKey. */
function kindFor({ type, scheme }: DefinedScheme): AuthMethod['kind'] | undefined {
  const name = type.toLowerCase()
  if (name === 'apikey' || name === 'pass through') return 'api-key'
  if (name.startsWith('basic') || (name === 'http' && scheme?.toLowerCase() === 'basic'))
    return 'basic'
  if (name === 'mutualtls') return 'client-certificate'
  if (name.startsWith('oauth') || name === 'openidconnect' || name === 'http') return 'jwt'
  return undefined
}

/** Alternatives that operations ask for, each once, in the order they are met; empty ones ask for nothing. */
function alternatives({ operations }: DefinedSecurity): string[][] {
  const found = new Map<string, string[]>()
  for (const { security = [] } of operations)
    for (const requirement of security) {
      const names = Object.keys(requirement)
      found.set([...names].sort().join('\n'), names)
    }
  return [...found.values()]
}

/** The authentication that a definition speaks of; undefined where it speaks of none, or of what no gateway asks for. */
export function proposedAuthentication(security: DefinedSecurity): Authentication | undefined {
  const schemes = new Map(security.schemes.map((scheme) => [scheme.name, scheme]))
  const anyOf = alternatives(security).flatMap((names) => {
    const methods = names.map((name) => {
      const scheme = schemes.get(name)
      return scheme && methodFor(scheme)
    })
    const whole = methods.every((method) => method !== undefined)
    return whole && methods.length > 0 ? [{ allOf: methods }] : []
  })
  return anyOf.length > 0 ? { kind: 'credentials', anyOf: anyOf.slice(0, 8) } : undefined
}

/** Where a credential is read, as far as a client of the definition would notice. */
const outwardly = (method: AuthMethod) => (method.kind === 'jwt' ? 'a token' : methodWords(method))

/** In which ways a definition and a policy do not say the same, in words. */
export function disagreements(
  security: DefinedSecurity,
  authentication: Authentication | undefined,
): string[] {
  const asked = new Set(methodsOf(authentication).map(outwardly))
  const defined = new Set(methodsOf(proposedAuthentication(security)).map(outwardly))
  const open = security.operations.filter(
    ({ security: needs }) => needs === undefined || needs.length === 0,
  )
  const found: string[] = []
  if (asked.size === 0 && defined.size > 0)
    found.push(
      `The definition asks for ${listed([...defined], 'or')}; no credential is asked for here`,
    )
  if (asked.size > 0 && defined.size === 0)
    found.push(`The definition asks for no credential; here it is ${listed([...asked], 'or')}`)
  if (asked.size === 0 || defined.size === 0) return found
  const [missing, other] = [
    [...defined].filter((one) => !asked.has(one)),
    [...asked].filter((one) => !defined.has(one)),
  ]
  if (missing.length > 0)
    found.push(`The definition speaks of ${listed(missing, 'and')}, which is not taken here`)
  if (other.length > 0) found.push(`The definition does not speak of ${listed(other, 'and')}`)
  if (open.length > 0 && open.length < security.operations.length)
    found.push(
      `${open.length === 1 ? 'One operation asks' : `${open.length} operations ask`} for nothing in the definition, and for a credential here`,
    )
  return found
}

/** Alternatives of scopes by operation, as requirements name them; operations without any are left out. */
export function scopesByOperation({
  operations,
}: Pick<DefinedSecurity, 'operations'>): Map<string, string[][]> {
  const found = new Map<string, string[][]>()
  for (const operation of operations) {
    const sets = (operation.security ?? []).map((requirement) => Object.values(requirement).flat())
    if (sets.some((scopes) => scopes.length > 0)) found.set(operationKey(operation), sets)
  }
  return found
}
