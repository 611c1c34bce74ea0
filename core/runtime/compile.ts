import type { MockAnswer } from '../contract/mocks'
import { isSame } from '../text/values'
import { ruleParts, rulePart, type RuleParts } from './filters'
import type { Condition } from './conditions'
import { isMediaType } from './config-values'
import type { LifecycleFacts } from './lifecycle'
import {
  basePathsOf,
  faceDocument,
  furtherPath,
  joinPaths,
  operationKey,
  operationScope,
  rowName,
  scopesOf,
  targetsOf,
  type PlacementFacts,
  type PlacementSpec,
  type RouteRow,
  type FurtherRoute,
  type Target,
  type Treatment,
} from './placement'
import { policyKinds, policyNames, type ConfigOf, type Policies, type PolicyName } from './policies'
import { configsOf, resolvePolicies } from './resolve'
import { gatewayApi, labels, policyApi, policyGroup, type Resource } from './resources'
import { toPattern, whyNoTemplate } from './template'

/** Resources that a placement of that name is written as. */
interface Writer {
  resource: (kind: string, name: string, body: Record<string, unknown>) => Resource
  target: { group: string; kind: string; name: string }
}

/**
 * Compiles a placement into the resources that make a gateway serve it: what holds for it is resolved from all scopes
 * first. A withheld operation gets a rule that keeps its requests from the templates of others: `/notices/export` would
 * be a `/notices/{id}`.
 */
export function compilePlacement(spec: PlacementSpec, facts: PlacementFacts): Resource[] {
  const writer = writerFor(facts)
  const { resource } = writer
  const decided = spec.routes.filter(
    ({ path, treatment: { kind } }) =>
      kind !== 'undecided' && whyNoTemplate(joinPaths(spec.basePath, path)) === undefined,
  )
  const backends = new Map(
    spec.backends.map((backend) => [
      backend.name,
      targetsOf(backend, facts.member ?? facts.gateway),
    ]),
  )
  const here = scopesOf(spec, facts.outer ?? [])
  const common = configsOf(resolvePolicies(here))
  const commonParts = partsOf(common)
  const shared = (config: object, policy: PolicyName) => {
    const backendRefs =
      policy === 'share'
        ? referencesTo((config as ConfigOf<'share'>).backend, facts.name, backends)
        : []
    return backendRefs.length > 0 ? { backendRefs } : {}
  }
  const policies = policyResources(writer, facts.name, common, {}, shared)
  /** Everything that holds for some operation. */
  const held = [common]
  const mocks: Resource[] = []
  /** A rule for each base path. */
  const ruleAt = (
    name: string,
    backendRefs: object[],
    parts: RuleParts,
    match: (base: string) => object,
  ) =>
    basePathsOf(spec).map((base, place) => {
      const filters = [
        ...(spec.prefix.kind === 'keep'
          ? []
          : [extension('PrefixRewrite', rewriteName(facts.name, place))]),
        ...(parts.filters ?? []),
      ]
      return {
        name,
        matches: [match(base)],
        ...(filters.length > 0 && { filters }),
        backendRefs,
        ...(parts.timeouts && { timeouts: parts.timeouts }),
      }
    })
  const further = (spec.furtherRoutes ?? []).filter(({ path }) => whyNoTemplate(path) === undefined)
  const treatments = [...decided, ...further].map(({ treatment }) => treatment)
  const rules = decided.flatMap((row, index) => {
    const name = `${facts.name}-${index + 1}`
    if (row.treatment.kind === 'mock')
      mocks.push(resource('Mock', name, mockSpec(facts.mocks.get(operationKey(row)))))
    const own = row.policies && configsOf(resolvePolicies([...here, operationScope(row)]))
    if (own) {
      held.push(own)
      policies.push(...policyResources(writer, name, own, common, shared, rowName(row)))
    }
    const parts = own ? partsOf(own) : commonParts
    const backendRefs = backendRefsOf(row.treatment, name, facts.name, backends)
    return ruleAt(rowName(row), backendRefs, parts, (base) => ({
      method: row.method,
      path: pathMatch(isSoap(row, spec, facts) ? base : joinPaths(base, row.path)),
    }))
  })
  const document = documentAt(writer, spec, facts, commonParts)
  const plain = common.transport?.plain ?? 'served'
  mocks.push(...document.mocks)
  const furtherRules = further.flatMap((route) =>
    ruleAt(
      route.name,
      backendRefsOf(route.treatment, '', facts.name, backends),
      commonParts,
      (base) => furtherMatch(route, base),
    ),
  )
  return [
    resource('HTTPRoute', facts.name, {
      parentRefs: [{ name: facts.gateway, ...(plain !== 'served' && { sectionName: 'https' }) }],
      hostnames: [spec.host],
      rules: [...rules, ...document.rules, ...furtherRules],
    }),
    // Where callers are told apart, the placement itself sends what is plain on.
    ...(plain === 'redirected' && !facts.portion ? [redirectToHttps(writer, spec, facts)] : []),
    ...(facts.portion
      ? [
          resource('Portion', facts.name, {
            targetRef: writer.target,
            percent: facts.portion.percent,
          }),
        ]
      : []),
    ...backendResources(writer, spec, usedBackends(treatments, held), backends),
    ...mocks,
    ...(treatments.some(({ kind }) => kind === 'withheld')
      ? [resource('Withheld', facts.name, {})]
      : []),
    ...rewriteResources(writer, spec),
    ...policies,
    ...factResources(writer, spec, decided, facts, held),
  ]
}

