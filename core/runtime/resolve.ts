import { isSame } from '../text/values'
import {
  isOff,
  kindOf,
  policyKinds,
  policyNames,
  type ConfigOf,
  type Policies,
  type PolicyName,
  type PolicySet,
} from './policies'

/** Scopes from the outermost to the innermost. Products and plans will stand between groups and placements. */
export const scopeKinds = ['organisation', 'stage', 'group', 'placement', 'operation'] as const
export type ScopeKind = (typeof scopeKinds)[number]

/** Which scope something comes from: `{ kind: 'stage', name: 'Live' }`. */
export interface ScopeName {
  kind: ScopeKind
  /** Empty for the organisation. */
  name: string
}

/** What one scope says. What is binding there may only be tightened further in. */
export interface Scope extends ScopeName {
  policies: PolicySet
  binding: PolicyName[]
}

/** What an inner scope says that does not hold, since it would loosen what is binding further out. */
export interface Overruled {
  by: ScopeName
  at: ScopeName
  /** `it takes 600 a minute` */
  why: string
}

/** One policy as it holds: the configuration, and where it comes from. */
export interface Resolved<N extends PolicyName = PolicyName> {
  config: ConfigOf<N>
  from: ScopeName
  /** Outer scopes that the configuration also has something of. */
  also: ScopeName[]
  /** The scope that made it binding. */
  boundBy?: ScopeName
  overruled: Overruled[]
}

export type ResolvedPolicies = { [N in PolicyName]?: Resolved<N> }

const nameOf = ({ kind, name }: ScopeName): ScopeName => ({ kind, name })

/**
 * What holds where scopes, outermost first, all speak: of each kind the innermost configuration, or what it makes of the
 * outer one; except that a binding one is not loosened further in.
 */
export function resolvePolicies(scopes: readonly Scope[]): ResolvedPolicies {
  const resolved: Record<string, Resolved> = {}
  for (const name of policyNames) {
    const found = resolveOne(name, scopes)
    if (found) resolved[name] = found
  }
  return resolved
}

function resolveOne(name: PolicyName, scopes: readonly Scope[]): Resolved | undefined {
  const kind = kindOf(name)
  const overruled: Overruled[] = []
  let current: { config: object; from: ScopeName; also: ScopeName[] } | undefined
  let bound: { config: object; by: ScopeName } | undefined
  for (const scope of scopes) {
    const said = scope.policies[name]
    if (said === undefined) continue
    if (bound) {
      const why = isOff(said) ? 'it switches it off' : loosened(kind.loosens, bound.config, said)
      if (why !== undefined) {
        overruled.push({ by: bound.by, at: nameOf(scope), why })
        continue
      }
    }
    if (isOff(said)) current = undefined
    else if (current && kind.combine)
      current = {
        config: kind.combine(current.config, said),
        from: nameOf(scope),
        also: [...current.also, current.from],
      }
    else current = { config: said, from: nameOf(scope), also: [] }
    if (current && scope.binding.includes(name))
      bound = { config: current.config, by: nameOf(scope) }
  }
  return (
    current && {
      ...(current as Pick<Resolved, 'config' | 'from' | 'also'>),
      ...(bound && { boundBy: bound.by }),
      overruled,
    }
  )
}

function loosened(
  loosens: ((outer: object, inner: object) => string | undefined) | undefined,
  outer: object,
  inner: object,
): string | undefined {
  if (isSame(outer, inner)) return undefined
  return loosens ? loosens(outer, inner) : 'it is binding and stays as it is'
}

/** The configurations alone, as a gateway enforces them. */
export const configsOf = (resolved: ResolvedPolicies): Policies =>
  Object.fromEntries(Object.entries(resolved).map(([name, one]) => [name, one.config]))

/** What would not hold of what the innermost scopes say, since it loosens something binding; as complaints. */
export function overruledBy(resolved: ResolvedPolicies): { policy: PolicyName; message: string }[] {
  return policyNames.flatMap((policy) =>
    (resolved[policy]?.overruled ?? []).map(({ by, why }) => ({
      policy,
      message: `${policyKinds[policy].title} is binding for ${scopeText(by)} and cannot be loosened: ${why}`,
    })),
  )
}

/** `stage Live`, `the organisation`, `this placement`. */
export function scopeText({ kind, name }: ScopeName): string {
  if (kind === 'organisation') return 'the organisation'
  if (kind === 'placement') return 'this placement'
  return kind === 'group' ? `gateway group ${name}` : `${kind} ${name}`
}
