import yaml from 'js-yaml'
import { isHostName } from './addresses'
import { readBackendAddress } from './backend-address'
import type { MockResponse } from '../contract/samples'
import {
  joinPaths,
  operationKey,
  type KeyDigest,
  type PlacementFacts,
  type PlacementSpec,
  type Prefix,
  type RateLimit,
  type RouteRow,
} from './placement'
import type { KeyPolicy, Route, RouteTarget } from './routes'
import { fromPattern, toPattern, whyNoTemplate } from './template'
import { errorText } from '../text/values'

/** A Kubernetes-shaped resource: Gateway API kinds, and our policy kinds attached to them. */
export interface Resource {
  apiVersion: string
  kind: string
  metadata: { name: string; labels?: Record<string, string> }
  spec: Record<string, unknown>
}

const gatewayApi = 'gateway.networking.k8s.io/v1'
const policyGroup = 'policy.elm-ledger.example'
const policyApi = `${policyGroup}/v1`
const labels = {
  placement: 'elm-ledger.example/placement',
  version: 'elm-ledger.example/version',
  revision: 'elm-ledger.example/revision',
} as const

/** A configuration that a gateway must refuse; `message` names the resource and what is wrong with it. */
export class ConfigurationError extends Error {}

/** Whether a resource was written for a placement. */
export const belongsTo = (resource: Resource, placement: string) =>
  resource.metadata.labels?.[labels.placement] === placement

/**
 * Compiles a placement into the resources that make a gateway serve it. A withheld operation gets a rule that keeps its
 * requests from the templates of others: `/notices/export` would be a `/notices/{id}`.
 */
export function compilePlacement(spec: PlacementSpec, facts: PlacementFacts): Resource[] {
  const metadata = (name: string) => ({
    name,
    labels: {
      [labels.placement]: facts.name,
      [labels.version]: facts.version,
      [labels.revision]: String(facts.revision),
    },
  })
  const resource = (kind: string, name: string, body: Record<string, unknown>): Resource => ({
    apiVersion: kind === 'HTTPRoute' ? gatewayApi : policyApi,
    kind,
    metadata: metadata(name),
    spec: body,
  })
  const decided = spec.routes.filter(
    ({ path, treatment: { kind } }) =>
      kind !== 'undecided' && whyNoTemplate(joinPaths(spec.basePath, path)) === undefined,
  )
  const used = new Set(
    decided.flatMap(({ treatment }) => (treatment.kind === 'route' ? [treatment.backend] : [])),
  )
  const rewrites = spec.prefix.kind !== 'keep'
  const target = { group: 'gateway.networking.k8s.io', kind: 'HTTPRoute', name: facts.name }
  const resources: Resource[] = []
  const mocks: Resource[] = []
  const backendRef = ({ treatment }: RouteRow, name: string) => {
    const reference = (kind: string, to: string) => ({ group: policyGroup, kind, name: to })
    if (treatment.kind === 'route')
      return reference('Backend', `${facts.name}-${treatment.backend}`)
    return treatment.kind === 'mock' ? reference('Mock', name) : reference('Withheld', facts.name)
  }
  const rules = decided.map((row, index) => {
    const name = `${facts.name}-${index + 1}`
    if (row.treatment.kind === 'mock') {
      mocks.push(resource('Mock', name, mockSpec(facts.mocks.get(operationKey(row)))))
    }
    return {
      name: `${row.method} ${row.path}`,
      matches: [{ method: row.method, path: pathMatch(joinPaths(spec.basePath, row.path)) }],
      ...(rewrites && { filters: [extension('PrefixRewrite', facts.name)] }),
      backendRefs: [backendRef(row, name)],
    }
  })
  resources.push(
    resource('HTTPRoute', facts.name, {
      parentRefs: [{ name: facts.gateway }],
      hostnames: [spec.host],
      rules,
    }),
  )
  for (const { name, url, timeoutMs } of spec.backends) {
    if (used.has(name))
      resources.push(resource('Backend', `${facts.name}-${name}`, { name, url, timeoutMs }))
  }
  resources.push(...mocks)
  if (decided.some(({ treatment }) => treatment.kind === 'withheld'))
    resources.push(resource('Withheld', facts.name, {}))
  if (rewrites) {
    const to = spec.prefix.kind === 'replace' ? spec.prefix.with : ''
    resources.push(resource('PrefixRewrite', facts.name, { from: spec.basePath, to }))
  }
  if (spec.key.required) {
    const { header } = spec.key
    resources.push(
      resource('KeyPolicy', facts.name, { targetRef: target, header, keys: facts.keys }),
    )
  }
  if (spec.limit) {
    const { requests, seconds } = spec.limit
    resources.push(
      resource('RateLimitPolicy', facts.name, { targetRef: target, requests, seconds }),
    )
  }
  return resources
}