/** The route at the plain listener that sends everything to where TLS is spoken. */
const redirectToHttps = (
  { resource }: Writer,
  spec: PlacementSpec,
  { name, gateway }: PlacementFacts,
): Resource =>
  resource('HTTPRoute', `${name}-plain`, {
    parentRefs: [{ name: gateway, sectionName: 'http' }],
    hostnames: [spec.host],
    rules: [
      {
        name: 'plain',
        matches: basePathsOf(spec).map((value) => ({ path: { type: 'PathPrefix', value } })),
        filters: [
          {
            type: 'RequestRedirect',
            requestRedirect: { scheme: 'https', statusCode: 301 },
          },
        ],
      },
    ],
  })

function writerFor(facts: PlacementFacts): Writer {
  const metadata = (name: string) => ({
    name,
    labels: {
      [labels.placement]: facts.portion?.of ?? facts.name,
      [labels.version]: facts.version,
      [labels.revision]: String(facts.revision),
    },
  })
  return {
    resource: (kind, name, body) => ({
      apiVersion: kind === 'HTTPRoute' ? gatewayApi : policyApi,
      kind,
      metadata: metadata(name),
      spec: body,
    }),
    target: { group: 'gateway.networking.k8s.io', kind: 'HTTPRoute', name: facts.name },
  }
}

const targetName = (placement: string, backend: string, index: number) =>
  `${placement}-${backend}${index === 0 ? '' : `-${index + 1}`}`

const rewriteName = (placement: string, place: number) =>
  place === 0 ? placement : `${placement}-${place + 1}`

function backendRefsOf(
  treatment: Treatment,
  mock: string,
  placement: string,
  backends: Map<string, Target[]>,
) {
  if (treatment.kind === 'mock') return [reference('Mock', mock)]
  if (treatment.kind !== 'route') return [reference('Withheld', placement)]
  return referencesTo(treatment.backend, placement, backends)
}

const reference = (kind: string, name: string) => ({ group: policyGroup, kind, name })

function referencesTo(backend: string, placement: string, backends: Map<string, Target[]>) {
  const targets = backends.get(backend) ?? []
  return targets.map(({ weight = 1 }, index) => ({
    ...reference('Backend', targetName(placement, backend, index)),
    ...(targets.length > 1 && { weight }),
  }))
}

