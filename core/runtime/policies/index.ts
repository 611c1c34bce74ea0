import type { Misfit } from '../fields'
import { stepNames } from '../steps'
import { authentication } from './authenticate'
import { addresses, hours, maintenance, scopes } from './authorise'
import { breaker, health, retry, share, timeout } from './forward'
import { readConfig, type PolicyKind, type Words } from './kind'
import { concurrency, quota, rate } from './limit'
import { transport } from './listen'
import { log } from './log'
import { caching, cors, errors } from './respond'
import { parameters, requestHeaders, responseHeaders, rewrite } from './transform'
import { body, contract } from './validate'

/** Every kind of policy, by the name it has in a set of policies. */
export const policyKinds = {
  transport,
  authentication,
  maintenance,
  addresses,
  hours,
  scopes,
  rate,
  quota,
  concurrency,
  body,
  contract,
  rewrite,
  parameters,
  requestHeaders,
  share,
  timeout,
  retry,
  breaker,
  health,
  cors,
  caching,
  responseHeaders,
  errors,
  log,
}

type Kinds = typeof policyKinds
export type PolicyName = keyof Kinds
export type ConfigOf<N extends PolicyName> = Kinds[N] extends PolicyKind<infer C> ? C : never

/** What holds for a request: at most one configuration of each kind. */
export type Policies = { [N in PolicyName]?: ConfigOf<N> }

/** That a policy of an outer scope does not hold here, and why. */
export interface Off {
  off: string
}

/** What one scope says: of each kind a configuration, that there is none here, or nothing. */
export type PolicySet = { [N in PolicyName]?: ConfigOf<N> | Off }

/** The names of all kinds, in the order of their steps. */
export const policyNames = (Object.keys(policyKinds) as PolicyName[]).sort(
  (a, b) => stepNames.indexOf(policyKinds[a].step) - stepNames.indexOf(policyKinds[b].step),
)

export const isPolicyName = (name: string): name is PolicyName => Object.hasOwn(policyKinds, name)

export const isOff = (said: object): said is Off => 'off' in said

/** A kind with the type of its configuration put aside: what is read by a kind is only ever given to the same kind. */
export const kindOf = (name: PolicyName) => policyKinds[name] as unknown as PolicyKind<object>

export const wordsOf = (name: PolicyName, said: object): Words =>
  isOff(said) ? { text: 'off', note: said.off } : kindOf(name).words(said)

const longestReason = 500

/** A set of policies with its defaults filled in, or everything that is wrong with it. */
export function readPolicySet(
  value: unknown,
): { value: PolicySet; misfits?: undefined } | { misfits: Misfit[] } {
  if (typeof value !== 'object' || value === null || Array.isArray(value))
    return { misfits: [{ field: '', message: 'Policies must be an object, by their kind' }] }
  const misfits: Misfit[] = []
  const set: Record<string, object> = {}
  for (const [name, said] of Object.entries(value)) {
    if (!isPolicyName(name)) {
      const message = `There is no kind of policy called ${name.slice(0, 100)}; the kinds are ${policyNames.join(', ')}`
      misfits.push({ field: name.slice(0, 100), message })
      continue
    }
    const read = readSaid(name, said)
    if (read.misfits)
      misfits.push(
        ...read.misfits.map(({ field, message }) => ({
          field: field === '' ? name : `${name}.${field}`,
          message,
        })),
      )
    else set[name] = read.value
  }
  return misfits.length > 0 ? { misfits } : { value: set }
}

/** What one scope says of a kind: a configuration, or that there is none. */
export function readSaid(
  name: PolicyName,
  said: unknown,
): { value: object; misfits?: undefined } | { misfits: Misfit[] } {
  if (typeof said !== 'object' || said === null || !('off' in said))
    return readConfig(kindOf(name), said)
  const { off, ...rest } = said
  if (typeof off !== 'string' || off.trim() === '' || off.length > longestReason)
    return { misfits: [{ field: 'off', message: 'Say why it is off, in at most 500 characters' }] }
  if (Object.keys(rest).length > 0)
    return { misfits: [{ field: 'off', message: 'What is off has no configuration beside it' }] }
  return { value: { off } }
}