/** What a mock answers, without what no response can carry: a range of media types, an empty body. */
const mockSpec = ({ status, mediaType, body }: MockResponse = { status: 200 }) => ({
  status,
  ...(mediaType !== undefined && isMediaType(mediaType) && { mediaType }),
  ...(body && { body }),
})

const extension = (kind: string, name: string) => ({
  type: 'ExtensionRef',
  extensionRef: { group: policyGroup, kind, name },
})

const pathMatch = (path: string) =>
  path.includes('{')
    ? { type: 'RegularExpression', value: toPattern(path) }
    : { type: 'Exact', value: path }

/** Writes resources as a YAML stream, one document each. */
export const writeResources = (resources: Resource[]) =>
  resources.map((resource) => yaml.dump(resource, { lineWidth: 120, noRefs: true })).join('---\n')

const maxConfigBytes = 16 * 1024 * 1024
const maxRoutes = 50_000
/** Ten minutes in milliseconds, a month in seconds: nobody means to wait, or to count, longer. */
const longestTimeout = 600_000
const longestWindow = 31 * 86_400

/** Reads a YAML stream of resources. Throws {@link ConfigurationError} for anything that is not one. */
export function readResources(text: string): Resource[] {
  if (text.length > maxConfigBytes)
    throw new ConfigurationError('The configuration is larger than 16 MB')
  let documents: unknown[]
  try {
    documents = yaml.loadAll(text, undefined, { schema: yaml.CORE_SCHEMA })
  } catch (error) {
    throw new ConfigurationError(`The configuration is not readable YAML: ${errorText(error)}`)
  }
  return documents.flatMap((document, index) => {
    if (document === null || document === undefined) return []
    return [resourceOf(document, index + 1)]
  })
}

function resourceOf(document: unknown, number: number): Resource {
  const where = `Document ${number}`
  const node = record(document, where)
  const metadata = record(node['metadata'], `${where}, metadata`)
  return {
    apiVersion: text(node['apiVersion'], `${where}, apiVersion`),
    kind: text(node['kind'], `${where}, kind`),
    metadata: {
      name: text(metadata['name'], `${where}, metadata.name`),
      ...(metadata['labels'] !== undefined && {
        labels: labelsOf(metadata['labels'], `${where}, labels`),
      }),
    },
    spec: record(node['spec'], `${where}, spec`),
  }
}

const labelsOf = (value: unknown, where: string): Record<string, string> =>
  Object.fromEntries(
    Object.entries(record(value, where)).map(([name, label]) => [
      name,
      text(label, `${where}.${name}`),
    ]),
  )

/**
 * Turns resources into the routes they mean. Throws {@link ConfigurationError}; nothing is taken in part. `reserved`
 * are addresses that no backend may have.
 */
export function routesOf(resources: Resource[], reserved: string[] = []): Route[] {
  return new ResourceReader(resources, reserved).routes()
}

const known = new Set(['HTTPRoute', 'Gateway', 'Backend', 'Mock', 'Withheld', 'PrefixRewrite'])

class ResourceReader {
  private readonly byName = new Map<string, Resource>()
  private readonly keys = new Map<string, KeyPolicy>()
  private readonly limits = new Map<string, RateLimit>()

  constructor(
    private readonly resources: Resource[],
    private readonly reserved: string[],
  ) {
    for (const resource of resources) {
      const key = `${resource.kind} ${resource.metadata.name}`
      if (this.byName.has(key)) throw new ConfigurationError(`${key} stands twice`)
      this.byName.set(key, resource)
    }
    for (const resource of resources) this.policy(resource)
  }

  routes(): Route[] {
    const routes: Route[] = []
    for (const resource of this.resources) {
      if (resource.kind === 'HTTPRoute') this.httpRoute(resource, routes)
    }
    return routes
  }

  private policy({ kind, metadata, spec }: Resource): void {
    const where = `${kind} ${metadata.name}`
    if (kind === 'KeyPolicy') {
      this.keys.set(this.targetOf(spec, where), {
        header: token(spec['header'], `${where}, header`),
        keys: list(spec['keys'], `${where}, keys`).map((item) => keyDigest(item, where)),
      })
    } else if (kind === 'RateLimitPolicy') {
      this.limits.set(this.targetOf(spec, where), {
        requests: whole(spec['requests'], `${where}, requests`),
        seconds: whole(spec['seconds'], `${where}, seconds`, longestWindow),
      })
    } else if (!known.has(kind)) {
      throw new ConfigurationError(`${where}: this gateway does not know the kind ${kind}`)
    }
  }

