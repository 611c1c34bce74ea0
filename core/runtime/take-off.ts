import { isObject } from '../text/values'
import { routesOf } from './read'
import { placementOf, type Resource } from './resources'
import type { Route } from './routes'

/** What a route of a gateway is called where it belongs to no placement: `GET api.brackenmere.example/old/ping`. */
export const routeAddress = ({ method, host, path }: Route): string =>
  `${method === '*' ? 'any method' : method} ${host}${path}`

/**
 * Resources without the routes that are called so, as far as these belong to no placement, and without what is attached to
 * nothing then. A match that also answers for a host that is not named stays.
 */
export function withoutRoutes(
  resources: readonly Resource[],
  addresses: ReadonlySet<string>,
): Resource[] {
  const gone = new Set<string>()
  const loose = resources.filter(
    ({ kind, spec }) => kind !== 'HTTPRoute' && attachedTo(spec).length === 0,
  )
  const kept = resources.flatMap((resource) => {
    const left = leftOf(resource, loose, addresses)
    if (left) return [left]
    gone.add(resource.metadata.name)
    return []
  })
  return kept.filter(({ spec }) => {
    const names = attachedTo(spec)
    return names.length === 0 || names.some((name) => !gone.has(name))
  })
}

/** The names of the HTTPRoutes that a policy is attached to. */
function attachedTo(spec: Resource['spec']): string[] {
  const refs = [spec['targetRef'], spec['targetRefs']].flat()
  return refs.filter(isObject).flatMap(({ kind, name }) => {
    return kind === 'HTTPRoute' && typeof name === 'string' ? [name] : []
  })
}

/** What is left of a resource; undefined where nothing is. */
function leftOf(
  resource: Resource,
  loose: readonly Resource[],
  addresses: ReadonlySet<string>,
): Resource | undefined {
  const { kind, spec } = resource
  const rules = spec['rules']
  if (kind !== 'HTTPRoute' || placementOf(resource) || !Array.isArray(rules)) return resource
  const isNamed = (rule: object, match: unknown) => {
    const alone = { ...resource, spec: { ...spec, rules: [{ ...rule, matches: [match] }] } }
    const routes = routesOf([...loose, alone])
    return routes.length > 0 && routes.every((route) => addresses.has(routeAddress(route)))
  }
  let taken = 0
  const left = rules.flatMap((rule: unknown, index) => {
    if (!isObject(rule) || !Array.isArray(rule['matches'])) return [rule]
    const matches: unknown[] = rule['matches'].filter((match) => !isNamed(rule, match))
    taken += rule['matches'].length - matches.length
    // What is attached to a rule by its place finds it by this name.
    return matches.length > 0 ? [{ name: `${index + 1}`, ...rule, matches }] : []
  })
  if (taken === 0) return resource
  return left.length > 0 ? { ...resource, spec: { ...spec, rules: left } } : undefined
}
