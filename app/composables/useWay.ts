import {
  complaintsOf,
  operationScope,
  rowName,
  scopesOf,
  type PlacementSpec,
} from '~~/core/runtime/placement'
import {
  policyKinds,
  policyNames,
  readSaid,
  type PolicyName,
  type PolicySet,
} from '~~/core/runtime/policies'
import { resolvePolicies, type Scope } from '~~/core/runtime/resolve'
import { stepNames } from '~~/core/runtime/steps'
import { wayOf, type WayItem } from '~~/core/runtime/way'
import type { SpecBody } from '~~/shared/api/placements'
import { policyOf } from '~/utils/way'

/** Those policies of a set that can be read as they are written now, and the names of the others. */
export function readableOf(set: PolicySet): { policies: PolicySet; unfinished: PolicyName[] } {
  const policies: Record<string, object> = {}
  const unfinished: PolicyName[] = []
  for (const name of policyNames) {
    if (set[name] === undefined) continue
    const read = readSaid(name, set[name])
    if (read.misfits) unfinished.push(name)
    else policies[name] = read.value
  }
  return { policies: policies as PolicySet, unfinished }
}

/** A set with something else said of one kind, or nothing. */
export function withSaid(set: PolicySet, name: PolicyName, said: object | undefined): PolicySet {
  const { [name]: _, ...others } = set
  return said === undefined ? others : ({ ...set, [name]: said } as PolicySet)
}

/** What is said and cannot be read yet, as items of a way. */
export const unfinishedItems = (names: readonly PolicyName[]): WayItem[] =>
  names.map((policy) => ({
    step: policyKinds[policy].step,
    policy,
    title: policyKinds[policy].title,
    text: 'not complete yet',
    also: [],
    overruled: [],
  }))

export const inOrder = (items: WayItem[]): WayItem[] =>
  [...items].sort((a, b) => stepNames.indexOf(a.step) - stepNames.indexOf(b.step))

/** The way of a placement that somebody looks at and may be writing, for every operation or for one. */
export function useWay(
  spec: Ref<SpecBody | undefined>,
  outer: Ref<readonly Scope[]>,
  /** The names of operations that SOAP calls. */
  soap: Ref<ReadonlySet<string>> = ref(new Set<string>()),
) {
  /** The name of the one operation that is looked at; empty for all. */
  const operation = ref('')
  const selected = ref<string>()
  const row = computed(() => spec.value?.routes.find((one) => rowName(one) === operation.value))
  const said = computed(() =>
    row.value ? (row.value.policies ?? {}) : (spec.value?.policies ?? {}),
  )
  const read = computed(() => readableOf(said.value))
  /** The placement as far as it can be read. */
  const readable = computed((): PlacementSpec | undefined => {
    if (!spec.value) return undefined
    const routes = spec.value.routes.map((one) =>
      one.policies ? { ...one, policies: readableOf(one.policies).policies } : one,
    )
    return { ...spec.value, policies: readableOf(spec.value.policies).policies, routes }
  })
  const readableRow = computed(
    () => row.value && readable.value?.routes.find((one) => rowName(one) === operation.value),
  )
  const items = computed(() => {
    if (!readable.value) return []
    const { unfinished } = read.value
    const isSoap = soap.value.has(operation.value)
    const way = wayOf(readable.value, outer.value, readableRow.value, isSoap)
    const others = way.filter(({ policy }) => !policy || !unfinished.includes(policy))
    return inOrder([...others, ...unfinishedItems(unfinished)])
  })
  const policy = computed(() => policyOf(selected.value))
  const now = computed(() => {
    if (!readable.value || !policy.value) return undefined
    const scopes = scopesOf(readable.value, outer.value)
    return resolvePolicies(
      readableRow.value ? [...scopes, operationScope(readableRow.value)] : scopes,
    )[policy.value]
  })
  const current = computed({
    get: (): object | undefined => policy.value && said.value[policy.value],
    set: (next) => {
      if (!policy.value || !spec.value) return
      const set = withSaid(said.value, policy.value, next)
      if (!row.value) spec.value.policies = set
      else if (Object.keys(set).length > 0) row.value.policies = set
      else delete row.value.policies
    },
  })
  /** Operations that have something said for them alone. */
  const own = computed(() =>
    (spec.value?.routes ?? [])
      .filter(({ policies }) => policies && Object.keys(policies).length > 0)
      .map(rowName),
  )
  const complaints = computed(() => {
    const unfinished = [
      ...readableOf(spec.value?.policies ?? {}).unfinished,
      ...(spec.value?.routes ?? []).flatMap(
        ({ policies }) => readableOf(policies ?? {}).unfinished,
      ),
    ]
    return [
      ...unfinished.map((name) => ({
        field: `policies.${name}`,
        message: `${policyKinds[name].title} is not complete`,
      })),
      ...(readable.value ? complaintsOf(readable.value, [], outer.value) : []),
    ]
  })
  return { operation, selected, row, items, policy, now, current, own, complaints }
}

export type Way = ReturnType<typeof useWay>
