import {
  operationName,
  type Contract,
  type Operation,
  type SecurityRequirement,
  type SecurityScheme,
  type Server,
} from '../contract/model'
import { isSame } from '../text/values'
import { areAlike } from './alike'
import { compareBodies, compareResponses } from './bodies'
import type { Change } from './model'
import { compareParameters } from './parameters'
import { nowhere, paired, safe, Teller, type Here } from './teller'

/** How far a comparison has come: operations that are done, of all. */
export type Progress = (done: number, all: number) => void

/** What changed from one contract to another, whatever formats they were read from. Equal contracts give nothing. */
export function compareContracts(before: Contract, after: Contract, progress?: Progress): Change[] {
  const teller = new Teller(before, after)
  compareInfo(teller)
  compareServers(teller, nowhere, before.servers, after.servers)
  const all = after.operations.length + after.webhooks.length
  let done = 0
  const step = () => progress?.(++done, all)
  compareOperations(teller, before.operations, after.operations, { part: 'operation', step })
  compareOperations(teller, before.webhooks, after.webhooks, { part: 'webhook', step })
  compareSchemes(teller)
  compareNamedSchemas(teller)
  return teller.changes
}

function compareInfo(teller: Teller): void {
  const { before, after } = teller
  const place = { part: 'definition' as const, before: '/info', after: '/info' }
  for (const keyword of [
    'title',
    'version',
    'summary',
    'description',
    'termsOfService',
    'contact',
    'license',
    'externalDocs',
  ] as const)
    teller.said(nowhere, place, keyword, before[keyword], after[keyword])
}

function compareServers(teller: Teller, here: Here, before: Server[], after: Server[]): void {
  // Paths are put behind it with one slash, whether it ends with one or not.
  for (const { old, now } of paired(before, after, ({ url }) => url.replace(/\/$/, ''))) {
    const place = {
      part: 'server' as const,
      name: (now ?? old).url,
      before: old?.at,
      after: now?.at,
    }
    if (!old) teller.tell(here, { ...place, effect: 'safe', direction: 'request', kind: 'added' })
    else if (!now)
      teller.tell(here, {
        ...place,
        effect: 'risky',
        direction: 'request',
        kind: 'removed',
        undecided: 'whether it still answers is known to gateways alone',
      })
    else teller.said(here, place, 'description', old.description, now.description)
  }
}

/** Operations are the same if their method and the shape of their path are. */
const shapeOf = ({ method, path }: Operation) => `${method} ${path.replace(/\{[^}]*\}/g, '{}')}`

interface Kind {
  part: 'operation' | 'webhook' | 'callback'
  /** The operation that a callback is of. */
  above?: string
  step?: () => void
}

function compareOperations(
  teller: Teller,
  before: Operation[],
  after: Operation[],
  { part, above, step }: Kind,
): void {
  const pairs = [...paired(before, after, shapeOf)]
  const gone = pairs.flatMap(({ old, now }) => (old && !now ? [old] : []))
  const moved =
    part === 'operation'
      ? movedFrom(
          gone,
          pairs.flatMap(({ old, now }) => (!old ? [now] : [])),
        )
      : new Map<Operation, Operation>()
  const left = new Set(moved.values())
  for (const { old, now } of pairs) {
    if (now) step?.()
    const former = now && !old ? moved.get(now) : undefined
    if (old && left.has(old)) continue
    const named = operationName(now ?? old)
    const { method, path } = old ?? former ?? now
    const here: Here = {
      operation: above ?? (part === 'webhook' ? `webhook ${named}` : named),
      turned: part !== 'operation',
      method: method.toUpperCase(),
      path,
    }
    if (former && now) {
      teller.tell(
        here,
        {
          effect: 'breaking',
          direction: 'both',
          kind: 'moved',
          part,
          name: named,
          was: operationName(former),
          is: named,
          before: former.at,
          after: now.at,
        },
        () => teller.requestOf(here, former),
      )
      compareOperation(teller, here, former, now)
    } else if (old && now) compareOperation(teller, here, old, now)
    else if (now) added(teller, here, part, now)
    else if (old) removed(teller, here, part, old)
  }
}

/** Who is called by a webhook has to take one more message; who calls loses nothing by one more operation. */
function added(teller: Teller, here: Here, part: Kind['part'], now: Operation): void {
  const told = { kind: 'added' as const, part, name: operationName(now), after: now.at }
  if (!here.turned) teller.tell(here, { ...told, ...safe })
  else
    teller.tell(here, {
      ...told,
      effect: 'risky',
      direction: 'response',
      undecided: 'whether receivers take it is not known here',
    })
}