/** The backends that something is sent to. */
const usedBackends = (treatments: readonly Treatment[], held: readonly Policies[]) =>
  new Set([
    ...treatments.flatMap((treatment) => (treatment.kind === 'route' ? [treatment.backend] : [])),
    ...held.flatMap(({ share }) => (share ? [share.backend] : [])),
  ])

function backendResources(
  { resource, target }: Writer,
  { backends }: PlacementSpec,
  used: ReadonlySet<string>,
  targets: Map<string, Target[]>,
): Resource[] {
  return backends
    .filter(({ name }) => used.has(name))
    .flatMap(({ name, timeoutMs }) =>
      (targets.get(name) ?? []).map(({ url }, index) =>
        resource('Backend', targetName(target.name, name, index), { name, url, timeoutMs }),
      ),
    )
}

function rewriteResources({ resource, target }: Writer, spec: PlacementSpec): Resource[] {
  const { prefix } = spec
  if (prefix.kind === 'keep') return []
  const to = prefix.kind === 'replace' ? prefix.with : ''
  return basePathsOf(spec).map((from, place) =>
    resource('PrefixRewrite', rewriteName(target.name, place), { from, to }),
  )
}

/** What the rules themselves say of some policies. */
function partsOf(policies: Policies): RuleParts {
  const filters: Record<string, unknown>[] = []
  let timeouts: Record<string, unknown> | undefined
  for (const name of policyNames) {
    const config = policies[name]
    const part = rulePart(name)
    if (!config || !part) continue
    const written = part.write(config)
    filters.push(...(written.filters ?? []))
    timeouts = written.timeouts ?? timeouts
  }
  return { ...(filters.length > 0 && { filters }), ...(timeouts && { timeouts }) }
}

/** Policies that are attached to a route, or to one rule of it where they differ from what holds for all. */
function policyResources(
  { resource, target }: Writer,
  name: string,
  policies: Policies,
  common: Policies,
  more: (config: object, policy: PolicyName) => object,
  sectionName?: string,
): Resource[] {
  const targetRef = { ...target, ...(sectionName !== undefined && { sectionName }) }
  return policyNames.flatMap((policy) => {
    if (ruleParts[policy]) return []
    const [config, before] = [policies[policy], common[policy]]
    const kind = policyKinds[policy].resource
    if (!config)
      return before ? [resource(kind, name, { targetRef, off: 'at this operation' })] : []
    if (before && isSame(before, config)) return []
    return [resource(kind, name, { targetRef, ...config, ...more(config, policy) })]
  })
}

/** Whether something is held against the definition. */
const holds = ({ contract }: Policies) =>
  contract !== undefined && (contract.requests !== 'ignore' || contract.responses !== 'ignore')

/** What the gateway has to know beside intent: keys that were issued, and what policies ask the definition about. */
function factResources(
  { resource, target }: Writer,
  spec: PlacementSpec,
  decided: RouteRow[],
  { name, keys, scopes = new Map(), described, lifecycle, soap = new Map(), face }: PlacementFacts,
  held: readonly Policies[],
): Resource[] {
  const rules: Record<string, string[][]> = {}
  const calls = decided.flatMap((row) => {
    const matches = spec.face ? [] : (soap.get(operationKey(row)) ?? [])
    return matches.length > 0 ? [[rowName(row), matches] as const] : []
  })
  for (const row of decided) {
    const named = scopes.get(operationKey(row))
    if (named && named.length > 0) rules[rowName(row)] = named
  }
  return [
    ...(keys.length > 0 ? [resource('Credentials', name, { targetRef: target, keys })] : []),
    ...(held.some((policies) => policies.scopes?.definition) && Object.keys(rules).length > 0
      ? [resource('DefinitionScopes', name, { targetRef: target, rules })]
      : []),
    ...(calls.length > 0
      ? [resource('SoapOperations', name, { targetRef: target, rules: Object.fromEntries(calls) })]
      : []),
    ...(spec.face && face
      ? [resource('RestFace', name, { targetRef: target, ...face.calls() })]
      : []),
    ...(lifecycle
      ? lifecycleResources(lifecycle, decided, (body) =>
          resource('Lifecycle', name, { targetRef: target, ...body }),
        )
      : []),
    ...(described && held.some(holds)
      ? [resource('Definition', name, { targetRef: target, ...described() })]
      : []),
  ]
}

