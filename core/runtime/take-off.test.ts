import { describe, expect, it } from 'vitest'
import { routesOf } from './read'
import { labels, readResources, type Resource } from './resources'
import { routeAddress, withoutRoutes } from './take-off'

const backend = `
apiVersion: policy.elm-ledger.example/v1
kind: Backend
metadata: { name: odd-main }
spec: { url: 'http://127.0.0.1:4711', timeoutMs: 1000 }
`
const route = (name: string, hosts: string, rules: string, more = '') => `
apiVersion: gateway.networking.k8s.io/v1
kind: HTTPRoute
metadata: { name: ${name}${more} }
spec: { hostnames: [${hosts}], rules: [${rules}] }
`
const rule = (...matches: string[]) =>
  `{ matches: [${matches.join(', ')}], backendRefs: [{ kind: Backend, name: odd-main }] }`
const get = (path: string) => `{ method: GET, path: { type: Exact, value: ${path} } }`
const read = (...documents: string[]): Resource[] => readResources(documents.join('---\n'))
const addressesOf = (resources: readonly Resource[]) => routesOf(resources).map(routeAddress)

describe('routes taken off', () => {
  const resources = read(
    backend,
    route('one', 'odd.example', rule(get('/a'))),
    route('two', 'odd.example', `${rule(get('/b'), get('/c'))}, ${rule(get('/d'))}`),
  )

  it('are gone, and all others are as they were', () => {
    for (const address of addressesOf(resources)) {
      const left = withoutRoutes(resources, new Set([address]))
      expect(addressesOf(left)).toEqual(addressesOf(resources).filter((one) => one !== address))
    }
    const both = withoutRoutes(
      resources,
      new Set(['GET odd.example/b', 'GET odd.example/c', 'GET odd.example/d']),
    )
    expect(both).toEqual([resources[0], resources[1]])
  })

  it('leave everything as it is where nothing is called so', () => {
    expect(withoutRoutes(resources, new Set(['GET odd.example/elsewhere']))).toEqual(resources)
    expect(withoutRoutes(resources, new Set(['POST odd.example/a']))).toEqual(resources)
  })

  it('are never those of a placement', () => {
    const placed = read(
      backend,
      route('three', 'odd.example', rule(get('/a')), `, labels: { ${labels.placement}: supply-1 }`),
    )
    expect(withoutRoutes(placed, new Set(['GET odd.example/a']))).toEqual(placed)
  })

  it('stay where the same match answers for another host that was not named', () => {
    const shared = read(backend, route('four', 'odd.example, even.example', rule(get('/a'))))
    expect(withoutRoutes(shared, new Set(['GET odd.example/a']))).toEqual(shared)
    const all = new Set(['GET odd.example/a', 'GET even.example/a'])
    expect(withoutRoutes(shared, all)).toEqual([shared[0]])
  })

  it('take with them what is attached to them alone, and leave rules their names', () => {
    const attached = (name: string, to: string, section = '') => `
apiVersion: policy.elm-ledger.example/v1
kind: RateLimit
metadata: { name: ${name} }
spec: { targetRef: { kind: HTTPRoute, name: ${to}${section} }, requests: 5, per: minute }
`
    const limited = [
      ...resources,
      ...read(attached('of-one', 'one'), attached('of-rule', 'two', ", sectionName: '2'")),
    ]
    const left = withoutRoutes(limited, new Set(['GET odd.example/a']))
    expect(left.map(({ metadata }) => metadata.name)).toEqual(['odd-main', 'two', 'of-rule'])
    const [, , two] = withoutRoutes(limited, new Set(['GET odd.example/b', 'GET odd.example/c']))
    expect(two!.spec['rules']).toMatchObject([{ name: '2' }])
  })
})
