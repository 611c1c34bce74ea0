import {
  operationName,
  type Contract,
  type Header,
  type MediaType,
  type Operation,
  type Response,
  type Schema,
} from '../contract/model'
import { referencedName } from '../contract/schemas'
import type { Location } from '../text/location'
import { isObject, isSame } from '../text/values'

export type ChangeKind = 'added' | 'removed' | 'changed'

/** One change between two contracts, in words, and where it is written in the newer one, or in the older if it is gone. */
export interface Change {
  kind: ChangeKind
  /** What it is about: an operation's or a schema's name, or the definition itself. */
  subject: string
  words: string
  at: Location
}

/** Schemas are followed into one another no further than this. */
const deepest = 12

/** What changed from one contract to another, in the order of the newer one. Equal contracts give nothing. */
export function compareContracts(before: Contract, after: Contract): Change[] {
  return new Comparison(before, after).run()
}

class Comparison {
  private readonly changes: Change[] = []

  constructor(
    private readonly before: Contract,
    private readonly after: Contract,
  ) {}

  run(): Change[] {
    const { before, after } = this
    this.text('The definition', '', 'title', before.title, after.title)
    this.text('The definition', '/info', 'version', before.version, after.version)
    this.text('The definition', '/info', 'description', before.description, after.description)
    this.lists(
      'The definition',
      '',
      'server',
      before.servers.map(({ url }) => url),
      after.servers.map(({ url }) => url),
    )
    this.operations(before.operations, after.operations)
    this.operations(before.webhooks, after.webhooks, 'webhook ')
    this.schemas()
    this.lists(
      'The definition',
      '',
      'security scheme',
      before.securitySchemes.map(({ name }) => name),
      after.securitySchemes.map(({ name }) => name),
    )
    return this.changes
  }

  private say(kind: ChangeKind, subject: string, words: string, at: Location): void {
    this.changes.push({ kind, subject, words, at })
  }

  private text(
    subject: string,
    at: Location,
    what: string,
    before: string | undefined,
    after: string | undefined,
  ): void {
    if (before === after) return
    if (before === undefined || before === '')
      this.say('added', subject, `${what} is now given`, at)
    else if (after === undefined || after === '')
      this.say('removed', subject, `${what} is no longer given`, at)
    else if (before.length + after.length > 80)
      this.say('changed', subject, `${what} is worded anew`, at)
    else this.say('changed', subject, `${what} is "${after}", was "${before}"`, at)
  }

  private lists(
    subject: string,
    at: Location,
    what: string,
    before: string[],
    after: string[],
  ): void {
    for (const name of after)
      if (!before.includes(name)) this.say('added', subject, `${what} ${name} is new`, at)
    for (const name of before)
      if (!after.includes(name)) this.say('removed', subject, `${what} ${name} is gone`, at)
  }

  private operations(before: Operation[], after: Operation[], prefix = ''): void {
    for (const { old, now } of paired(before, after, shapeOf)) {
      const name = prefix + operationName(now ?? old)
      if (!old) this.say('added', name, 'is new', now.at)
      else if (!now) this.say('removed', name, 'is gone', old.at)
      else this.operation(name, old, now)
    }
  }

  private operation(name: string, before: Operation, after: Operation): void {
    const { at } = after
    if (before.path !== after.path)
      this.say('changed', name, `path is written ${after.path}, was ${before.path}`, at)
    this.text(name, at, 'identifier', before.id, after.id)
    this.text(name, at, 'summary', before.summary, after.summary)
    this.text(name, at, 'description', before.description, after.description)
    if (!before.deprecated && after.deprecated) this.say('changed', name, 'is now deprecated', at)
    if (before.deprecated && !after.deprecated)
      this.say('changed', name, 'is no longer deprecated', at)
    this.lists(name, at, 'tag', before.tags, after.tags)
    this.headers(name, at, before.parameters, after.parameters, (p) => `${p.in} parameter`)
    if (!isSame(before.security, after.security)) {
      this.say(
        'changed',
        name,
        `asks for ${securityWords(after)}, asked for ${securityWords(before)}`,
        at,
      )
    }
    if (!before.body && after.body)
      this.say(
        'added',
        name,
        `a body is taken${after.body.required ? ', and required' : ''}`,
        after.body.at,
      )
    else if (before.body && !after.body) this.say('removed', name, 'a body is no longer taken', at)
    else if (before.body && after.body) {
      if (before.body.required !== after.body.required) {
        this.say(
          'changed',
          name,
          after.body.required ? 'the body is now required' : 'the body is no longer required',
          after.body.at,
        )
      }
      this.content(name, 'the body', after.body.at, before.body.content, after.body.content)
    }
    this.responses(name, at, before.responses, after.responses)
  }

