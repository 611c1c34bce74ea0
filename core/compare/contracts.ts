import {
  operationName,
  type Body,
  type Contract,
  type Header,
  type MediaType,
  type Operation,
  type Parameter,
  type Response,
  type Schema,
} from '../contract/model'
import { sampleValue } from '../contract/samples'
import type { Location } from '../text/location'
import { isSame } from '../text/values'
import type { Change, ChangeKind, Direction, Effect, Part, Witness } from './model'
import { SchemaComparison, type SchemaChange } from './schemas'
import { witnessOf } from './witness'

/** What changed from one contract to another, whatever formats they were read from. Equal contracts give nothing. */
export const compareContracts = (before: Contract, after: Contract): Change[] =>
  new Comparison(before, after).run()

/** Operations are the same if their method and the shape of their path are. */
const shapeOf = ({ method, path }: Operation) => `${method} ${path.replace(/\{[^}]*\}/g, '{}')}`

type Pair<T> = { old: T; now: T } | { old: undefined; now: T } | { old: T; now: undefined }

/** Parts of two lists that are the same by their key, in the order of the newer one, and then what is gone. */
function* paired<T>(before: T[], after: T[], keyOf: (part: T) => string): Generator<Pair<T>> {
  const known = new Map(before.map((part) => [keyOf(part), part]))
  for (const now of after) {
    const key = keyOf(now)
    const old = known.get(key)
    known.delete(key)
    yield { old, now } as Pair<T>
  }
  for (const old of known.values()) yield { old, now: undefined }
}

/** Where in a contract changes are looked for, and which way messages go there. */
interface Here {
  operation: string
  /** Whether the other side calls: for webhooks and callbacks. */
  turned: boolean
  method: string
  path: string
}

interface Told {
  effect: Effect
  direction: Direction
  kind: ChangeKind
  part: Part
  name?: string
  keyword?: string
  was?: unknown
  is?: unknown
  before?: Location | undefined
  after?: Location | undefined
  witness?: Witness | undefined
  undecided?: string
}

/** Steps that looking for witnesses may take in one comparison. */
const mostLooking = 1_000_000

/** What a change of values comes to. */
interface Judged {
  effect: Effect
  witness?: Witness
  undecided?: string
}

const nowhere: Here = { operation: '', turned: false, method: '', path: '' }
const safe = { effect: 'safe', direction: 'none' } as const

class Comparison {
  private readonly changes: Change[] = []
  private readonly schemas: SchemaComparison
  private readonly looking = { left: mostLooking }
  private readonly worded = new Set<object>()

  constructor(
    private readonly before: Contract,
    private readonly after: Contract,
  ) {
    this.schemas = new SchemaComparison(before, after)
  }

  run(): Change[] {
    const { before, after } = this
    for (const keyword of ['title', 'version', 'summary', 'description', 'termsOfService'] as const)
      this.said(
        nowhere,
        'definition',
        '',
        keyword,
        before[keyword],
        after[keyword],
        '/info',
        '/info',
      )
    for (const keyword of ['contact', 'license', 'externalDocs'] as const)
      this.said(
        nowhere,
        'definition',
        '',
        keyword,
        before[keyword],
        after[keyword],
        '/info',
        '/info',
      )
    this.servers()
    this.operations(before.operations, after.operations, 'operation')
    this.operations(before.webhooks, after.webhooks, 'webhook')
    this.schemes()
    this.unused()
    return this.changes
  }

  private tell({ operation }: Here, told: Told): void {
    const { name = '', keyword = '', before, after, witness, ...rest } = told
    this.changes.push({
      ...rest,
      operation,
      name,
      keyword,
      path: [],
      ...(before !== undefined && { before }),
      ...(after !== undefined && { after }),
      ...(witness && { witness }),
    })
  }

  /** Words that changed: nobody's program notices. */
  private said(
    here: Here,
    part: Part,
    name: string,
    keyword: string,
    was: unknown,
    is: unknown,
    before: Location,
    after: Location,
  ): void {
    const [a, b] = [empty(was), empty(is)]
    if (isSame(a, b)) return
    const kind = a === undefined ? 'added' : b === undefined ? 'removed' : 'changed'
    this.tell(here, { ...safe, kind, part, name, keyword, was: a, is: b, before, after })
  }

