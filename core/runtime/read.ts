import type { MockAnswer } from '../contract/mocks'
import { readBackendAddress } from './backend-address'
import type { Condition } from './conditions'
import type { Described } from './described'
import { rulePart, ruleParts } from './filters'
import {
  ConfigurationError,
  hostName,
  isMediaType,
  list,
  plainPath,
  record,
  revisionOf,
  text,
  token,
  whole,
} from './config-values'
import { lifecycleOf, readLifecycle, type LifecycleFacts } from './lifecycle'
import type { KeyDigest, Prefix } from './placement'
import {
  isOff,
  isPolicyName,
  policyKinds,
  policyNames,
  readSaid,
  type Policies,
  type PolicyName,
} from './policies'
import { methodsOf, type Authentication } from './policies/authenticate'
import { describedOf } from './read-described'
import { labels, type Resource } from './resources'
import { readFace } from './read-face'
import type { Face } from './rest-face'
import { redirectOf } from './redirect'
import type { BackendTarget, Route, RouteTarget, Scheme } from './routes'
import { readSoap, type SoapMatch } from './soap'
import { fromPattern, whyNoTemplate } from './template'

const maxRoutes = 50_000
/** Ten minutes in milliseconds: nobody means to wait longer. */
const longestTimeout = 600_000
/** As Gateway API has it (v1, HTTPBackendRef). */
const mostWeight = 1_000_000

/**
 * Turns resources into the routes they mean. Throws {@link ConfigurationError}; nothing is taken in part. `reserved`
 * are addresses that no backend may have.
 */
export function routesOf(resources: readonly Resource[], reserved: string[] = []): Route[] {
  return new ResourceReader(resources, reserved).routes()
}

const known = new Set([
  'HTTPRoute',
  'Gateway',
  'Backend',
  'Mock',
  'Withheld',
  'PrefixRewrite',
  'Credentials',
  'DefinitionScopes',
  'Definition',
  'Lifecycle',
  'SoapOperations',
  'RestFace',
  'Portion',
])

/** Kinds of policy that are resources of their own, by the kind of that resource. */
const policyByResource = new Map(
  policyNames.filter((name) => !ruleParts[name]).map((name) => [policyKinds[name].resource, name]),
)

interface Reference {
  kind: string
  name: string
  spec: Record<string, unknown>
  weight: number
}

/** What is attached to a route or to one of its rules. */
type Attached = Record<string, object>

class ResourceReader {
  private readonly byName = new Map<string, Resource>()
  /** By `route`, or by `route/rule` where a policy is attached to one rule (sectionName). */
  private readonly attached = new Map<string, Attached>()
  private readonly credentials = new Map<string, KeyDigest[]>()
  private readonly scopes = new Map<string, Map<string, string[][]>>()
  private readonly described = new Map<string, Described>()
  private readonly shares = new Map<string, BackendTarget>()
  private readonly soap = new Map<string, Map<string, SoapMatch[]>>()
  private readonly faces = new Map<string, Face>()
  private readonly lifecycles = new Map<string, LifecycleFacts>()
  private readonly portions = new Map<string, number>()
  /** Policies of rules that say the same, as one object. */
  private readonly shared = new Map<string, Policies>()

  constructor(
    private readonly resources: readonly Resource[],
    private readonly reserved: string[],
  ) {
    for (const resource of resources) {
      const key = `${resource.kind} ${resource.metadata.name}`
      if (this.byName.has(key)) throw new ConfigurationError(`${key} stands twice`)
      this.byName.set(key, resource)
    }
    for (const resource of resources) this.attach(resource)
  }

  routes(): Route[] {
    const routes: Route[] = []
    for (const resource of this.resources) {
      if (resource.kind === 'HTTPRoute') this.httpRoute(resource, routes)
    }
    return routes
  }

