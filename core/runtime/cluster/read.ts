import yaml from 'js-yaml'
import { count, listed } from '../../text/counted'
import { measure } from '../../text/limits'
import { errorText, isObject } from '../../text/values'
import { isHostName } from '../addresses'
import { ConfigurationError } from '../config-values'
import { readDuration } from '../filters'
import { routesOf } from '../read'
import { gatewayApi, labels, policyApi, policyGroup, type Resource } from '../resources'
import { fromPattern } from '../template'
import { serviceUrl } from './service'
import { writtenAnnotation, type Written } from './write'

/** What was read of a cluster. */
export interface ClusterRead {
  resources: Resource[]
  /** What stands there and was not understood, in words: nothing is known of what it does. */
  passedOver: string[]
}

type Node = Record<string, unknown>

const mostBytes = 16 * 1024 * 1024
const mostDocuments = 20_000
/** A List of Lists of Lists is nobody’s cluster. */
const deepestList = 3

/**
 * Reads what a cluster prints: YAML or JSON, several documents, lists, and whatever servers add. What is known becomes
 * resources as gateways of the ledger’s own run them; the rest is named. Throws {@link ConfigurationError} where the text
 * cannot be read at all.
 */
export function fromCluster(text: string): ClusterRead {
  if (text.length > mostBytes) throw new ConfigurationError('The snapshot is larger than 16 MB')
  let documents: unknown[]
  try {
    documents = yaml.loadAll(text, undefined, { schema: yaml.CORE_SCHEMA })
  } catch (error) {
    throw new ConfigurationError(`The snapshot is not readable YAML or JSON: ${errorText(error)}`)
  }
  const extent = measure(documents)
  if (!extent.fits)
    throw new ConfigurationError(`The snapshot has too many values, or nests them too deeply`)
  const nodes = documents.flatMap((document, index) => listedIn(document, index + 1, 0))
  if (nodes.length > mostDocuments)
    throw new ConfigurationError(`The snapshot has more than ${mostDocuments} resources`)
  return new ClusterReader(nodes).read()
}

function listedIn(document: unknown, number: number, depth: number): Node[] {
  if (document === null || document === undefined) return []
  if (!isObject(document) || typeof document['kind'] !== 'string')
    throw new ConfigurationError(`Document ${number} is no resource of a cluster: it has no kind`)
  if (!document['kind'].endsWith('List') || !Array.isArray(document['items'])) return [document]
  if (depth === deepestList)
    throw new ConfigurationError(`Document ${number} nests lists too deeply`)
  return document['items'].flatMap((item) => listedIn(item, number, depth + 1))
}

const isGatewayApi = (version: unknown) =>
  typeof version === 'string' && /^gateway\.networking\.k8s\.io\/v1(?:beta1)?$/.test(version)

const textOf = (value: unknown) => (typeof value === 'string' ? value : '')
const nodesIn = (value: unknown): Node[] => (Array.isArray(value) ? value.filter(isObject) : [])
const namespaceOf = ({ metadata }: Node) =>
  isObject(metadata) ? textOf(metadata['namespace']) : ''
const nameOf = ({ metadata }: Node) => (isObject(metadata) ? textOf(metadata['name']) : '')

interface Listener {
  protocol: string
  hostname: string
}

class ClusterReader {
  private readonly resources: Resource[] = []
  private readonly passed: string[] = []
  /** How much was named for each route. */
  private readonly made = new Map<string, number>()
  /** By `namespace/gateway` and the listener’s name. */
  private readonly listeners = new Map<string, Map<string, Listener>>()

  constructor(private readonly nodes: readonly Node[]) {}