  private servers(): void {
    for (const { old, now } of paired(this.before.servers, this.after.servers, ({ url }) => url)) {
      if (!old)
        this.tell(nowhere, {
          ...safe,
          direction: 'request',
          kind: 'added',
          part: 'server',
          name: now.url,
          after: now.at,
        })
      else if (!now)
        this.tell(nowhere, {
          effect: 'risky',
          direction: 'request',
          kind: 'removed',
          part: 'server',
          name: old.url,
          before: old.at,
          undecided: 'whether it still answers is known to gateways alone',
        })
      else
        this.said(
          nowhere,
          'server',
          now.url,
          'description',
          old.description,
          now.description,
          old.at,
          now.at,
        )
    }
  }

  private operations(
    before: Operation[],
    after: Operation[],
    part: 'operation' | 'webhook' | 'callback',
    above = '',
  ): void {
    for (const { old, now } of paired(before, after, shapeOf)) {
      const named = operationName(now ?? old)
      const operation = above || (part === 'webhook' ? `webhook ${named}` : named)
      const { method, path } = old ?? now
      const here: Here = {
        operation,
        turned: part !== 'operation',
        method: method.toUpperCase(),
        path,
      }
      // Who is called by a webhook has to take one more message; who calls loses nothing by one more operation.
      if (!old)
        this.tell(here, {
          effect: here.turned ? 'risky' : 'safe',
          direction: here.turned ? 'request' : 'none',
          kind: 'added',
          part,
          name: named,
          after: now.at,
          ...(here.turned && { undecided: 'whether receivers take it is not known here' }),
        })
      else if (!now)
        this.tell(here, {
          effect: here.turned ? 'risky' : 'breaking',
          direction: 'both',
          kind: 'removed',
          part,
          name: named,
          before: old.at,
          ...(here.turned
            ? { undecided: 'whether receivers wait for it is not known here' }
            : { witness: this.requestOf(here, old, {}) }),
        })
      else this.operation(here, old, now)
    }
  }

  private operation(here: Here, old: Operation, now: Operation): void {
    const at = [old.at, now.at] as const
    if (old.path !== now.path)
      this.tell(here, {
        ...safe,
        kind: 'changed',
        part: 'operation',
        keyword: 'path',
        was: old.path,
        is: now.path,
        before: old.at,
        after: now.at,
      })
    for (const keyword of ['id', 'summary', 'description', 'tags', 'externalDocs'] as const)
      this.said(here, 'operation', '', keyword, old[keyword], now[keyword], ...at)
    this.said(here, 'operation', '', 'deprecated', old.deprecated, now.deprecated, ...at)
    this.parameters(here, old, now)
    this.body(here, old, now)
    this.responses(here, old, now)
    this.security(here, old, now)
    this.soap(here, old, now)
    for (const { old: was, now: is } of paired(
      old.callbacks,
      now.callbacks,
      ({ name, expression }) => `${name} ${expression}`,
    ))
      this.operations(was?.operations ?? [], is?.operations ?? [], 'callback', here.operation)
  }

