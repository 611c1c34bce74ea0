import { basePathsOf, type PlacementSpec } from './placement'
import type { Route } from './routes'

/** The routes that a gateway runs, found by the placement whose business they are. */
export class RunningRoutes {
  private readonly labelled = new Map<string, Route[]>()
  /** Of nobody's placement, by host. */
  private readonly strangers = new Map<string, Route[]>()

  constructor(readonly all: readonly Route[]) {
    for (const route of all)
      if (route.placement === '') add(this.strangers, route.host, route)
      else add(this.labelled, route.placement, route)
  }

  /** A placement's own by label, and strangers' at its host below a base path of it. */
  of({ id, spec }: { id: string; spec: PlacementSpec }): Route[] {
    const bases = basePathsOf(spec)
    const isBelow = ({ path }: Route) =>
      bases.some((base) => base === '/' || path === base || path.startsWith(`${base}/`))
    const below = (this.strangers.get(spec.host) ?? []).filter(isBelow)
    return [...(this.labelled.get(id) ?? []), ...below]
  }
}

function add(index: Map<string, Route[]>, key: string, route: Route): void {
  const known = index.get(key)
  if (known) known.push(route)
  else index.set(key, [route])
}