  read(): ClusterRead {
    for (const node of this.nodes)
      if (node['kind'] === 'Gateway' && isGatewayApi(node['apiVersion'])) this.gateway(node)
    const others = new Map<string, number>()
    const parts: { route: Resource; part: number; key: string }[] = []
    for (const node of this.nodes) {
      const { apiVersion, kind } = node
      if (kind === 'HTTPRoute' && isGatewayApi(apiVersion)) parts.push(this.route(node))
      else if (apiVersion === policyApi && isObject(node['spec'])) this.resources.push(ours(node))
      else if (kind !== 'Gateway' && kind !== 'GatewayClass' && kind !== 'ReferenceGrant')
        others.set(textOf(kind), (others.get(textOf(kind)) ?? 0) + 1)
    }
    for (const kind of targeting(this.nodes))
      this.passed.push(`${kind} is attached to routes, and nothing is known of what it does`)
    const rest = [...others].map(([kind, n]) => count(n, kind))
    if (rest.length > 0) this.passed.push(`Beside routes: ${listed(rest)}`)
    return this.settled(joined(parts))
  }

  /** What gateways of the ledger’s own would refuse to run is not compared either, and takes nothing else with it. */
  private settled(routes: readonly Resource[]): ClusterRead {
    const all = [...routes, ...this.resources]
    if (whyRefused(all) === undefined) return { resources: all, passedOver: this.passed }
    const kept = routes.flatMap((route) => {
      const own = this.resources.filter((one) => isOf(one, route))
      const why = whyRefused([route, ...own])
      if (why === undefined) return [route, ...own]
      this.passed.push(why)
      return []
    })
    return { resources: kept, passedOver: this.passed }
  }

  private gateway(node: Node): void {
    const spec = isObject(node['spec']) ? node['spec'] : {}
    this.listeners.set(
      `${namespaceOf(node)}/${nameOf(node)}`,
      new Map(
        nodesIn(spec['listeners']).map((listener) => [
          textOf(listener['name']),
          { protocol: textOf(listener['protocol']), hostname: textOf(listener['hostname']) },
        ]),
      ),
    )
  }

  private route(node: Node): { route: Resource; part: number; key: string } {
    const name = nameOf(node)
    if (name === '') throw new ConfigurationError('An HTTPRoute has no name')
    const namespace = namespaceOf(node)
    const spec = isObject(node['spec']) ? node['spec'] : {}
    const metadata = node['metadata'] as Node
    const written = writtenIn(metadata)
    const known = labelsOf(metadata)
    const whole = written && written.part > 0 ? name.replace(/-part-\d+$/, '') : name
    const full = namespace === '' || namespace === 'default' ? whole : `${namespace}/${whole}`
    const where = `HTTPRoute ${namespace === '' ? name : `${namespace}/${name}`}`
    const parents = nodesIn(spec['parentRefs'])
    const section = this.sectionOf(parents, namespace, where)
    const context = { where, full, namespace, known, written }
    const rules = nodesIn(spec['rules'] ?? [{}]).flatMap((rule, index) =>
      this.rule(rule, index, context),
    )
    const hostnames = this.hostnamesOf(spec['hostnames'], parents, namespace, where)
    return {
      part: written?.part ?? 0,
      key: full,
      route: {
        apiVersion: gatewayApi,
        kind: 'HTTPRoute',
        metadata: { name: full, ...(known && { labels: known }) },
        spec: {
          parentRefs: [
            {
              name: textOf(parents[0]?.['name']),
              ...(section !== undefined && { sectionName: section }),
            },
          ],
          hostnames,
          rules,
        },
      },
    }
  }

  /** Which listener a route is attached to, by what that speaks. */
  private sectionOf(parents: Node[], namespace: string, where: string): string | undefined {
    const protocols = new Set(
      parents.map((parent) => {
        const section = parent['sectionName']
        if (typeof section !== 'string') return undefined
        return this.listenersOf(parent, namespace)?.get(section)?.protocol.toLowerCase() ?? section
      }),
    )
    if (protocols.size !== 1) return undefined
    const [only] = protocols
    if (only === undefined || only === 'http' || only === 'https') return only
    this.passed.push(`${where} is attached to the listener ${only}, whose protocol is not known`)
    return undefined
  }

