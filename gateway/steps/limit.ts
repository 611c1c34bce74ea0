import type { ConfigOf, PolicyName } from '../../core/runtime/policies'
import { policyKinds } from '../../core/runtime/policies'
import type { Route } from '../../core/runtime/routes'
import type { Admission, ConcurrencyLimiter, RateLimiter } from '../limiter'
import { pass, stop, type Check, type Passage, type Refusal } from '../passage'
import type { Quotas } from '../quotas'

type Per = ConfigOf<'rate'>['per']

/** Whose requests are counted together; what holds for one operation alone is counted for it alone. */
function countedFor(
  passage: Passage,
  route: Route,
  policy: PolicyName,
  per: Per,
): { key: string; who: string } {
  const client = passage.client || passage.address
  const rule = per === 'operation' || route.own.includes(policy) ? route.name : ''
  const [whom, who] =
    per === 'client'
      ? [
          passage.client ? `client ${client}` : `address ${client}`,
          passage.client || 'this address',
        ]
      : per === 'address'
        ? [`address ${passage.address}`, 'this address']
        : ['', per === 'operation' ? 'this operation' : 'this placement']
  return { key: `${route.placement}\n${rule}\n${whom}`, who }
}

/** RateLimit fields of a policy (draft-ietf-httpapi-ratelimit-headers, sections 3 and 4). */
function noteLeft(
  { fields }: Passage,
  name: string,
  quota: number,
  window: number,
  admission: Admission,
): void {
  const [remaining, reset] = admission.admitted
    ? [admission.remaining, admission.reset]
    : [0, admission.retryAfter]
  fields.push('RateLimit-Policy', `"${name}";q=${quota};w=${window}`)
  fields.push('RateLimit', `"${name}";r=${remaining};t=${reset}`)
}

const tooMany = (retryAfter: number): Refusal => ({
  status: 429,
  title: 'Too many requests',
  headers: { 'Retry-After': String(retryAfter) },
})

function judge(
  passage: Passage,
  policy: 'rate' | 'quota',
  admission: Admission,
  words: string,
  who: string,
): Refusal | undefined {
  if (admission.admitted)
    return pass(passage, 'limit', policy, `${admission.remaining} of ${words} left for ${who}`)
  const text = `The limit of ${words} is used up; the next request is taken in ${admission.retryAfter} s`
  return stop(passage, 'limit', policy, text, tooMany(admission.retryAfter))
}

export function rateCheck(config: ConfigOf<'rate'>, route: Route, limiter: RateLimiter): Check {
  const { text } = policyKinds.rate.words(config)
  const values = `${config.requests}/${config.seconds}/${config.burst ?? ''}`
  return (passage) => {
    const { key, who } = countedFor(passage, route, 'rate', config.per)
    const admission = limiter.admit(`${key}\n${values}`, config)
    noteLeft(passage, 'rate', config.requests, config.seconds, admission)
    return judge(passage, 'rate', admission, text, who)
  }
}

const windows = { day: 86_400, month: 31 * 86_400 }

export function quotaCheck(config: ConfigOf<'quota'>, route: Route, quotas: Quotas): Check {
  const { text } = policyKinds.quota.words(config)
  return (passage) => {
    const { key, who } = countedFor(passage, route, 'quota', config.per)
    const admission = quotas.admit(`${key}\n${config.in}`, config)
    noteLeft(passage, 'quota', config.requests, windows[config.in], admission)
    return judge(passage, 'quota', admission, text, who)
  }
}

export function concurrencyCheck(
  config: ConfigOf<'concurrency'>,
  route: Route,
  limiter: ConcurrencyLimiter,
): Check {
  return (passage) => {
    const { key, who } = countedFor(passage, route, 'concurrency', config.per)
    const leave = limiter.enter(key, config.requests)
    if (!leave)
      return stop(
        passage,
        'limit',
        'concurrency',
        `${config.requests} requests of ${who} are under way already`,
        tooMany(1),
      )
    passage.ends.push(leave)
    return pass(passage, 'limit', 'concurrency', `One of ${config.requests} at once for ${who}`)
  }
}