/** What callers are told of the end of some operations or of all; nothing where there is no end. */
function lifecycleResources(
  { operations, ...whole }: LifecycleFacts,
  decided: RouteRow[],
  resource: (body: Record<string, unknown>) => Resource,
): Resource[] {
  const rules = Object.fromEntries(
    decided.flatMap((row) => {
      const since = operations.get(operationKey(row))
      return since === undefined ? [] : [[rowName(row), since]]
    }),
  )
  const hasRules = Object.keys(rules).length > 0
  if (whole.deprecated === undefined && whole.sunset === undefined && !hasRules) return []
  return [resource({ ...whole, ...(hasRules && { rules }) })]
}

/** What a mock answers, without what no response can carry: a range of media types, an empty body. */
const mockSpec = (answers: MockAnswer[] = [{ status: 200 }]) => ({
  answers: answers.map(({ status, also, example, mediaType, body }) => ({
    status,
    ...(also && { also }),
    ...(example !== undefined && { example }),
    ...(mediaType !== undefined && isMediaType(mediaType) && { mediaType }),
    ...(body && { body }),
  })),
})

const extension = (kind: string, name: string) => ({
  type: 'ExtensionRef',
  extensionRef: { group: policyGroup, kind, name },
})

const isSoap = (row: RouteRow, spec: PlacementSpec, { soap }: PlacementFacts) =>
  spec.face === undefined && (soap?.get(operationKey(row))?.length ?? 0) > 0

/** Rules that answer the document of what is served at each base path, with the address that it has there. */
function documentAt(
  { resource, target }: Writer,
  spec: PlacementSpec,
  { wsdl, face }: PlacementFacts,
  { filters, timeouts }: RuleParts,
) {
  const offered =
    spec.face && face
      ? {
          name: faceDocument,
          path: `/${faceDocument}`,
          type: 'application/json',
          text: face.document,
        }
      : { name: 'wsdl', path: '', type: 'text/xml', text: wsdl }
  const { name, path, type, text } = offered
  if (!text) return { rules: [], mocks: [] }
  const bases = basePathsOf(spec)
  const nameOf = (place: number) => `${target.name}-${name}${place === 0 ? '' : `-${place + 1}`}`
  return {
    mocks: bases.map((basePath, place) => {
      const body = text(`https://${spec.host}${basePath}`)
      return resource('Mock', nameOf(place), mockSpec([{ status: 200, mediaType: type, body }]))
    }),
    rules: bases.map((base, place) => ({
      name,
      matches: [{ method: 'GET', path: pathMatch(path === '' ? base : joinPaths(base, path)) }],
      ...(filters && { filters }),
      backendRefs: [reference('Mock', nameOf(place))],
      ...(timeouts && { timeouts }),
    })),
  }
}

/** A match of a further route: a whole path, or everything from it on. */
function furtherMatch({ method, path, below, conditions = [] }: FurtherRoute, base: string) {
  const whole = furtherPath(base, path)
  const of = (place: Condition['in']) =>
    conditions
      .filter((condition) => condition.in === place)
      .map(({ name, value }) => ({ type: 'Exact', name, value }))
  const [headers, queryParams] = [of('header'), of('query')]
  return {
    ...(method !== undefined && { method }),
    path: below ? { type: 'PathPrefix', value: whole } : pathMatch(whole),
    ...(headers.length > 0 && { headers }),
    ...(queryParams.length > 0 && { queryParams }),
  }
}

const pathMatch = (path: string) =>
  path.includes('{')
    ? { type: 'RegularExpression', value: toPattern(path) }
    : { type: 'Exact', value: path }