  private headers<T extends Header>(
    name: string,
    at: Location,
    before: T[],
    after: T[],
    kind: (header: T) => string,
  ): void {
    const key = (header: T) => `${kind(header)} "${header.name}"`
    for (const { old, now } of paired(before, after, key)) {
      const what = key((now ?? old)!)
      if (!now) this.say('removed', name, `${what} is gone`, at)
      else if (!old)
        this.say('added', name, `${what} is new${now.required ? ', and required' : ''}`, now.at)
      else {
        if (old.required !== now.required) {
          const needed = now.required ? 'now' : 'no longer'
          this.say('changed', name, `${what} is ${needed} required`, now.at)
        }
        if (!old.deprecated && now.deprecated)
          this.say('changed', name, `${what} is now deprecated`, now.at)
        this.schema(name, what, now.at, old.schema, now.schema, 0)
      }
    }
  }

  private responses(name: string, at: Location, before: Response[], after: Response[]): void {
    for (const { old, now } of paired(before, after, ({ status }) => status)) {
      const what = `response ${(now ?? old).status}`
      if (!now) this.say('removed', name, `${what} is gone`, at)
      else if (!old) this.say('added', name, `${what} is new`, now.at)
      else {
        this.text(name, now.at, `description of ${what}`, old.description, now.description)
        this.headers(name, now.at, old.headers, now.headers, () => `${what} header`)
        this.content(name, what, now.at, old.content, now.content)
      }
    }
  }

  private content(
    name: string,
    what: string,
    at: Location,
    before: MediaType[],
    after: MediaType[],
  ): void {
    for (const { old, now } of paired(before, after, ({ type }) => type)) {
      if (!now) this.say('removed', name, `${what} may no longer be ${old.type}`, at)
      else if (!old) this.say('added', name, `${what} may be ${now.type}`, now.at)
      else this.schema(name, what, now.at, old.schema, now.schema, 0)
    }
  }

  private schemas(): void {
    for (const { old, now } of paired(
      this.before.schemas,
      this.after.schemas,
      ({ name }) => name,
    )) {
      if (!now) this.say('removed', old.name, 'schema is gone', old.at)
      else if (!old) this.say('added', now.name, 'schema is new', now.at)
      else this.schema(now.name, '', now.at, old.schema, now.schema, 0)
    }
  }

  /** Named schemas are compared once by themselves, so a reference is only a name here. */
  private schema(
    name: string,
    what: string,
    at: Location,
    before: Schema | undefined,
    after: Schema | undefined,
    depth: number,
  ): void {
    if (before === after || depth > deepest || JSON.stringify(before) === JSON.stringify(after))
      return
    const of = what === '' ? '' : `${what}: `
    const [old, now] = [this.typeWords(before), this.typeWords(after)]
    if (old !== now) {
      this.say('changed', name, `${of}is ${now}, was ${old}`, at)
    }
    if (!isObject(before) || !isObject(after)) return
    for (const keyword of constraints)
      this.keyword(name, of, at, keyword, before[keyword], after[keyword])
    this.text(
      name,
      at,
      `${of}description`,
      textOf(before['description']),
      textOf(after['description']),
    )
    this.properties(name, what, at, before, after, depth)
    this.schema(
      name,
      what === '' ? 'items' : `items of ${what}`,
      at,
      before['items'] as Schema | undefined,
      after['items'] as Schema | undefined,
      depth + 1,
    )
    for (const keyword of ['allOf', 'anyOf', 'oneOf']) {
      const [a, b] = [listOf(before[keyword]), listOf(after[keyword])]
      if (a.length !== b.length)
        this.say('changed', name, `${of}${keyword} has ${b.length} parts, had ${a.length}`, at)
      else b.forEach((part, i) => this.schema(name, what, at, a[i], part, depth + 1))
    }
  }