  private listenersOf(parent: Node, namespace: string) {
    const of = typeof parent['namespace'] === 'string' ? parent['namespace'] : namespace
    return this.listeners.get(`${of}/${textOf(parent['name'])}`)
  }

  /** Its own, or those of the listeners it is attached to. A pattern of hosts is no host. */
  private hostnamesOf(own: unknown, parents: Node[], namespace: string, where: string): string[] {
    const said = Array.isArray(own) ? own.map(textOf) : []
    const names =
      said.length > 0
        ? said
        : parents.flatMap((parent) =>
            [...(this.listenersOf(parent, namespace) ?? [])]
              .filter(([name]) => [undefined, name].includes(parent['sectionName'] as string))
              .map(([, { hostname }]) => hostname),
          )
    const hosts = [...new Set(names.map((name) => name.toLowerCase()))].filter(isHostName)
    const others = names.filter((name) => !isHostName(name.toLowerCase()))
    if (others.length > 0 || hosts.length === 0)
      this.passed.push(
        `${where} is for ${others.some(Boolean) ? listed(others.filter(Boolean)) : 'any host'}, which is not compared`,
      )
    return hosts
  }

  private rule(rule: Node, index: number, context: RouteContext): Node[] {
    const { where, written } = context
    const here = `${where}, rule ${index + 1}`
    const name = written?.rules[index] ?? (textOf(rule['name']) || `${index + 1}`)
    const matches = nodesIn(rule['matches'] ?? [{}]).flatMap((match) => this.match(match, here))
    if (matches.length === 0) return []
    const filters = nodesIn(rule['filters'])
    const isRedirect = filters.some(({ type }) => type === 'RequestRedirect')
    const kept = filters.flatMap((filter) => this.filter(filter, matches, context, name, here))
    const backendRefs = isRedirect ? undefined : this.backends(rule, index, context, here)
    const timeouts = isObject(rule['timeouts']) ? rule['timeouts'] : {}
    const request = readDuration(timeouts['request'])
    if (timeouts['request'] !== undefined && request === undefined)
      this.passed.push(`${here}: the timeout ${JSON.stringify(timeouts['request'])} is no duration`)
    return [
      {
        name,
        matches,
        ...(kept.length > 0 && { filters: kept }),
        ...(backendRefs && { backendRefs }),
        ...(request !== undefined && request > 0 && { timeouts: { request: timeouts['request'] } }),
      },
    ]
  }

  /** A match as gateways of the ledger’s own know them; an expression that is no path template is nobody’s. */
  private match(match: Node, where: string): Node[] {
    const { type = 'PathPrefix', value = '/' } = isObject(match['path']) ? match['path'] : {}
    const conditions = [...nodesIn(match['headers']), ...nodesIn(match['queryParams'])]
    const isKnown =
      typeof value === 'string' &&
      (type === 'Exact' || type === 'PathPrefix' || fromPattern(value) !== undefined)
    if (!isKnown || conditions.some(({ type: kind = 'Exact' }) => kind !== 'Exact')) {
      this.passed.push(
        `${where}: a match by an expression (${JSON.stringify(match).slice(0, 200)})`,
      )
      return []
    }
    const path = type === 'PathPrefix' && value !== '/' ? value.replace(/\/+$/, '') : value
    return [{ ...match, path: { type, value: path } }]
  }