  /** `HTTPRoute name`, or `HTTPRoute name/rule` where the policy is attached to one rule (sectionName). */
  private targetOf(spec: Record<string, unknown>, where: string): string {
    const target = record(spec['targetRef'], `${where}, targetRef`)
    const name = text(target['name'], `${where}, targetRef.name`)
    if (!this.byName.has(`HTTPRoute ${name}`)) {
      throw new ConfigurationError(
        `${where} is attached to HTTPRoute ${name}, which does not exist`,
      )
    }
    const section = target['sectionName']
    return section === undefined ? name : `${name}/${text(section, `${where}, sectionName`)}`
  }

  private httpRoute({ metadata, spec }: Resource, routes: Route[]): void {
    const where = `HTTPRoute ${metadata.name}`
    const hosts = list(spec['hostnames'], `${where}, hostnames`).map((host) =>
      hostName(host, `${where}, hostnames`),
    )
    const rules = list(spec['rules'], `${where}, rules`)
    rules.forEach((item, index) => {
      const here = `${where}, rule ${index + 1}`
      const rule = record(item, here)
      const name = rule['name'] === undefined ? `${index + 1}` : text(rule['name'], `${here}, name`)
      const common = {
        placement: metadata.labels?.[labels.placement] ?? '',
        version: metadata.labels?.[labels.version] ?? '',
        revision: revisionOf(metadata.labels?.[labels.revision], where),
        name,
        target: this.target(rule, here),
        rewrite: this.rewrite(rule, here),
        key: this.keys.get(`${metadata.name}/${name}`) ?? this.keys.get(metadata.name),
        limit: this.limits.get(`${metadata.name}/${name}`) ?? this.limits.get(metadata.name),
      }
      for (const match of list(rule['matches'], `${here}, matches`)) {
        const matched = matchOf(match, here)
        requireBelow(common.rewrite, matched.path, here)
        for (const host of hosts) routes.push({ ...common, host, ...matched })
        if (routes.length > maxRoutes)
          throw new ConfigurationError(`${here}: there are more than ${maxRoutes} routes`)
      }
    })
  }

  private target(rule: Record<string, unknown>, where: string): RouteTarget {
    const [reference] = list(rule['backendRefs'], `${where}, backendRefs`)
    const node = record(reference, `${where}, backendRefs`)
    const kind = text(node['kind'], `${where}, backendRefs.kind`)
    const name = text(node['name'], `${where}, backendRefs.name`)
    const found = this.byName.get(`${kind} ${name}`)
    if (!found || !['Backend', 'Mock', 'Withheld'].includes(kind)) {
      throw new ConfigurationError(`${where} sends to ${kind} ${name}, which does not exist`)
    }
    if (kind === 'Withheld') return { kind: 'withheld' }
    if (kind === 'Mock') return { kind: 'mock', name, answer: mockOf(found.spec, `Mock ${name}`) }
    const url = text(found.spec['url'], `Backend ${name}, url`)
    const read = readBackendAddress(url, this.reserved)
    if ('refused' in read) throw new ConfigurationError(`Backend ${name}: "${url}" ${read.refused}`)
    return {
      kind: 'backend',
      name: text(found.spec['name'] ?? name, `Backend ${name}, name`),
      url: url.replace(/\/+$/, ''),
      timeoutMs: whole(
        found.spec['timeoutMs'] ?? 10_000,
        `Backend ${name}, timeoutMs`,
        longestTimeout,
      ),
    }
  }

  private rewrite(rule: Record<string, unknown>, where: string): Route['rewrite'] {
    const [filter] = list(rule['filters'] ?? [], `${where}, filters`)
    if (filter === undefined) return undefined
    const reference = record(
      record(filter, `${where}, filters`)['extensionRef'],
      `${where}, extensionRef`,
    )
    const name = text(reference['name'], `${where}, extensionRef.name`)
    const found = this.byName.get(`PrefixRewrite ${name}`)
    if (!found)
      throw new ConfigurationError(`${where} uses PrefixRewrite ${name}, which does not exist`)
    const from = plainPath(found.spec['from'], `PrefixRewrite ${name}, from`)
    const to = found.spec['to'] ?? ''
    const prefix: Prefix =
      to === ''
        ? { kind: 'strip' }
        : { kind: 'replace', with: plainPath(to, `PrefixRewrite ${name}, to`) }
    return { from, prefix }
  }
}