  private keyword(
    name: string,
    of: string,
    at: Location,
    keyword: string,
    before: unknown,
    after: unknown,
  ): void {
    if (isSame(before, after)) return
    if (keyword === 'enum') {
      const [a, b] = [listOf(before).map(String), listOf(after).map(String)]
      for (const value of b)
        if (!a.includes(value)) this.say('added', name, `${of}value "${value}" is new`, at)
      for (const value of a)
        if (!b.includes(value)) this.say('removed', name, `${of}value "${value}" is gone`, at)
    } else if (before === undefined)
      this.say('added', name, `${of}${keyword} is ${show(after)}`, at)
    else if (after === undefined)
      this.say('removed', name, `${of}${keyword} no longer asked (was ${show(before)})`, at)
    else this.say('changed', name, `${of}${keyword} is ${show(after)}, was ${show(before)}`, at)
  }

  private properties(
    name: string,
    what: string,
    at: Location,
    before: Record<string, unknown>,
    after: Record<string, unknown>,
    depth: number,
  ): void {
    const old = isObject(before['properties']) ? before['properties'] : {}
    const now = isObject(after['properties']) ? after['properties'] : {}
    const [wasRequired, isRequired] = [
      new Set(listOf(before['required'])),
      new Set(listOf(after['required'])),
    ]
    const label = (property: string) =>
      what === '' ? `property "${property}"` : `${what}, property "${property}"`
    for (const property of Object.keys(now)) {
      const required = isRequired.has(property as never)
      if (!Object.hasOwn(old, property)) {
        this.say('added', name, `${label(property)} is new${required ? ', and required' : ''}`, at)
        continue
      }
      if (wasRequired.has(property as never) !== required) {
        this.say(
          'changed',
          name,
          `${label(property)} is ${required ? 'now' : 'no longer'} required`,
          at,
        )
      }
      this.schema(
        name,
        label(property),
        at,
        old[property] as Schema,
        now[property] as Schema,
        depth + 1,
      )
    }
    for (const property of Object.keys(old)) {
      if (!Object.hasOwn(now, property)) this.say('removed', name, `${label(property)} is gone`, at)
    }
  }

  private typeWords(schema: Schema | undefined): string {
    if (schema === undefined) return 'nothing said'
    if (typeof schema === 'boolean') return schema ? 'anything' : 'nothing'
    const reference = schema['$ref']
    if (typeof reference === 'string') return referencedName(reference) ?? reference
    const type = schema['type']
    const format = textOf(schema['format'])
    const words = Array.isArray(type)
      ? [...(type as string[])].sort().join(' or ')
      : typeof type === 'string'
        ? type
        : 'any type'
    return format === undefined ? words : `${words} (${format})`
  }
}

/** Constraints that are told apart by their value alone. */
const constraints = [
  'enum',
  'const',
  'default',
  'pattern',
  'minLength',
  'maxLength',
  'minimum',
  'maximum',
  'exclusiveMinimum',
  'exclusiveMaximum',
  'multipleOf',
  'minItems',
  'maxItems',
  'uniqueItems',
  'minProperties',
  'maxProperties',
  'additionalProperties',
  'readOnly',
  'writeOnly',
  'deprecated',
]

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

/** Operations are the same if their method and the shape of their path are. */
const shapeOf = ({ method, path }: Operation) => `${method} ${path.replace(/\{[^}]*\}/g, '{}')}`
const listOf = (value: unknown): Schema[] => (Array.isArray(value) ? (value as Schema[]) : [])
const textOf = (value: unknown) => (typeof value === 'string' ? value : undefined)
const show = (value: unknown) => JSON.stringify(value).slice(0, 60)

function securityWords({ security }: Operation): string {
  if (security.length === 0) return 'no credentials'
  return security.map((item) => Object.keys(item).join(' and ') || 'nothing').join(', or ')
}
