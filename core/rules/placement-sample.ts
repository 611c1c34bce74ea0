import yaml from 'js-yaml'
import type { PlacementSpec, RouteRow } from '../runtime/placement'
import { readPolicySet } from '../runtime/policies'
import type { Scope } from '../runtime/resolve'
import { errorText, isObject } from '../text/values'
import type { PlacementNode } from './facts/runtime'

/** As little as a placement needs; a piece says only what it is about. */
const usual = {
  host: 'api.sample.example',
  basePath: '/items/v1',
  prefix: { kind: 'strip' },
  backends: [{ name: 'main', url: 'https://items.internal', timeoutMs: 5000 }],
  routes: [{ method: 'GET', path: '/items', treatment: { kind: 'route', backend: 'main' } }],
  policies: {
    authentication: {
      kind: 'credentials',
      anyOf: [{ allOf: [{ kind: 'api-key', in: 'header', name: 'X-Api-Key' }] }],
    },
    rate: { requests: 120, seconds: 60, per: 'client' },
  },
}
const around = {
  version: '1.0.0',
  stage: 'Live',
  stages: ['Trial', 'Live'],
  group: 'edge',
  owner: 'tomas',
  gateways: [
    {
      ...{ name: 'north-edge', group: 'edge', trouble: '', https: true },
      certificates: [{ names: ['api.sample.example'], ends: '2126-01-01T00:00:00Z' }],
    },
  ],
  outer: [] as Scope[],
}

/**
 * A piece of a placement made whole: the members of a specification, and of what is known around it (stage, stages, group,
 * owner, gateways, outer scopes). Or why it cannot be read.
 */
export function placementSample(text: string): { node: PlacementNode } | { wrong: string } {
  let piece: unknown
  try {
    piece = yaml.load(text, { schema: yaml.CORE_SCHEMA })
  } catch (error) {
    return { wrong: `It cannot be read: ${errorText(error)}` }
  }
  if (!isObject(piece)) return { wrong: 'It is no piece of a placement' }
  const known = new Set([...Object.keys(usual), ...Object.keys(around), 'furtherRoutes'])
  const unknown = Object.keys(piece).find((name) => !known.has(name))
  if (unknown !== undefined) return { wrong: `A placement has no ${unknown}` }
  const whole = { ...usual, ...around, ...piece }
  const policies = readPolicySet(whole.policies)
  if (policies.misfits) return { wrong: policies.misfits[0]!.message }
  const { version, stage, stages, group, owner, gateways, outer, ...rest } = whole
  const routes = (rest.routes as (Omit<RouteRow, 'policies'> & { policies?: unknown })[]).map(
    ({ policies: own, ...row }) => {
      const read = own === undefined ? undefined : readPolicySet(own)
      return { ...row, ...(read && !read.misfits && { policies: read.value }) }
    },
  )
  const spec = { ...rest, routes, policies: policies.value } as PlacementSpec
  return { node: { spec, outer, version, stage, stages, group, owner, gateways } }
}
