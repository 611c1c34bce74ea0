import { isSame } from '../text/values'
import { operationScope, rowName, scopesOf, type PlacementSpec } from './placement'
import { policyKinds, policyNames, wordsOf, type PolicyName } from './policies'
import { configsOf, resolvePolicies, scopeText, type ResolvedPolicies, type Scope } from './resolve'

/** What becomes of one policy at a placement when the scopes around it change. */
export interface PolicyImpact {
  policy: PolicyName
  title: string
  /** In words; `none` where there is none. */
  before: string
  after: string
  /** Empty where it holds for the whole placement; otherwise the operations for which it is so. */
  operations: string[]
}

/** What a change of the scopes around a placement does to it. */
export interface PlacementImpact {
  changes: PolicyImpact[]
  /** What it says itself, and would not hold any more, since the scopes around it are binding. */
  overruled: string[]
  /** Why it could not be: nothing would say which credential is asked for. */
  faults: string[]
}

const wordsFor = (policy: PolicyName, resolved: ResolvedPolicies): string => {
  const config = resolved[policy]?.config
  if (!config) return 'none'
  const { text, note } = wordsOf(policy, config)
  return note === undefined ? text : `${text} (${note})`
}

const overrulings = (resolved: ResolvedPolicies) =>
  policyNames.flatMap((policy) =>
    (resolved[policy]?.overruled ?? []).map(
      ({ by, at, why }) =>
        `${policyKinds[policy].title} of ${scopeText(at)} does not hold: ${why}, and ${scopeText(by)} is binding`,
    ),
  )

/** Everything that holds at a placement and at its operations, as the scopes around it have it. */
export function effectOf(spec: PlacementSpec, outer: readonly Scope[]) {
  const scopes = scopesOf(spec, outer)
  const own = spec.routes.filter(({ policies }) => policies)
  return {
    placement: configsOf(resolvePolicies(scopes)),
    operations: Object.fromEntries(
      own.map((row) => [
        rowName(row),
        configsOf(resolvePolicies([...scopes, operationScope(row)])),
      ]),
    ),
  }
}

/** What holds at a placement before and after the scopes around it have changed. */
export function policyImpact(
  spec: PlacementSpec,
  outerBefore: readonly Scope[],
  outerAfter: readonly Scope[],
): PlacementImpact {
  const [scopesBefore, scopesAfter] = [scopesOf(spec, outerBefore), scopesOf(spec, outerAfter)]
  const [before, after] = [resolvePolicies(scopesBefore), resolvePolicies(scopesAfter)]
  const found = new Map<string, PolicyImpact>()
  const overruled = new Set(overrulings(after))
  const known = new Set([...overrulings(before)])
  const faults = before.authentication && !after.authentication ? [unsaid] : []
  compare(before, after, '', found)
  for (const row of spec.routes) {
    if (!row.policies) continue
    const scope = operationScope(row)
    const own = [
      resolvePolicies([...scopesBefore, scope]),
      resolvePolicies([...scopesAfter, scope]),
    ]
    compare(own[0]!, own[1]!, rowName(row), found)
    for (const text of overrulings(own[0]!)) known.add(text)
    for (const text of overrulings(own[1]!)) overruled.add(text)
  }
  return {
    changes: [...found.values()],
    overruled: [...overruled].filter((text) => !known.has(text)),
    faults,
  }
}

const unsaid = 'Nothing would say which credential is asked for, or why none is'

function compare(
  before: ResolvedPolicies,
  after: ResolvedPolicies,
  operation: string,
  found: Map<string, PolicyImpact>,
): void {
  for (const policy of policyNames) {
    if (isSame(before[policy]?.config, after[policy]?.config)) continue
    const words = [wordsFor(policy, before), wordsFor(policy, after)]
    const everywhere = found.get([policy, ...words, ''].join('\n'))
    // What holds for the whole placement needs no word for each operation.
    if (everywhere && operation !== '') continue
    const key = [policy, ...words, operation === '' ? '' : 'operations'].join('\n')
    const known = found.get(key)
    if (known) known.operations.push(operation)
    else
      found.set(key, {
        policy,
        title: policyKinds[policy].title,
        before: words[0]!,
        after: words[1]!,
        operations: operation === '' ? [] : [operation],
      })
  }
}
