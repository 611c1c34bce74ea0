import { isObject } from '../../text/values'
import { ConfigurationError } from '../config-values'
import { writeDuration } from '../filters'
import { gatewayApi, type Resource } from '../resources'
import { rewritePath } from '../routes'
import type { Prefix } from '../placement'
import { serviceOf } from './service'

/** What is kept beside what a cluster understands, so that reading gives back what was written. */
export const writtenAnnotation = 'elm-ledger.example/written'

/** @see writtenAnnotation */
export interface Written {
  /** Which part of the route this is, from 0: an HTTPRoute has at most sixteen rules. */
  part: number
  /** The names of its rules. */
  rules: string[]
  /** What backends are called, by the address of their first target. */
  backends: Record<string, string>
}

export interface ClusterResource {
  apiVersion: string
  kind: string
  metadata: {
    name: string
    labels?: Record<string, string>
    annotations?: Record<string, string>
  }
  spec: Record<string, unknown>
}

/** As Gateway API has it (v1, HTTPRouteSpec). */
const mostRules = 16

/**
 * Writes resources of placements as what any cluster with Gateway API (standard channel, v1) understands. Throws
 * {@link ConfigurationError} where that cannot say the same.
 */
export function toCluster(resources: readonly Resource[]): ClusterResource[] {
  const byName = new Map(
    resources.map((resource) => [`${resource.kind} ${resource.metadata.name}`, resource]),
  )
  for (const resource of resources) requireSayable(resource)
  return resources
    .filter(({ kind }) => kind === 'HTTPRoute')
    .flatMap((route) => new RouteWriter(route, byName, rewritesOf(resources)).written())
}

/** A policy that was left out in silence could be the one that protects something. */
function requireSayable({ kind, metadata, spec }: Resource): void {
  const isNeeded = kind === 'Mock' || (kind.endsWith('Policy') && kind !== 'RewritePolicy')
  const isOpen = kind === 'AuthenticationPolicy' && spec['kind'] === 'none'
  if (isNeeded && !isOpen && spec['off'] === undefined)
    throw new ConfigurationError(
      `${kind} ${metadata.name} is nothing that Gateway API has a word for`,
    )
}

/** Paths that the backend of some rule gets, by `route/rule`, and by `route` for all of its rules. */
const rewritesOf = (resources: readonly Resource[]) =>
  new Map(
    resources.flatMap(({ kind, spec }) => {
      const target = spec['targetRef']
      const path = spec['path']
      if (kind !== 'RewritePolicy' || !isObject(target) || typeof path !== 'string') return []
      return [[`${String(target['name'])}/${String(target['sectionName'])}`, path] as const]
    }),
  )

type Rule = Record<string, unknown>

class RouteWriter {
  constructor(
    private readonly route: Resource,
    private readonly byName: ReadonlyMap<string, Resource>,
    private readonly rewrites: ReadonlyMap<string, string>,
  ) {}

  written(): ClusterResource[] {
    const { metadata, spec } = this.route
    const rules = spec['rules'] as Rule[]
    const parts: ClusterResource[] = []
    for (let start = 0; start < rules.length; start += mostRules) {
      const some = rules.slice(start, start + mostRules)
      const part = parts.length
      const facts: Written = {
        part,
        rules: some.map(({ name }) => String(name)),
        backends: this.backendsOf(some),
      }
      parts.push({
        apiVersion: gatewayApi,
        kind: 'HTTPRoute',
        metadata: {
          name: part === 0 ? metadata.name : `${metadata.name}-part-${part + 1}`,
          ...(metadata.labels && { labels: metadata.labels }),
          annotations: { [writtenAnnotation]: JSON.stringify(facts) },
        },
        spec: { ...spec, rules: some.map((rule) => this.rule(rule)) },
      })
    }
    return parts
  }

  private rule({ name, matches, filters = [], backendRefs, timeouts }: Rule): Rule {
    const backends = this.backends(backendRefs)
    const ms = backends[0]?.['timeoutMs']
    const whole = this.rewrites.get(`${this.route.metadata.name}/${String(name)}`)
    const written = (filters as Rule[]).flatMap((filter) => {
      if (filter['type'] !== 'ExtensionRef') return [filter]
      return whole === undefined ? this.rewrite(filter, matches as Rule[]) : []
    })
    if (whole !== undefined) written.push(fullPath(whole))
    return {
      matches,
      ...(written.length > 0 && { filters: written }),
      ...(backends.length > 0 && { backendRefs: this.references(backendRefs) }),
      ...((timeouts !== undefined || typeof ms === 'number') && {
        timeouts: {
          ...(timeouts as object | undefined),
          ...(typeof ms === 'number' && { backendRequest: writeDuration(ms) }),
        },
      }),
    }
  }

  /** The backends of a rule; none where its requests are kept from others. */
  private backends(references: unknown): Resource['spec'][] {
    return ((references ?? []) as Rule[]).flatMap(({ kind, name }) => {
      const found = this.byName.get(`${String(kind)} ${String(name)}`)
      return found?.kind === 'Backend' ? [found.spec] : []
    })
  }

  private references(references: unknown): Rule[] {
    const targets = this.backends(references)
    return (references as Rule[]).map(({ weight }, index) => {
      const url = String(targets[index]?.['url'])
      const service = serviceOf(url)
      if (!service) throw new ConfigurationError(`The backend ${url} is no service of a cluster`)
      return { ...service, ...(weight !== undefined && { weight }) }
    })
  }

  private backendsOf(rules: readonly Rule[]): Record<string, string> {
    const named: Record<string, string> = {}
    for (const { backendRefs } of rules) {
      const [first] = this.backends(backendRefs)
      if (first) named[String(first['url'])] = String(first['name'])
    }
    return named
  }

  /** What becomes of the base path, as a rewrite of Gateway API. */
  private rewrite(filter: Rule, matches: readonly Rule[]): Rule[] {
    const { kind, name } = filter['extensionRef'] as Rule
    const found = this.byName.get(`${String(kind)} ${String(name)}`)
    const { type, value } = (matches[0]?.['path'] ?? {}) as { type: string; value: string }
    const { from, to } = (found?.spec ?? {}) as { from: string; to: string }
    const prefix: Prefix = to === '' ? { kind: 'strip' } : { kind: 'replace', with: to }
    const inside = rewritePath({ rewrite: { from, prefix } }, value)
    if (type === 'Exact') return [fullPath(inside)]
    if (type === 'PathPrefix')
      return [
        {
          type: 'URLRewrite',
          urlRewrite: { path: { type: 'ReplacePrefixMatch', replacePrefixMatch: inside } },
        },
      ]
    // What is withheld gets nowhere, whatever its path would have become.
    if (this.isWithheld(matches)) return []
    throw new ConfigurationError(
      `Gateway API cannot take the base path off ${value}, which has parameters`,
    )
  }

  private isWithheld(matches: readonly Rule[]): boolean {
    const rule = (this.route.spec['rules'] as Rule[]).find((one) => one['matches'] === matches)
    return this.backends(rule?.['backendRefs']).length === 0
  }
}

const fullPath = (path: string): Rule => ({
  type: 'URLRewrite',
  urlRewrite: { path: { type: 'ReplaceFullPath', replaceFullPath: path } },
})