  private filter(
    filter: Node,
    matches: readonly Node[],
    { full, known }: RouteContext,
    rule: string,
    where: string,
  ): Node[] {
    const { type } = filter
    if (
      type === 'RequestHeaderModifier' ||
      type === 'ResponseHeaderModifier' ||
      type === 'CORS' ||
      type === 'RequestRedirect'
    )
      return [filter]
    const rewrite = isObject(filter['urlRewrite']) ? filter['urlRewrite'] : undefined
    if (type !== 'URLRewrite' || !rewrite) {
      this.passed.push(`${where}: the filter ${textOf(type)} is not known`)
      return []
    }
    if (rewrite['hostname'] !== undefined)
      this.passed.push(`${where}: the host ${textOf(rewrite['hostname'])} told to the backend`)
    const path = isObject(rewrite['path']) ? rewrite['path'] : undefined
    if (!path) return []
    const outside = matches[0]?.['path'] as { type: string; value: string }
    const inside = textOf(path['replaceFullPath'] ?? path['replacePrefixMatch'])
    const isPrefix = path['type'] === 'ReplacePrefixMatch'
    if (isPrefix !== (outside.type === 'PathPrefix') || matches.length > 1) {
      if (!isPrefix) return this.wholePath(inside, full, rule, known)
      this.passed.push(`${where}: a rewrite of several paths at once`)
      return []
    }
    const [from, to] = prefixesOf(outside.value, inside)
    const spec = { from, to }
    const found = this.resources.find(
      (one) =>
        one.kind === 'PrefixRewrite' &&
        one.metadata.name.startsWith(`${full}-`) &&
        JSON.stringify(one.spec) === JSON.stringify(spec),
    )
    const of = found?.metadata.name ?? this.nameFor(full)
    if (!found) this.add('PrefixRewrite', of, known, spec)
    return [
      {
        type: 'ExtensionRef',
        extensionRef: { group: policyGroup, kind: 'PrefixRewrite', name: of },
      },
    ]
  }

  /** A path that is put in place of another is a policy of that rule. */
  private wholePath(
    path: string,
    route: string,
    rule: string,
    known: Record<string, string> | undefined,
  ): Node[] {
    this.add('RewritePolicy', this.nameFor(route), known, {
      targetRef: {
        group: 'gateway.networking.k8s.io',
        kind: 'HTTPRoute',
        name: route,
        sectionName: rule,
      },
      path,
    })
    return []
  }

  private backends(rule: Node, index: number, context: RouteContext, where: string): Node[] {
    const { full, namespace, known, written } = context
    const timeouts = isObject(rule['timeouts']) ? rule['timeouts'] : {}
    const timeoutMs = readDuration(timeouts['backendRequest']) ?? longestTimeout
    const references = nodesIn(rule['backendRefs']).filter(({ weight }) => weight !== 0)
    const found = references.flatMap((reference): Node[] => {
      const { kind = 'Service', name, port, weight } = reference
      if (kind !== 'Service' || typeof name !== 'string') {
        this.passed.push(
          `${where}: sends to ${textOf(kind)} ${textOf(name)}, whose address is not known`,
        )
        return []
      }
      const inside = textOf(reference['namespace']) || (written ? '' : namespace)
      const url = serviceUrl({
        name,
        ...(inside !== '' && { namespace: inside }),
        port: typeof port === 'number' ? port : 80,
      })
      const of = `${full}-to-${name}-${index + 1}${references.length > 1 ? `-${references.indexOf(reference) + 1}` : ''}`
      this.add('Backend', of, known, {
        name: written?.backends[url] ?? name,
        url,
        timeoutMs: Math.max(1, Math.min(timeoutMs, longestTimeout)),
      })
      return [
        {
          ...{ group: policyGroup, kind: 'Backend', name: of },
          ...(typeof weight === 'number' && references.length > 1 && { weight }),
        },
      ]
    })
    if (found.length > 0) return found
    // Without a backend the answer is 404 (Gateway API v1, HTTPRouteRule): it is kept from other routes.
    if (!this.resources.some((one) => one.kind === 'Withheld' && one.metadata.name === full))
      this.add('Withheld', full, known, {})
    return [{ group: policyGroup, kind: 'Withheld', name: full }]
  }

  /** A name for something of a route, whatever else there is. */
  private nameFor(route: string): string {
    const n = (this.made.get(route) ?? 0) + 1
    this.made.set(route, n)
    return `${route}-${n}`
  }

  private add(
    kind: string,
    name: string,
    known: Record<string, string> | undefined,
    spec: Record<string, unknown>,
  ): void {
    this.resources.push({
      apiVersion: policyApi,
      kind,
      metadata: { name, ...(known && { labels: known }) },
      spec,
    })
  }
}