  private parameters(here: Here, old: Operation, now: Operation): void {
    // A path parameter may be called otherwise: it is known by its place.
    const order = (operation: Operation) =>
      [...operation.path.matchAll(/\{([^}]*)\}/g)].map(([, name]) => name)
    const [orderOld, orderNow] = [order(old), order(now)]
    const keyIn = (names: (string | undefined)[]) => (parameter: Parameter) =>
      parameter.in === 'path' && names.includes(parameter.name)
        ? `path ${names.indexOf(parameter.name)}`
        : `${parameter.in} ${parameter.in === 'header' ? parameter.name.toLowerCase() : parameter.name}`
    const known = new Map(
      old.parameters.map((parameter) => [keyIn(orderOld)(parameter), parameter]),
    )
    for (const is of now.parameters) {
      const key = keyIn(orderNow)(is)
      const was = known.get(key)
      known.delete(key)
      if (was) this.parameter(here, { old, was, is })
      else {
        const required = is.required && is.in !== 'path'
        this.message(
          here,
          'request',
          {
            kind: 'added',
            part: 'parameter',
            name: `${is.in} ${is.name}`,
            keyword: '',
            after: is.at,
            is: is.required,
          },
          required ? () => this.requestOf(here, old, {}) : undefined,
        )
      }
    }
    for (const was of known.values())
      this.tell(here, {
        effect: 'risky',
        direction: 'request',
        kind: 'removed',
        part: 'parameter',
        name: `${was.in} ${was.name}`,
        before: was.at,
        undecided: 'what is sent in it has no meaning any more',
      })
  }

  private parameter(
    here: Here,
    { old, was, is }: { old: Operation; was: Parameter; is: Parameter },
  ): void {
    const name = `${is.in} ${is.name}`
    const at = { before: was.at, after: is.at }
    if (was.name !== is.name && was.in === 'path')
      this.tell(here, {
        ...safe,
        kind: 'changed',
        part: 'parameter',
        name,
        keyword: 'name',
        was: was.name,
        is: is.name,
        ...at,
      })
    if (was.required !== is.required)
      this.message(
        here,
        'request',
        {
          kind: 'changed',
          part: 'parameter',
          name,
          keyword: 'required',
          was: was.required,
          is: is.required,
          ...at,
        },
        is.required ? () => this.requestOf(here, old, {}, was.name) : undefined,
      )
    for (const keyword of ['style', 'explode', 'allowReserved', 'allowEmptyValue'] as const)
      if (was[keyword] !== is[keyword])
        this.tell(here, {
          effect: 'risky',
          direction: 'request',
          kind: 'changed',
          part: 'parameter',
          name,
          keyword,
          was: was[keyword],
          is: is[keyword],
          ...at,
          undecided: 'the same value may be written in another way',
        })
    for (const keyword of ['description', 'deprecated', 'examples'] as const)
      this.said(here, 'parameter', name, keyword, was[keyword], is[keyword], was.at, is.at)
    this.values(
      here,
      'request',
      {
        part: 'parameter',
        name,
        was: was.schema ?? was.content?.[0]?.schema,
        is: is.schema ?? is.content?.[0]?.schema,
        ...at,
      },
      (value) => this.requestOf(here, old, { [was.name]: value }),
    )
  }

  private body(here: Here, old: Operation, now: Operation): void {
    const [was, is] = [old.body, now.body]
    if (!was && !is) return
    if (!was) {
      this.message(
        here,
        'request',
        { kind: 'added', part: 'body', keyword: '', is: is!.required, after: is!.at },
        is!.required ? () => this.requestOf(here, old, {}) : undefined,
      )
      return
    }
    if (!is) {
      this.tell(here, {
        effect: 'risky',
        direction: 'request',
        kind: 'removed',
        part: 'body',
        before: was.at,
        undecided: 'what is sent in it has no meaning any more',
      })
      return
    }
    if (was.required !== is.required)
      this.message(
        here,
        'request',
        {
          kind: 'changed',
          part: 'body',
          keyword: 'required',
          was: was.required,
          is: is.required,
          before: was.at,
          after: is.at,
        },
        is.required ? () => this.requestOf(here, { ...old, body: undefined }, {}) : undefined,
      )
    this.said(here, 'body', '', 'description', was.description, is.description, was.at, is.at)
    this.content(
      here,
      'request',
      'request body',
      was,
      is,
      (_, value) => ({ request: { ...this.requestOf(here, old, {}).request, body: value } }),
      (media) => this.requestOf(here, { ...old, body: { ...was, content: [media] } }, {}),
    )
  }

  private responses(here: Here, old: Operation, now: Operation): void {
    for (const { old: was, now: is } of paired(
      old.responses,
      now.responses,
      ({ status }) => status,
    )) {
      const { status } = is ?? was
      if (!was)
        this.tell(here, {
          effect: 'risky',
          direction: 'response',
          kind: 'added',
          part: 'response',
          name: status,
          after: is.at,
          undecided: 'whether clients know what to do with it is not known here',
        })
      else if (!is)
        this.tell(here, {
          ...safe,
          direction: 'response',
          kind: 'removed',
          part: 'response',
          name: status,
          before: was.at,
        })
      else this.response(here, was, is)
    }
  }

  private response(here: Here, was: Response, is: Response): void {
    const { status } = is
    for (const keyword of ['description', 'summary', 'links'] as const)
      this.said(here, 'response', status, keyword, was[keyword], is[keyword], was.at, is.at)
    for (const { old, now } of paired(was.headers, is.headers, ({ name }) => name.toLowerCase())) {
      const name = `${status} ${(now ?? old).name}`
      if (!old)
        this.tell(here, {
          ...safe,
          direction: 'response',
          kind: 'added',
          part: 'header',
          name,
          after: now.at,
        })
      else if (!now)
        this.message(
          here,
          'response',
          { kind: 'removed', part: 'header', name, keyword: '', before: old.at },
          () => ({ response: { status, headers: {} } }),
          old.required,
        )
      else this.header(here, name, status, old, now)
    }
    const responseOf = (body: unknown): Witness => ({ response: { status, body } })
    this.content(
      here,
      'response',
      `response ${status}`,
      was,
      is,
      (_, body) => responseOf(body),
      (media) => responseOf(sampleValue(this.after, media.schema)),
    )
  }

  private header(here: Here, name: string, status: string, old: Header, now: Header): void {
    const at = { before: old.at, after: now.at }
    if (old.required !== now.required)
      this.message(
        here,
        'response',
        {
          kind: 'changed',
          part: 'header',
          name,
          keyword: 'required',
          was: old.required,
          is: now.required,
          ...at,
        },
        now.required ? undefined : () => ({ response: { status, headers: {} } }),
      )
    for (const keyword of ['description', 'deprecated'] as const)
      this.said(here, 'header', name, keyword, old[keyword], now[keyword], old.at, now.at)
    this.values(
      here,
      'response',
      { part: 'header', name, was: old.schema, is: now.schema, ...at },
      (value) => ({ response: { status, headers: { [now.name]: value } } }),
    )
  }

  /** Media types and what is in them; a range takes what is in it. */
  private content(
    here: Here,
    way: 'request' | 'response',
    name: string,
    was: Body | Response,
    is: Body | Response,
    witnessed: (media: MediaType, value: unknown) => Witness,
    whole: (media: MediaType) => Witness,
  ): void {
    // What is the same in several media types is said once.
    const seen = new Set<object | string>()
    const typeOf = ({ type }: MediaType) => type.toLowerCase().replace(/\s*;.*$/, '')
    for (const { old, now } of paired(was.content, is.content, typeOf)) {
      const told = {
        part: 'media type' as const,
        name: `${name} ${(now ?? old).type}`,
        keyword: '',
      }
      const covered = (type: string, list: MediaType[]) =>
        list.some((media) => covers(typeOf(media), type))
      if (!old) {
        const isNew = !covered(typeOf(now), was.content)
        this.message(
          here,
          way,
          { ...told, kind: 'added', after: now.at },
          way === 'response' && isNew && was.content.length > 0 ? () => whole(now) : undefined,
        )
      } else if (!now) {
        const isGone = !covered(typeOf(old), is.content)
        this.message(
          here,
          way,
          { ...told, kind: 'removed', before: old.at },
          way === 'request' && isGone ? () => whole(old) : undefined,
        )
      } else {
        this.values(
          here,
          way,
          {
            part: 'value',
            name,
            was: old.schema ?? old.itemSchema,
            is: now.schema ?? now.itemSchema,
            before: old.at,
            after: now.at,
          },
          (value) => witnessed(now, value),
          seen,
        )
        this.said(
          here,
          'media type',
          told.name,
          'examples',
          old.examples,
          now.examples,
          old.at,
          now.at,
        )
        if (!isSame(old.encoding.map(bare), now.encoding.map(bare)))
          this.tell(here, {
            effect: 'risky',
            direction: way,
            kind: 'changed',
            ...told,
            keyword: 'encoding',
            before: old.at,
            after: now.at,
            undecided: 'parts may be written in another way',
          })
      }
    }
  }

  /** Something that breaks one side where there is a witness, and nobody where there is none. */
  private message(
    here: Here,
    way: 'request' | 'response',
    told: Omit<Told, 'effect' | 'direction'>,
    witness: (() => Witness) | undefined,
    breaks = witness !== undefined,
  ): void {
    const direction = here.turned ? turned(way) : way
    this.tell(
      here,
      breaks && witness
        ? { ...told, effect: 'breaking', direction, witness: witness() }
        : { ...told, effect: 'safe', direction },
    )
  }

  /** Changes of the values that go one way: those that were taken, or that are given. */
  private values(
    here: Here,
    way: 'request' | 'response',
    {
      part,
      name,
      was,
      is,
      before,
      after,
    }: {
      part: Part
      name: string
      was: Schema | undefined
      is: Schema | undefined
      before: Location
      after: Location
    },
    witnessed: (value: unknown) => Witness,
    seen = new Set<object | string>(),
  ): void {
    const direction = here.turned ? turned(way) : way
    for (const change of this.schemas.compare(was, is)) {
      const { kind, path, keyword } = change
      const isWords =
        !change.narrows &&
        !change.widens &&
        change.undecided === undefined &&
        keyword !== 'property'
      // Other words of a shared schema are said where it is met first.
      const told = isWords ? this.worded : seen
      if (told.has(change.id)) continue
      told.add(change.id)
      const same = JSON.stringify([path, keyword, change.was, change.is])
      if (seen.has(same)) continue
      seen.add(same)
      const judged = isWords
        ? ({ effect: 'safe' } as Judged)
        : this.judged(change, way, was, is, witnessed)
      this.changes.push({
        effect: judged.effect,
        direction: isWords ? 'none' : direction,
        kind,
        operation: here.operation,
        part,
        name,
        path,
        keyword,
        ...('was' in change && { was: change.was }),
        ...('is' in change && { is: change.is }),
        before,
        after,
        ...(judged.witness && { witness: judged.witness }),
        ...(judged.undecided !== undefined && { undecided: judged.undecided }),
      })
    }
  }

  /** A change breaks only where a value shows it; where one should and none was found, it is risky. */
  private judged(
    change: SchemaChange,
    way: 'request' | 'response',
    was: Schema | undefined,
    is: Schema | undefined,
    witnessed: (value: unknown) => Witness,
  ): Judged {
    const { narrows, widens, undecided } = change
    const hurts = way === 'request' ? narrows : widens
    if (!hurts && undecided === undefined) return { effect: 'safe' }
    const [old, now] = [
      { contract: this.before, schema: was },
      { contract: this.after, schema: is },
    ]
    // What is described no longer may still be sent, and nobody sends something else under its name.
    if (undecided !== undefined && change.keyword === 'property')
      return { effect: 'risky', undecided }
    const found =
      way === 'request'
        ? witnessOf(change, old, now, this.looking)
        : witnessOf(change, now, old, this.looking)
    if (found === 'too much work')
      return {
        effect: 'risky',
        undecided: undecided ?? 'looking for a value that shows it took too long',
      }
    if (found) return { effect: 'breaking', witness: witnessed(found.value) }
    return { effect: 'risky', undecided: undecided ?? 'no value was found that shows it' }
  }

  private security(here: Here, old: Operation, now: Operation): void {
    const written = (list: Operation['security']) =>
      list.map((one) => JSON.stringify(Object.entries(one).sort()))
    const [a, b] = [written(old.security), written(now.security)]
    if (isSame([...a].sort(), [...b].sort())) return
    const isOpen = (list: string[]) => list.length === 0 || list.includes('[]')
    // Whoever came in by one way can still do so where each of the old ways is still there, or nothing is asked.
    const keeps = isOpen(b) || (!isOpen(a) && a.every((one) => b.includes(one)))
    const told = {
      kind: 'changed' as const,
      part: 'credentials' as const,
      was: old.security,
      is: now.security,
      before: old.at,
      after: now.at,
    }
    this.message(here, 'request', told, keeps ? undefined : () => this.requestOf(here, old, {}))
  }

  private soap(here: Here, old: Operation, now: Operation): void {
    for (const { old: was, now: is } of paired(
      old.soap ?? [],
      now.soap ?? [],
      ({ version }) => version,
    )) {
      const told = {
        part: 'SOAP binding' as const,
        name: (is ?? was).version,
        before: old.at,
        after: now.at,
      }
      if (!was) this.tell(here, { ...safe, direction: 'request', kind: 'added', ...told })
      else if (!is)
        this.tell(here, {
          effect: 'breaking',
          direction: 'both',
          kind: 'removed',
          ...told,
          witness: this.requestOf(here, old, {}),
        })
      else
        for (const keyword of ['action', 'style', 'use', 'headers'] as const)
          if (!isSame(was[keyword], is[keyword]))
            this.tell(here, {
              effect: 'breaking',
              direction: 'request',
              kind: 'changed',
              ...told,
              keyword,
              was: was[keyword],
              is: is[keyword],
              witness: this.requestOf(here, old, {}),
            })
    }
  }

  private schemes(): void {
    for (const { old, now } of paired(
      this.before.securitySchemes,
      this.after.securitySchemes,
      ({ name }) => name,
    )) {
      const name = (now ?? old).name
      if (!old)
        this.tell(nowhere, { ...safe, kind: 'added', part: 'security scheme', name, after: now.at })
      else if (!now)
        this.tell(nowhere, {
          ...safe,
          kind: 'removed',
          part: 'security scheme',
          name,
          before: old.at,
        })
      else
        for (const keyword of [
          'type',
          'in',
          'parameterName',
          'scheme',
          'bearerFormat',
          'openIdConnectUrl',
          'flows',
        ] as const)
          if (!isSame(old[keyword], now[keyword]))
            this.tell(nowhere, {
              effect: 'risky',
              direction: 'request',
              kind: 'changed',
              part: 'security scheme',
              name,
              keyword,
              was: old[keyword],
              is: now[keyword],
              before: old.at,
              after: now.at,
              undecided: 'whether credentials of before still work is known to their issuer alone',
            })
    }
  }

  /** Named schemas that came or went; what changed in them stands at the operations that use them. */
  private unused(): void {
    for (const { old, now } of paired(
      this.before.schemas,
      this.after.schemas,
      ({ name }) => name,
    )) {
      if (!old)
        this.tell(nowhere, {
          ...safe,
          kind: 'added',
          part: 'schema',
          name: now.name,
          after: now.at,
        })
      else if (!now)
        this.tell(nowhere, {
          ...safe,
          kind: 'removed',
          part: 'schema',
          name: old.name,
          before: old.at,
        })
    }
  }

  /** A request that the older version takes. */
  private requestOf(
    { method, path }: Here,
    operation: Operation,
    values: Record<string, unknown>,
    without?: string,
  ): Extract<Witness, { request: unknown }> {
    const parameters: Record<string, unknown> = {}
    for (const { name, required, schema } of operation.parameters)
      if (name !== without && (name in values || required))
        parameters[name] = values[name] ?? sampleValue(this.before, schema)
    const [media] = operation.body?.content ?? []
    const body = media && sampleValue(this.before, media.schema)
    return {
      request: {
        method,
        path,
        ...(Object.keys(parameters).length > 0 && { parameters }),
        ...(body !== undefined && { body }),
      },
    }
  }
}

const turned = (way: 'request' | 'response') => (way === 'request' ? 'response' : 'request')
const bare = ({ at: _, ...encoding }: MediaType['encoding'][number]) => encoding
const empty = (value: unknown) =>
  value === '' || value === false || (Array.isArray(value) && value.length === 0)
    ? undefined
    : value

/** Whether a media type or range takes another one. */
const covers = (range: string, type: string) =>
  range === type || range === '*/*' || (range.endsWith('/*') && type.startsWith(range.slice(0, -1)))