function removed(teller: Teller, here: Here, part: Kind['part'], old: Operation): void {
  const told = {
    direction: 'both' as const,
    kind: 'removed' as const,
    part,
    name: operationName(old),
    before: old.at,
  }
  // Who calls the operation is told apart from who was told that it would go.
  if (!here.turned)
    teller.tell(
      here,
      { ...told, effect: 'breaking', ...(old.deprecated && { was: 'deprecated' }) },
      () => teller.requestOf(here, old),
    )
  else
    teller.tell(here, {
      ...told,
      effect: 'risky',
      undecided: 'whether receivers wait for it is not known here',
    })
}

/** The former places of operations that are elsewhere now: the same by identifier, or by all but a part of the path. */
function movedFrom(gone: Operation[], come: Operation[]): Map<Operation, Operation> {
  const found = new Map<Operation, Operation>()
  const left = new Set(gone)
  const take = (now: Operation, fits: (old: Operation) => boolean) => {
    if (found.has(now)) return
    const old = [...left].find(fits)
    if (!old) return
    left.delete(old)
    found.set(now, old)
  }
  const byId = new Map(
    gone.flatMap((old) => (old.id === undefined ? [] : [[old.id, old] as const])),
  )
  for (const now of come) {
    const old = now.id === undefined ? undefined : byId.get(now.id)
    if (old) take(now, (one) => one === old)
  }
  // Many that came and went at once are another API.
  if (left.size * come.length <= 2500)
    for (const now of come)
      take(now, (old) => old.id === undefined && old.method === now.method && isNear(old, now))
  return found
}

const segments = (path: string) =>
  path.split('/').filter((segment) => segment !== '' && !segment.startsWith('{'))

/** Whether one path may have become another: it ends alike, and takes as many parameters. */
function isNear(old: Operation, now: Operation): boolean {
  const [a, b] = [segments(old.path), segments(now.path)]
  const count = ({ path }: Operation) => path.split('{').length
  if (a.length === 0 || b.length === 0 || count(old) !== count(now)) return false
  const [last, other] = [a.at(-1)!, b.at(-1)!]
  return areAlike(last, other) && (old.summary ?? '') === (now.summary ?? '')
}

function compareOperation(teller: Teller, here: Here, old: Operation, now: Operation): void {
  const place = { part: 'operation' as const, before: old.at, after: now.at }
  if (shapeOf(old) === shapeOf(now)) teller.said(here, place, 'path', old.path, now.path)
  for (const keyword of [
    'id',
    'summary',
    'description',
    'tags',
    'externalDocs',
    'deprecated',
  ] as const)
    teller.said(here, place, keyword, old[keyword], now[keyword])
  compareServers(teller, here, old.servers ?? [], now.servers ?? [])
  compareParameters(teller, here, old, now)
  compareBodies(teller, here, old, now)
  compareResponses(teller, here, old, now)
  compareCredentials(teller, here, old, now)
  compareSoap(teller, here, old, now)
  const keyOf = ({ name, expression }: Operation['callbacks'][number]) => `${name} ${expression}`
  for (const { old: was, now: is } of paired(old.callbacks, now.callbacks, keyOf))
    compareOperations(teller, was?.operations ?? [], is?.operations ?? [], {
      part: 'callback',
      above: here.operation,
    })
}

/** Whether whoever fulfils one requirement fulfils the other: it asks for no other scheme and no other scope. */
const fulfils = (given: SecurityRequirement, asked: SecurityRequirement) =>
  Object.entries(asked).every(([name, scopes]) =>
    scopes.every((scope) => given[name]?.includes(scope)),
  ) && Object.keys(asked).every((name) => Object.hasOwn(given, name))

/** How a credential is carried: what decides whether a request that has it is taken. */
const carriage = ['type', 'in', 'parameterName', 'scheme'] as const

const carried = (scheme: SecurityScheme, keyword: (typeof carriage)[number]) =>
  // Schemes of HTTP and names of headers are compared without case (RFC 9110, sections 5.1 and 11.1).
  keyword === 'scheme' || (keyword === 'parameterName' && scheme.in === 'header')
    ? scheme[keyword]?.toLowerCase()
    : scheme[keyword]

/** A credential that is sent elsewhere, or otherwise, than it was: requests of before have it where nobody looks. */
function compareCarriage(teller: Teller, here: Here, old: Operation, now: Operation): void {
  const schemeIn = ({ securitySchemes }: Contract, name: string) =>
    securitySchemes.find((one) => one.name === name)
  const names = new Set(old.security.flatMap((one) => Object.keys(one)))
  for (const name of names) {
    const [was, is] = [schemeIn(teller.before, name), schemeIn(teller.after, name)]
    if (!was || !is || !now.security.some((one) => Object.hasOwn(one, name))) continue
    for (const keyword of carriage)
      if (carried(was, keyword) !== carried(is, keyword))
        teller.message(
          here,
          'request',
          {
            ...{ kind: 'changed', part: 'security scheme', name, keyword },
            ...{ was: was[keyword], is: is[keyword], before: was.at, after: is.at },
          },
          { narrows: true },
          () => {
            const { request } = teller.requestOf(here, old)
            const credential = was.parameterName ?? 'Authorization'
            return {
              request: { ...request, parameters: { ...request.parameters, [credential]: name } },
            }
          },
        )
  }
}