function whyRefused(resources: readonly Resource[]): string | undefined {
  try {
    routesOf(resources)
    return undefined
  } catch (error) {
    if (error instanceof ConfigurationError) return error.message
    throw error
  }
}

/** Whether a resource was made for a route, or says that it is attached to it. */
const isOf = ({ metadata, spec }: Resource, route: Resource) =>
  metadata.name === route.metadata.name ||
  metadata.name.startsWith(`${route.metadata.name}-`) ||
  (isObject(spec['targetRef']) && spec['targetRef']['name'] === route.metadata.name)

interface RouteContext {
  where: string
  /** The route’s name, with its namespace where that is not the usual one. */
  full: string
  namespace: string
  known: Record<string, string> | undefined
  written: Written | undefined
}

/** As long as any configuration may say: a cluster that says nothing has a limit of its own. */
const longestTimeout = 600_000

/** The labels of the ledger’s; a cluster’s own say nothing here. */
function labelsOf({ labels: said }: Node): Record<string, string> | undefined {
  if (!isObject(said)) return undefined
  const ours = Object.values(labels).flatMap((name) =>
    typeof said[name] === 'string' ? [[name, said[name]] as const] : [],
  )
  return ours.length > 0 ? Object.fromEntries(ours) : undefined
}

function writtenIn({ annotations }: Node): Written | undefined {
  const text = isObject(annotations) ? annotations[writtenAnnotation] : undefined
  if (typeof text !== 'string') return undefined
  let said: unknown
  try {
    said = JSON.parse(text)
  } catch {
    return undefined
  }
  if (!isObject(said) || !Array.isArray(said['rules']) || !isObject(said['backends']))
    return undefined
  const { part, rules, backends } = said
  return {
    part: typeof part === 'number' ? part : 0,
    rules: rules.map(textOf),
    backends: Object.fromEntries(
      Object.entries(backends).flatMap(([url, name]) =>
        typeof name === 'string' ? [[url, name]] : [],
      ),
    ),
  }
}

/** The part of a path that is put in the other’s place: what both end with stays as it is. */
function prefixesOf(outside: string, inside: string): [from: string, to: string] {
  const [mine, theirs] = [outside.split('/'), inside.replace(/\/+$/, '').split('/')]
  while (mine.length > 1 && theirs.length > 1 && mine.at(-1) === theirs.at(-1)) {
    mine.pop()
    theirs.pop()
  }
  return [mine.join('/') || '/', theirs.join('/')]
}

/** A resource of the ledger’s own kinds, without what servers have added. */
function ours(node: Node): Resource {
  const known = labelsOf(node['metadata'] as Node)
  return {
    apiVersion: policyApi,
    kind: textOf(node['kind']),
    metadata: { name: nameOf(node), ...(known && { labels: known }) },
    spec: node['spec'] as Record<string, unknown>,
  }
}

/** Kinds of resources, none of which are ours, that say they are about routes. */
const targeting = (nodes: readonly Node[]) =>
  new Set(
    nodes.flatMap(({ apiVersion, kind, spec }) => {
      if (apiVersion === policyApi || !isObject(spec)) return []
      const targets = [...nodesIn(spec['targetRefs']), ...nodesIn([spec['targetRef']])]
      return targets.some((target) => target['kind'] === 'HTTPRoute') ? [textOf(kind)] : []
    }),
  )

/** Parts of one route as one again. */
function joined(parts: { route: Resource; part: number; key: string }[]): Resource[] {
  const whole = new Map<string, Resource>()
  for (const { route, key } of parts.sort((a, b) => a.part - b.part)) {
    const first = whole.get(key)
    if (!first) whole.set(key, route)
    else
      first.spec = {
        ...first.spec,
        rules: [...(first.spec['rules'] as Node[]), ...(route.spec['rules'] as Node[])],
      }
  }
  return [...whole.values()]
}
