import { fromCluster } from '../runtime/cluster/read'
import { toCluster } from '../runtime/cluster/write'
import { routesOf } from '../runtime/read'
import { policyGroup, readResources, writeResources, type Resource } from '../runtime/resources'
import { identity, type Route } from '../runtime/routes'
import { compareRoutes } from './compare'

/** One thing that runs otherwise than it is meant to. */
export interface FileDifference {
  /** The placement, where there is one, and what of it: `supply-live-1, GET /supply/v2/areas`. */
  where: string
  what: string
  intended: string
  running: string
  cause: string
}

export interface FileComparison {
  differences: FileDifference[]
  /** What was not understood of either, in words: nothing is known of what it does. */
  passedOver: string[]
}

interface Read {
  resources: Resource[]
  passedOver: string[]
  /** Whether policies of the ledger's own are told in it, as its own gateways have them. */
  isWhole: boolean
}

/**
 * Compares what is meant to run with what does, both as resources of Gateway API in YAML or JSON. A cluster without policies
 * of the ledger's own can do less: then both are compared as far as it can be told. Throws `ConfigurationError` where one
 * of the texts is none.
 */
export function compareFiles(intent: string, running: string): FileComparison {
  const [meant, found] = [read(intent), read(running)]
  const plain = !meant.isWhole || !found.isWhole
  const routes = ({ resources, isWhole }: Read) =>
    routesOf(plain && isWhole ? asCluster(resources) : resources)
  return {
    differences: differencesOf(routes(meant), routes(found)),
    passedOver: [...meant.passedOver, ...found.passedOver],
  }
}

function read(text: string): Read {
  // Resources of the ledger's own name its group; what a cluster prints is read by the rules of clusters.
  if (text.includes(`${policyGroup}/`)) {
    return { resources: readResources(text), passedOver: [], isWhole: true }
  }
  return { ...fromCluster(text), isWhole: false }
}

const asCluster = (resources: readonly Resource[]): Resource[] =>
  fromCluster(writeResources(toCluster(resources))).resources

function differencesOf(intended: readonly Route[], running: readonly Route[]): FileDifference[] {
  const meant = new Map(intended.map((route) => [identity(route), route]))
  // A route that nobody labelled is what stands in the place of one that was meant.
  const ownerOf = (route: Route) => route.placement || (meant.get(identity(route))?.placement ?? '')
  const placements = new Set([
    ...intended.map(({ placement }) => placement),
    ...running.map(ownerOf),
  ])
  return [...placements].sort().flatMap((placement) =>
    compareRoutes(
      intended.filter((route) => route.placement === placement),
      running.filter((route) => ownerOf(route) === placement),
    ).map(({ where, what, ledger, gateway, cause }) => ({
      where: placement === '' ? where : `${placement}, ${where}`,
      what,
      intended: ledger,
      running: gateway,
      cause,
    })),
  )
}
