import {
  joinPaths,
  operationKey,
  type Backend,
  type PlacementSpec,
  type RouteRow,
} from '../routing/placement'
import type { Route } from '../routing/routes'

/** Routes on the gateway that the definition has no operation for, so that no placement can hold them. */
export class NotAdoptable extends Error {
  constructor(readonly routes: string[]) {
    super(
      `The definition has no operation for ${routes.join(', ')}. Add it to the definition first, or put the ledger back`,
    )
  }
}

/**
 * The placement that approves what a gateway runs: the approved one with the gateway's values put in. Operations the
 * gateway serves no more become withheld. Throws {@link NotAdoptable}.
 */
export function adoptRunning(spec: PlacementSpec, running: Route[]): PlacementSpec {
  const outside = new Map(
    running.map((route) => [operationKey({ method: route.method, path: route.path }), route]),
  )
  const backends = new Map<string, Backend>(spec.backends.map((backend) => [backend.name, backend]))
  const routes = spec.routes.map((row): RouteRow => {
    const key = operationKey({ method: row.method, path: joinPaths(spec.basePath, row.path) })
    const route = outside.get(key)
    outside.delete(key)
    if (!route || route.target.kind === 'withheld') {
      if (row.treatment.kind === 'withheld') return row
      return { ...row, treatment: { kind: 'withheld', reason: 'Taken off the gateway by hand' } }
    }
    if (route.target.kind === 'mock') return { ...row, treatment: { kind: 'mock' } }
    const { name, url, timeoutMs } = route.target
    backends.set(name, { name, url, timeoutMs })
    return { ...row, treatment: { kind: 'route', backend: name } }
  })
  if (outside.size > 0) {
    throw new NotAdoptable([...outside.values()].map((route) => `${route.method} ${route.path}`))
  }
  const first = running[0]
  if (!first) return { ...spec, routes, backends: [...backends.values()] }
  const adopted: PlacementSpec = {
    ...spec,
    routes,
    backends: [...backends.values()],
    prefix: first.rewrite?.prefix ?? { kind: 'keep' },
    key: first.key
      ? { required: true, header: first.key.header }
      : spec.key.required
        ? { required: false, reason: 'Taken off on the gateway by hand' }
        : spec.key,
  }
  delete adopted.limit
  return first.limit ? { ...adopted, limit: first.limit } : adopted
}
