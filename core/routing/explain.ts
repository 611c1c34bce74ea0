import type { Match, Route, RouteRequest } from './routes'

/** One step on a request's way through a gateway, as the gateway recorded it and as it is shown. */
export interface Step {
  name: 'request' | 'host' | 'route' | 'key' | 'limit' | 'rewrite' | 'backend' | 'mock'
  passed: boolean
  text: string
}

/** The route step: what matched, or why nothing did and what would have. */
export function routeStep(request: RouteRequest, match: Match): Step[] {
  const { host, method, path } = request
  if (match.kind === 'host') {
    return [{ name: 'host', passed: false, text: `No placement here answers for the host ${host}` }]
  }
  const known: Step = { name: 'host', passed: true, text: `${host} is served here` }
  if (match.kind === 'route') {
    const { route } = match
    const text = `${route.method} ${route.path} of ${route.placement || 'a route that is not the ledger’s'}${route.version ? `, version ${route.version}` : ''}`
    return [known, { name: 'route', passed: true, text }]
  }
  if (match.kind === 'method') {
    const text = `${path} is served, but not for ${method}; it takes ${match.allowed.join(', ')}`
    return [known, { name: 'route', passed: false, text }]
  }
  const text =
    match.kind === 'withheld'
      ? `${match.route.method} ${match.route.path} is withheld here`
      : `No route takes ${method} ${path}`
  return [known, { name: 'route', passed: false, text }]
}

/** What a request that no route took probably wanted, for the person who sent it. */
export function nearestText(request: RouteRequest, nearest: Route | undefined): string {
  return nearest
    ? `The nearest route is ${nearest.method} ${nearest.path}${difference(nearest, request.path)}`
    : 'Nothing here comes near it'
}

/** Says in words how a path misses the nearest route. */
function difference(route: Route, path: string): string {
  const wanted = route.path.split('/')
  const given = path.split('/')
  if (wanted.length > given.length && !path.startsWith(`/${wanted[1] ?? ''}`))
    return '; the base path is missing'
  if (given.length > wanted.length) return '; the request has more path than the route'
  if (given.length < wanted.length) return '; the request has less path than the route'
  const index = wanted.findIndex((segment, i) => !segment.includes('{') && segment !== given[i])
  return index === -1 ? '' : `; "${given[index]}" stands where "${wanted[index]}" is expected`
}
