import type { PolicyName } from './policies'
import { routeName, type Match, type Route, type RouteRequest } from './routes'
import { messageText } from './soap'
import type { StepName } from './steps'

/** One thing that happened to a request at a step of its way, as the gateway recorded it and as it is shown. */
export interface Step {
  name: StepName
  /** The policy that decided; absent where none had to. */
  policy?: PolicyName
  passed: boolean
  text: string
}

/** Whether a request was stopped by the gateway at a step, and not by what it was sent on to. */
export const isStopped = ({ name, passed }: Step) => !passed && name !== 'forward'

/** Listening and matching: what took the request, or why nothing did and what would have. */
export function routeStep(request: RouteRequest, match: Match): Step[] {
  const { host, method, path } = request
  if (match.kind === 'host') {
    return [
      { name: 'listen', passed: false, text: `No placement here answers for the host ${host}` },
    ]
  }
  const known: Step = { name: 'listen', passed: true, text: `${host} is served here` }
  if (match.kind === 'route') {
    const { route } = match
    const text = `${routeName(route)} of ${route.placement || 'a route that is not the ledger’s'}${route.version ? `, version ${route.version}` : ''}`
    return [known, { name: 'match', passed: true, text }]
  }
  if (match.kind === 'method') {
    const text = `${path} is served, but not for ${method}; it takes ${match.allowed.join(', ')}`
    return [known, { name: 'match', passed: false, text }]
  }
  const text =
    match.kind === 'withheld'
      ? `${routeName(match.route)} is withheld here`
      : request.soap
        ? `No operation at ${path} takes ${messageText(request.soap)}`
        : match.kind === 'path' && match.byTls
          ? `${method} ${path} is taken only by TLS (HTTPS)`
          : `No route takes ${method} ${path}`
  return [known, { name: 'match', passed: false, text }]
}

/** What a request that no route took probably wanted, for the person who sent it. */
export function nearestText(request: RouteRequest, nearest: Route | undefined): string {
  return nearest
    ? `The nearest route is ${routeName(nearest)}${difference(nearest, request.path)}`
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
