import type { KeyDigest } from '../core/runtime/placement'
import type { Policies } from '../core/runtime/policies'
import type { Route } from '../core/runtime/routes'
import { ConcurrencyLimiter, RateLimiter } from './limiter'
import type { Check, Passage, Refusal } from './passage'
import type { Quotas } from './quotas'
import { authenticator } from './steps/authenticate'
import { addressCheck, hoursCheck, maintenanceCheck, scopeCheck } from './steps/authorise'
import { contractCheck } from './steps/contract'
import { concurrencyCheck, quotaCheck, rateCheck } from './steps/limit'
import { bodyCheck } from './steps/validate'
import type { Inspector } from './inspector'
import { messageCheck } from './soap'
import { Tokens } from './tokens'

/** What the checks of all routes keep between requests. */
export interface Keeping {
  tokens: Tokens
  rates: RateLimiter
  concurrency: ConcurrencyLimiter
  quotas: Quotas
  inspector: Inspector
  now: () => number
}

/** What is asked of the requests of each route, in the order of the steps; worked out once for each route. */
export class Ways {
  private readonly checks = new WeakMap<Route, Check[]>()
  /** Routes of a placement ask for the same credentials, mostly. */
  private readonly authenticators = new WeakMap<
    Policies,
    { keys: readonly KeyDigest[]; check: Check }
  >()

  constructor(private readonly keeping: Keeping) {}

  of(route: Route): Check[] {
    let checks = this.checks.get(route)
    if (!checks) this.checks.set(route, (checks = this.compile(route)))
    return checks
  }

  private compile(route: Route): Check[] {
    const { policies, scopes, described } = route
    const { now, rates, quotas, concurrency, inspector } = this.keeping
    return [
      policies.maintenance && maintenanceCheck(policies.maintenance, now),
      policies.authentication && this.authenticator(route),
      policies.addresses && addressCheck(policies.addresses),
      policies.hours && hoursCheck(policies.hours, now),
      policies.scopes && scopeCheck(policies.scopes, scopes),
      policies.rate && rateCheck(policies.rate, route, rates),
      policies.quota && quotaCheck(policies.quota, route, quotas),
      policies.concurrency && concurrencyCheck(policies.concurrency, route, concurrency),
      route.soap.length > 0 && messageCheck(inspector),
      policies.body && bodyCheck(policies.body, inspector),
      // A face holds its requests against the schemas that it translates by.
      policies.contract &&
        described &&
        !route.face &&
        contractCheck(policies.contract, route, described, inspector),
    ].filter((check) => typeof check === 'function')
  }

  private authenticator({ policies, credentials }: Route): Check {
    const known = this.authenticators.get(policies)
    if (known?.keys === credentials) return known.check
    const check = authenticator(
      policies.authentication!,
      credentials,
      this.keeping.tokens,
      this.keeping.now,
    )
    this.authenticators.set(policies, { keys: credentials, check })
    return check
  }
}

/** Puts a request through checks, one after the other, until one stops it. Waits only where a check has to. */
export function run(
  checks: readonly Check[],
  passage: Passage,
  from = 0,
): Refusal | undefined | Promise<Refusal | undefined> {
  for (let index = from; index < checks.length; index++) {
    const result = checks[index]!(passage)
    if (result instanceof Promise)
      return result.then((refusal) => refusal ?? run(checks, passage, index + 1))
    if (result) return result
  }
  return undefined
}