function compareCredentials(teller: Teller, here: Here, old: Operation, now: Operation): void {
  const [a, b] = [old.security, now.security]
  const nobody: SecurityRequirement = {}
  const ways = (list: SecurityRequirement[]) => (list.length === 0 ? [nobody] : list)
  const within = (some: SecurityRequirement[], others: SecurityRequirement[]) =>
    ways(some).every((one) => ways(others).some((other) => fulfils(one, other)))
  compareCarriage(teller, here, old, now)
  const [keeps, kept] = [within(a, b), within(b, a)]
  if (keeps && kept) return
  teller.message(
    here,
    'request',
    { kind: 'changed', part: 'credentials', was: a, is: b, before: old.at, after: now.at },
    { narrows: !keeps, widens: !kept },
    () => teller.requestOf(here, old),
  )
}

function compareSoap(teller: Teller, here: Here, old: Operation, now: Operation): void {
  for (const { old: was, now: is } of paired(
    old.soap ?? [],
    now.soap ?? [],
    ({ version }) => version,
  )) {
    const place = {
      part: 'SOAP binding' as const,
      name: (is ?? was).version,
      before: old.at,
      after: now.at,
    }
    const witness = () => teller.requestOf(here, old)
    if (!was) teller.tell(here, { ...place, effect: 'safe', direction: 'request', kind: 'added' })
    else if (!is)
      teller.tell(
        here,
        { ...place, effect: 'breaking', direction: 'both', kind: 'removed' },
        witness,
      )
    else
      for (const keyword of ['action', 'style', 'use', 'headers'] as const)
        if (!isSame(was[keyword], is[keyword]))
          teller.tell(
            here,
            {
              ...place,
              effect: 'breaking',
              direction: 'request',
              kind: 'changed',
              keyword,
              was: was[keyword],
              is: is[keyword],
            },
            witness,
          )
  }
}

function compareSchemes(teller: Teller): void {
  for (const { old, now } of paired(
    teller.before.securitySchemes,
    teller.after.securitySchemes,
    ({ name }) => name,
  )) {
    const place = {
      part: 'security scheme' as const,
      name: (now ?? old).name,
      before: old?.at,
      after: now?.at,
    }
    if (!old || !now) {
      teller.tell(nowhere, { ...place, ...safe, kind: old ? 'removed' : 'added' })
      continue
    }
    teller.said(nowhere, place, 'description', old.description, now.description)
    const isAsked = teller.before.operations.some(({ security }) =>
      security.some((one) => Object.hasOwn(one, place.name)),
    )
    for (const keyword of [
      // Of those that are asked for it is told at the operations what a request has to have.
      ...(isAsked ? [] : carriage),
      ...(['bearerFormat', 'openIdConnectUrl', 'flows'] as const),
    ]) {
      const [was, is] = [said(old, keyword), said(now, keyword)]
      if (isSame(was, is)) continue
      teller.tell(nowhere, {
        ...{ ...place, effect: 'risky', direction: 'request', kind: 'changed', keyword, was, is },
        undecided: 'whether credentials of before still work is known to their issuer alone',
      })
    }
  }
}

/** A member of a scheme; flows in one order, since theirs says nothing. */
const said = (scheme: SecurityScheme, keyword: keyof SecurityScheme) =>
  keyword === 'flows'
    ? [...scheme.flows].sort((one, other) => (one.kind < other.kind ? -1 : 1))
    : scheme[keyword]

/** Named schemas that came, went or got another name; what changed in them stands at the operations that use them. */
function compareNamedSchemas(teller: Teller): void {
  const pairs = [...paired(teller.before.schemas, teller.after.schemas, ({ name }) => name)]
  const gone = new Set(pairs.flatMap(({ old, now }) => (old && !now ? [old] : [])))
  const come = pairs.flatMap(({ old, now }) => (!old ? [now] : []))
  const few = gone.size * come.length <= 2500
  for (const now of come) {
    const old = few ? [...gone].find((one) => teller.schemas.isQuiet(one, now)) : undefined
    if (old) gone.delete(old)
    teller.tell(nowhere, {
      ...safe,
      kind: old ? 'renamed' : 'added',
      part: 'schema',
      name: now.name,
      ...(old && { was: old.name, is: now.name, before: old.at }),
      after: now.at,
    })
  }
  for (const old of gone)
    teller.tell(nowhere, {
      ...safe,
      kind: 'removed',
      part: 'schema',
      name: old.name,
      before: old.at,
    })
}
