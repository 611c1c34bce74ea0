import type { ConfigOf, PolicyName } from './policies'

/** What a rule of an HTTPRoute says by Gateway API's own means, where they say the same as a policy. */
interface RulePart<N extends PolicyName> {
  write: (config: ConfigOf<N>) => RuleParts
  /** The configuration as it would be written in a policy; undefined where the rule says nothing of it. */
  read: (parts: RuleParts) => unknown
}

/** The parts of a rule beside its matches and backends (Gateway API v1, HTTPRouteRule). */
export interface RuleParts {
  filters?: Record<string, unknown>[]
  timeouts?: Record<string, unknown>
}

type Named = { [N in PolicyName]?: RulePart<N> }

const filterOf = (
  { filters = [] }: RuleParts,
  type: string,
  member: string,
): Record<string, unknown> | undefined => {
  const found = filters.find((filter) => filter['type'] === type)?.[member]
  return typeof found === 'object' && found !== null && !Array.isArray(found)
    ? (found as Record<string, unknown>)
    : undefined
}

const present = (members: Record<string, unknown>) =>
  Object.fromEntries(
    Object.entries(members).filter(
      ([, value]) => value !== undefined && !(Array.isArray(value) && value.length === 0),
    ),
  )

const headerFilter = (type: string, member: string) => ({
  write: (config: object): RuleParts => ({ filters: [{ type, [member]: present({ ...config }) }] }),
  read: (parts: RuleParts) => filterOf(parts, type, member),
})

/** A Duration as GEP-2257 has it, in milliseconds: `1500ms`, `30s`, `1m30s`. */
export function readDuration(written: unknown): number | undefined {
  if (typeof written !== 'string' || !/^(?:\d{1,5}(?:h|m|s|ms)){1,4}$/.test(written))
    return undefined
  const lengths: Record<string, number> = { h: 3_600_000, m: 60_000, s: 1000, ms: 1 }
  let sum = 0
  for (const [, n, unit] of written.matchAll(/(\d+)(ms|h|m|s)/g)) sum += Number(n) * lengths[unit!]!
  return sum
}

/** Writes milliseconds as a Duration of GEP-2257, whose numbers have five digits at most. */
export function writeDuration(ms: number): string {
  const parts: [number, string][] = [
    [Math.floor(ms / 3_600_000), 'h'],
    [Math.floor(ms / 60_000) % 60, 'm'],
    [Math.floor(ms / 1000) % 60, 's'],
    [ms % 1000, 'ms'],
  ]
  return parts.map(([n, unit]) => (n > 0 ? `${n}${unit}` : '')).join('') || '0s'
}

/** The kinds of policy that Gateway API has words of its own for. */
export const ruleParts: Named = {
  // Said by where routes are attached, and by a route that redirects.
  transport: { write: () => ({}), read: () => undefined },
  requestHeaders: headerFilter('RequestHeaderModifier', 'requestHeaderModifier'),
  responseHeaders: headerFilter('ResponseHeaderModifier', 'responseHeaderModifier'),
  timeout: {
    write: ({ milliseconds }) => ({ timeouts: { request: writeDuration(milliseconds) } }),
    read({ timeouts }) {
      const milliseconds = readDuration(timeouts?.['request'])
      return milliseconds === undefined ? undefined : { milliseconds }
    },
  },
  cors: {
    write: ({ origins, headers, expose, credentials, maxAgeSeconds }) => ({
      filters: [
        {
          type: 'CORS',
          cors: present({
            allowOrigins: origins,
            allowMethods: ['*'],
            allowHeaders: headers,
            exposeHeaders: expose,
            allowCredentials: credentials,
            maxAge: maxAgeSeconds,
          }),
        },
      ],
    }),
    read(parts) {
      const cors = filterOf(parts, 'CORS', 'cors')
      return (
        cors && {
          origins: cors['allowOrigins'],
          headers: cors['allowHeaders'],
          expose: cors['exposeHeaders'],
          credentials: cors['allowCredentials'],
          maxAgeSeconds: cors['maxAge'],
        }
      )
    },
  },
}

/** A kind that a rule can say, with its configuration's type put aside. */
export const rulePart = (name: PolicyName) =>
  ruleParts[name] as
    { write: (config: object) => RuleParts; read: (parts: RuleParts) => unknown } | undefined