function matchOf(value: unknown, where: string): { method: string; path: string; open: boolean } {
  const match = record(value, `${where}, matches`)
  const method =
    match['method'] === undefined ? '*' : token(match['method'], `${where}, method`).toUpperCase()
  const path = record(match['path'], `${where}, path`)
  const type = text(path['type'], `${where}, path.type`)
  const written = text(path['value'], `${where}, path.value`)
  const open = type === 'PathPrefix'
  const template =
    open || type === 'Exact'
      ? written
      : type === 'RegularExpression'
        ? fromPattern(written)
        : undefined
  if (template === undefined) {
    throw new ConfigurationError(
      `${where}: a path match is Exact, PathPrefix or a path template's expression; found ${type} "${written}"`,
    )
  }
  const why = whyNoTemplate(template)
  if (why) throw new ConfigurationError(`${where}: the path "${template}" ${why}`)
  return { method, path: template, open }
}

/** A rewrite takes the base path off; a route that is not below it would lose something else. */
function requireBelow(rewrite: Route['rewrite'], path: string, where: string): void {
  if (!rewrite || rewrite.from === '/' || path === rewrite.from) return
  if (!path.startsWith(`${rewrite.from}/`))
    throw new ConfigurationError(
      `${where}: ${path} is not below ${rewrite.from}, which is rewritten`,
    )
}

function mockOf(spec: Record<string, unknown>, where: string): MockResponse {
  const status = whole(spec['status'], `${where}, status`)
  if (status < 200 || status > 599)
    throw new ConfigurationError(`${where}, status must be from 200 to 599`)
  const answer: MockResponse = { status }
  if (spec['mediaType'] !== undefined) {
    answer.mediaType = text(spec['mediaType'], `${where}, mediaType`)
    if (!isMediaType(answer.mediaType))
      throw new ConfigurationError(`${where}: "${answer.mediaType}" is not a media type`)
  }
  if (spec['body'] !== undefined) answer.body = text(spec['body'], `${where}, body`)
  return answer
}

function keyDigest(value: unknown, where: string): KeyDigest {
  const node = record(value, `${where}, keys`)
  const sha256 = text(node['sha256'], `${where}, keys.sha256`)
  if (!/^[0-9a-f]{64}$/.test(sha256))
    throw new ConfigurationError(`${where}: a key is given by its SHA-256 digest in hexadecimal`)
  return { name: text(node['name'], `${where}, keys.name`), sha256 }
}

function record(value: unknown, where: string): Record<string, unknown> {
  if (typeof value === 'object' && value !== null && !Array.isArray(value)) {
    return value as Record<string, unknown>
  }
  throw new ConfigurationError(`${where} must be an object`)
}

function list(value: unknown, where: string): unknown[] {
  if (Array.isArray(value)) return value
  throw new ConfigurationError(`${where} must be a list`)
}

function text(value: unknown, where: string): string {
  if (typeof value === 'string' && value !== '') return value
  throw new ConfigurationError(`${where} must be text`)
}

function whole(value: unknown, where: string, most = 1_000_000_000): number {
  if (typeof value === 'number' && Number.isInteger(value) && value > 0 && value <= most)
    return value
  throw new ConfigurationError(`${where} must be a whole number from 1 to ${most}`)
}

/** A token (RFC 9110, section 5.6.2), as methods and header names are. */
function token(value: unknown, where: string): string {
  const written = text(value, where)
  if (/^[\w!#$%&'*+.^`|~-]{1,100}$/.test(written)) return written
  throw new ConfigurationError(`${where} must be a token of HTTP; found "${written.slice(0, 100)}"`)
}

/** A media type with parameters (RFC 9110, section 8.3.1); ranges are none. */
const mediaTypePattern =
  /^[\w!#$&^.+-]{1,100}\/[\w!#$&^.+-]{1,100}(?:; ?[\w!#$&^.+-]{1,100}=(?:[\w!#$&^.+-]{1,200}|"[ \w!#$%&'()*+,./:;<=>?@[\]^{|}~-]{0,200}"))*$/
const isMediaType = (written: string) => mediaTypePattern.test(written)

function hostName(value: unknown, where: string): string {
  const written = text(value, where).toLowerCase()
  if (isHostName(written)) return written
  throw new ConfigurationError(`${where}: "${written.slice(0, 100)}" is not a host name`)
}

/** A path without parameters, and without a slash at its end. */
function plainPath(value: unknown, where: string): string {
  const written = text(value, where)
  const why = whyNoTemplate(written) ?? (/[{}]/.test(written) ? 'has parameters' : undefined)
  if (why) throw new ConfigurationError(`${where}: the path "${written.slice(0, 100)}" ${why}`)
  return written
}

function revisionOf(label: string | undefined, where: string): number {
  if (label === undefined) return 0
  if (/^\d{1,9}$/.test(label)) return Number(label)
  throw new ConfigurationError(`${where}: the revision "${label.slice(0, 100)}" is not a number`)
}
