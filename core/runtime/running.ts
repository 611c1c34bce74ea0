import { grouped } from '../text/grouped'
import { basePathsOf, type PlacementSpec } from './placement'
import type { Route } from './routes'

/** The routes that a gateway runs, found by the placement whose business they are. */
export class RunningRoutes {
  private readonly labelled: ReadonlyMap<string, Route[]>
  /** Of nobody's placement, by host. */
  private readonly strangers: ReadonlyMap<string, Route[]>

  constructor(readonly all: readonly Route[]) {
    this.labelled = grouped(all, ({ placement }) => placement)
    this.strangers = grouped(this.labelled.get('') ?? [], ({ host }) => host)
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