  private attach({ kind, metadata, spec }: Resource): void {
    const where = `${kind} ${metadata.name}`
    const policy = policyByResource.get(kind)
    if (policy) {
      const { targetRef: _, backendRefs, ...said } = spec
      const target = this.targetOf(spec, where)
      const attached = this.attached.get(target) ?? {}
      if (attached[policy])
        throw new ConfigurationError(`${where}: ${target} has a ${kind} already`)
      const config = configOf(policy, said, where)
      if (policy === 'authentication') this.requireForeign(config as Authentication, where)
      this.attached.set(target, { ...attached, [policy]: config })
      if (backendRefs !== undefined) this.shares.set(target, this.shareOf(backendRefs, where))
    } else if (kind === 'KeyPolicy') {
      this.attachKeyPolicy(spec, where)
    } else if (kind === 'Credentials') {
      const keys = list(spec['keys'], `${where}, keys`).map((item) => keyDigest(item, where))
      this.credentials.set(this.targetOf(spec, where), keys)
    } else if (kind === 'DefinitionScopes') {
      const rules = Object.entries(record(spec['rules'], `${where}, rules`))
      const read = rules.map(
        ([rule, named]) => [rule, scopeSets(named, `${where}, ${rule}`)] as const,
      )
      this.scopes.set(this.targetOf(spec, where), new Map(read))
    } else if (kind === 'Definition') {
      this.described.set(this.targetOf(spec, where), describedOf(spec, where))
    } else if (kind === 'SoapOperations') {
      this.soap.set(this.targetOf(spec, where), readSoap(spec, where))
    } else if (kind === 'RestFace') {
      this.faces.set(this.targetOf(spec, where), readFace(spec, where))
    } else if (kind === 'Lifecycle') {
      this.lifecycles.set(this.targetOf(spec, where), readLifecycle(spec, where))
    } else if (kind === 'Portion') {
      const percent = whole(spec['percent'], `${where}, percent`, 99)
      this.portions.set(this.targetOf(spec, where), percent)
    } else if (!known.has(kind)) {
      throw new ConfigurationError(`${where}: this gateway does not know the kind ${kind}`)
    }
  }

  /** Keys of an issuer are not asked for at an address of the installation's own. */
  private requireForeign(config: Authentication, where: string): void {
    for (const method of methodsOf(config)) {
      const read =
        method.kind === 'jwt' ? readBackendAddress(method.jwks, this.reserved) : undefined
      if (read && 'refused' in read)
        throw new ConfigurationError(`${where}: the JWKS address ${read.refused}`)
    }
  }

