import ipaddr from 'ipaddr.js'
import { networkOf } from '../../core/runtime/backend-address'
import type { ConfigOf } from '../../core/runtime/policies'
import { listed } from '../../core/text/counted'
import { openAt, opensAgain } from '../hours'
import { pass, stop, type Check } from '../passage'

/** Whether an address lies in one of some networks; an IPv4 address in IPv6 clothes is the IPv4 address. */
export function inside(
  address: string,
  networks: readonly [ipaddr.IPv4 | ipaddr.IPv6, number][],
): boolean {
  if (!ipaddr.isValid(address)) return false
  const ip = ipaddr.process(address)
  return networks.some((network) => network[0].kind() === ip.kind() && ip.match(network))
}

const networksOf = (written: readonly string[]) =>
  written.flatMap((text) => {
    const network = networkOf(text)
    return network ? [network] : []
  })

export function addressCheck(config: ConfigOf<'addresses'>): Check {
  const allowed = networksOf(config.allow)
  const refused = networksOf(config.refuse)
  return (passage) => {
    const { address } = passage
    if (!inside(address, refused) && (config.allow.length === 0 || inside(address, allowed)))
      return pass(passage, 'authorise', 'addresses', `${address} may call`)
    return stop(passage, 'authorise', 'addresses', `${address} may not call this`, {
      status: 403,
      title: 'Not from this address',
    })
  }
}

export function hoursCheck(config: ConfigOf<'hours'>, now: () => number): Check {
  const open = `${config.days.join(' ')}, ${config.from} to ${config.to} ${config.zone}`
  return (passage) => {
    const at = now()
    if (openAt(config, at))
      return pass(passage, 'authorise', 'hours', `It is served at this time (${open})`)
    const seconds = Math.max(1, Math.ceil((opensAgain(config, at) - at) / 1000))
    return stop(passage, 'authorise', 'hours', `It is served on ${open} only`, {
      status: 503,
      title: 'Not at this time',
      headers: { 'Retry-After': String(seconds) },
    })
  }
}

export function maintenanceCheck(
  { message, until, retryAfterSeconds }: ConfigOf<'maintenance'>,
  now: () => number,
): Check {
  const ends = until === undefined ? undefined : Date.parse(until)
  return (passage) => {
    const left = ends === undefined ? retryAfterSeconds : Math.ceil((ends - now()) / 1000)
    if (left <= 0) return pass(passage, 'authorise', 'maintenance', 'The maintenance is over')
    return stop(passage, 'authorise', 'maintenance', `Under maintenance: ${message}`, {
      status: 503,
      title: 'Under maintenance',
      detail: message,
      headers: { 'Retry-After': String(left) },
    })
  }
}

/** Scopes of a token: a text with spaces between them, or a list. */
const scopesOf = (claim: unknown): string[] => {
  if (typeof claim === 'string') return claim.split(' ')
  return Array.isArray(claim)
    ? claim.filter((scope): scope is string => typeof scope === 'string')
    : []
}

export function scopeCheck(
  { definition, also, claim }: ConfigOf<'scopes'>,
  named: readonly (readonly string[])[],
): Check {
  const alternatives = definition && named.length > 0 ? named : [[]]
  const wanted = alternatives.map((scopes) => [...scopes, ...also])
  const words = listed(
    wanted.map((scopes) => scopes.join(' ')),
    'or',
  )
  return (passage) => {
    const has = new Set(scopesOf(passage.claims?.[claim]))
    if (wanted.some((scopes) => scopes.every((scope) => has.has(scope))))
      return pass(
        passage,
        'authorise',
        'scopes',
        words === '' ? 'No scope is asked for' : `It has ${words}`,
      )
    const text = passage.claims
      ? `The token does not have ${words}`
      : `Only a token can have ${words}, and there is none`
    return stop(passage, 'authorise', 'scopes', text, {
      status: 403,
      title: 'A scope is missing',
      headers: {
        'WWW-Authenticate': `Bearer error="insufficient_scope", scope="${wanted[0]!.join(' ')}"`,
      },
    })
  }
}
