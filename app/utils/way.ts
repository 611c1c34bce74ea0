import { isPolicyName, policyKinds, policyNames, type PolicyName } from '~~/core/runtime/policies'
import type { ScopeKind } from '~~/core/runtime/resolve'
import { steps, type StepName } from '~~/core/runtime/steps'
import type { WayItem } from '~~/core/runtime/way'
import type { DifferenceItem } from '~~/shared/api/placements'

/** What tells the items of a way apart: the kind of policy, or the title of what is none. */
export const wayKey = ({
  policy,
  title,
  text,
}: Pick<WayItem, 'policy' | 'title' | 'text'>): string =>
  policy ?? (title === 'Backend' ? `Backend ${text.split(':')[0]}` : title)

/** The kind of policy that an item is, where it is one. */
export const policyOf = (key: string | undefined): PolicyName | undefined =>
  key !== undefined && isPolicyName(key) ? key : undefined

/** What a step and a policy are called, for whoever reads of them in a log. */
export const stepTitle = (name: string) => (name in steps ? steps[name as StepName].title : name)
export const policyTitle = (name: string) => (isPolicyName(name) ? policyKinds[name].title : name)

const byTitle = new Map(policyNames.map((name) => [policyKinds[name].title.toLowerCase(), name]))

/** The item of the way that a difference is about. */
export function itemOf({ what }: Pick<DifferenceItem, 'what'>, items: readonly WayItem[]): string {
  const policy = byTitle.get(what) ?? (what === 'keys' ? 'authentication' : undefined)
  if (policy) return policy
  if (what === 'backend' || what === 'address' || what === 'time limit' || what === 'mock') {
    const first = items.find(({ title }) => title === 'Backend')
    return first ? wayKey(first) : 'Route table'
  }
  return items.some(({ title }) => title === 'Route') ? 'Route' : 'Route table'
}

/** How many differences there are at each item of a way. */
export function differingOf(
  differences: readonly DifferenceItem[],
  items: readonly WayItem[],
): Map<string, number> {
  const counts = new Map<string, number>()
  for (const difference of differences) {
    const key = itemOf(difference, items)
    counts.set(key, (counts.get(key) ?? 0) + 1)
  }
  return counts
}

const labels: Record<ScopeKind, string> = {
  organisation: 'Organisation',
  stage: 'Stage',
  group: 'Gateways',
  placement: 'here',
  operation: 'Operation',
}
export const scopeLabel = (kind: ScopeKind) => labels[kind]

/** Where what a scope says is read and changed. */
export const scopeLink = ({ kind, name }: { kind: ScopeKind; name: string }) => ({
  path: '/policies',
  query: { scope: kind === 'organisation' ? kind : `${kind}:${name}` },
})