  /** As keys were written before there were other credentials; gateways may still run it. */
  private attachKeyPolicy(spec: Record<string, unknown>, where: string): void {
    const target = this.targetOf(spec, where)
    const name = token(spec['header'], `${where}, header`)
    const authentication = configOf(
      'authentication',
      { kind: 'credentials', anyOf: [{ allOf: [{ kind: 'api-key', name }] }] },
      where,
    )
    this.attached.set(target, { ...this.attached.get(target), authentication })
    const keys = list(spec['keys'], `${where}, keys`).map((item) => keyDigest(item, where))
    this.credentials.set(target, keys)
  }

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
    const listener = listenerOf(spec['parentRefs'], `${where}, parentRefs`)
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
        soap: this.soap.get(metadata.name)?.get(name) ?? [],
        face: this.faceFor(metadata.name, name),
        target: this.target(rule, here),
        share: this.shares.get(`${metadata.name}/${name}`) ?? this.shares.get(metadata.name),
        rewrite: this.rewrite(rule, here),
        policies: this.policies(metadata.name, name, rule, here),
        own: Object.keys(this.attached.get(`${metadata.name}/${name}`) ?? {}).filter(isPolicyName),
        credentials: this.credentials.get(metadata.name) ?? [],
        scopes: this.scopes.get(metadata.name)?.get(name) ?? [],
        described: this.described.get(metadata.name),
        lifecycle: this.lifecycleFor(metadata.name, name),
        portion: this.portions.get(metadata.name),
      }
      for (const match of list(rule['matches'], `${here}, matches`)) {
        const matched = matchOf(match, here)
        requireBelow(common.rewrite, matched.path, here)
        for (const host of hosts)
          routes.push({ ...common, host, ...(listener && { listener }), ...matched })
        if (routes.length > maxRoutes)
          throw new ConfigurationError(`${here}: there are more than ${maxRoutes} routes`)
      }
    })
  }

  private faceFor(route: string, rule: string): Route['face'] {
    const face = this.faces.get(route)
    const call = face && Object.hasOwn(face.calls, rule) ? face.calls[rule] : undefined
    return face && call && { of: face, call }
  }

  private lifecycleFor(route: string, rule: string) {
    const facts = this.lifecycles.get(route)
    return facts && lifecycleOf(facts, rule)
  }

  /** What holds for a rule: what is attached to its route, then to itself, then what it says. */
  private policies(
    route: string,
    rule: string,
    said: Record<string, unknown>,
    where: string,
  ): Policies {
    const own = this.attached.get(`${route}/${rule}`)
    const filters = list(said['filters'] ?? [], `${where}, filters`).map((filter) =>
      record(filter, `${where}, filters`),
    )
    const timeouts =
      said['timeouts'] === undefined ? undefined : record(said['timeouts'], `${where}, timeouts`)
    const key = JSON.stringify([route, own && rule, filters, timeouts])
    const known = this.shared.get(key)
    if (known) return known
    const policies: Record<string, object> = { ...this.attached.get(route) }
    for (const [name, config] of Object.entries(own ?? {})) policies[name] = config
    for (const [name, config] of Object.entries(policies)) if (isOff(config)) delete policies[name]
    for (const name of policyNames) {
      const written = rulePart(name)?.read({ filters, ...(timeouts && { timeouts }) })
      if (written !== undefined) policies[name] = configOf(name, defined(written), where)
    }
    for (const filter of filters) requireKnownFilter(filter, where)
    this.shared.set(key, policies)
    return policies
  }

  private target(rule: Record<string, unknown>, where: string): RouteTarget {
    const redirect = redirectOf(rule, where)
    if (redirect) return { kind: 'redirect', ...redirect }
    const references = list(rule['backendRefs'], `${where}, backendRefs`).map((reference) =>
      this.reference(record(reference, `${where}, backendRefs`), where),
    )
    const [first] = references
    if (!first) throw new ConfigurationError(`${where} sends to nothing`)
    if (references.length > 1 && references.some(({ kind }) => kind !== 'Backend'))
      throw new ConfigurationError(`${where}: only backends share requests`)
    const { kind, name, spec } = first
    if (kind === 'Withheld') return { kind: 'withheld' }
    if (kind === 'Mock') return { kind: 'mock', name, answers: mocksOf(spec, `Mock ${name}`) }
    return { kind: 'backend', ...this.backend(references) }
  }

  private backend(references: Reference[]): BackendTarget {
    const { name, spec } = references[0]!
    return {
      name: text(spec['name'] ?? name, `Backend ${name}, name`),
      targets: references.map((reference) => ({
        url: this.backendUrl(reference),
        weight: reference.weight,
      })),
      timeoutMs: whole(spec['timeoutMs'] ?? 10_000, `Backend ${name}, timeoutMs`, longestTimeout),
    }
  }

  private shareOf(written: unknown, where: string): BackendTarget {
    const references = list(written, `${where}, backendRefs`).map((reference) =>
      this.reference(record(reference, `${where}, backendRefs`), where),
    )
    if (references.length === 0 || references.some(({ kind }) => kind !== 'Backend'))
      throw new ConfigurationError(`${where} sends a share to something that is no backend`)
    return this.backend(references)
  }

  private reference(node: Record<string, unknown>, where: string): Reference {
    const kind = text(node['kind'], `${where}, backendRefs.kind`)
    const name = text(node['name'], `${where}, backendRefs.name`)
    const found = this.byName.get(`${kind} ${name}`)
    if (!found || !['Backend', 'Mock', 'Withheld'].includes(kind)) {
      throw new ConfigurationError(`${where} sends to ${kind} ${name}, which does not exist`)
    }
    const weight =
      node['weight'] === undefined ? 1 : whole(node['weight'], `${where}, weight`, mostWeight)
    return { kind, name, spec: found.spec, weight }
  }

  private backendUrl({ name, spec }: { name: string; spec: Record<string, unknown> }): string {
    const url = text(spec['url'], `Backend ${name}, url`)
    const read = readBackendAddress(url, this.reserved)
    if ('refused' in read) throw new ConfigurationError(`Backend ${name}: "${url}" ${read.refused}`)
    return url.replace(/\/+$/, '')
  }

  private rewrite(rule: Record<string, unknown>, where: string): Route['rewrite'] {
    const filter = list(rule['filters'] ?? [], `${where}, filters`)
      .map((one) => record(one, `${where}, filters`))
      .find((one) => one['type'] === 'ExtensionRef')
    if (!filter) return undefined
    const reference = record(filter['extensionRef'], `${where}, extensionRef`)
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

/** Members that say something; a rule may leave out what a policy has a default for. */
const defined = (written: unknown) =>
  Object.fromEntries(
    Object.entries(record(written, 'filter')).filter(([, value]) => value !== undefined),
  )

function configOf(policy: PolicyName, said: unknown, where: string): object {
  const read = readSaid(policy, said)
  if (!read.misfits) return read.value
  const [{ field, message } = { field: '', message: '' }] = read.misfits
  throw new ConfigurationError(`${where}${field === '' ? '' : `, ${field}`}: ${message}`)
}

const filterTypes = new Set([
  'ExtensionRef',
  'RequestRedirect',
  'RequestHeaderModifier',
  'ResponseHeaderModifier',
  'CORS',
])

/** A filter that would be passed over in silence could be the one that protects something. */
function requireKnownFilter(filter: Record<string, unknown>, where: string): void {
  const type = text(filter['type'], `${where}, filters.type`)
  if (!filterTypes.has(type))
    throw new ConfigurationError(`${where}: this gateway does not know the filter ${type}`)
}

/** The listener that a route is attached to by name; none where it is attached to its gateway as a whole. */
function listenerOf(parents: unknown, where: string): Scheme | undefined {
  const names = new Set(
    list(parents ?? [], where).map((parent) => record(parent, where)['sectionName']),
  )
  if (names.size !== 1) return undefined
  const [name] = names
  if (name === undefined || name === 'http' || name === 'https') return name
  throw new ConfigurationError(`${where}: the listeners here are called http and https`)
}

const scopeSets = (value: unknown, where: string): string[][] =>
  list(value, where).map((alternative) =>
    list(alternative, where).map((scope) => text(scope, `${where}, scope`)),
  )

function matchOf(
  value: unknown,
  where: string,
): Pick<Route, 'method' | 'path' | 'open' | 'conditions'> {
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
  const conditions = [
    ...conditionsOf('header', match['headers'] ?? [], `${where}, headers`),
    ...conditionsOf('query', match['queryParams'] ?? [], `${where}, queryParams`),
  ]
  return { method, path: template, open, conditions }
}

/** Only exact ones: a gateway never runs a stranger's expression. */
const conditionsOf = (place: Condition['in'], value: unknown, where: string): Condition[] =>
  list(value, where).map((item) => {
    const written = record(item, where)
    const type = written['type'] ?? 'Exact'
    if (type !== 'Exact')
      throw new ConfigurationError(`${where}: a match is Exact; found ${text(type, where)}`)
    const name = token(written['name'], `${where}, name`)
    return { in: place, name, value: text(written['value'], `${where}, value`) }
  })

/** A rewrite takes the base path off; a route that is not below it would lose something else. */
function requireBelow(rewrite: Route['rewrite'], path: string, where: string): void {
  if (!rewrite || rewrite.from === '/' || path === rewrite.from) return
  if (!path.startsWith(`${rewrite.from}/`))
    throw new ConfigurationError(
      `${where}: ${path} is not below ${rewrite.from}, which is rewritten`,
    )
}

const mostAnswers = 100

/** The answers of a mock; one that has only one says it without a list. */
function mocksOf(spec: Record<string, unknown>, where: string): MockAnswer[] {
  if (spec['answers'] === undefined) return [mockOf(spec, where)]
  const answers = list(spec['answers'], `${where}, answers`)
  if (answers.length === 0 || answers.length > mostAnswers)
    throw new ConfigurationError(`${where} has from 1 to ${mostAnswers} answers`)
  return answers.map((answer) => mockOf(record(answer, `${where}, answers`), where))
}

function mockOf(spec: Record<string, unknown>, where: string): MockAnswer {
  const status = whole(spec['status'], `${where}, status`)
  if (status < 200 || status > 599)
    throw new ConfigurationError(`${where}, status must be from 200 to 599`)
  const answer: MockAnswer = { status }
  const { also } = spec
  if (also === 'class' || also === 'all') answer.also = also
  else if (also !== undefined)
    throw new ConfigurationError(`${where}, also must be "class" or "all"`)
  if (spec['example'] !== undefined) answer.example = text(spec['example'], `${where}, example`)
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
