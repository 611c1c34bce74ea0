import type { Contract, Operation, Schema, SchemaObject } from '../../contract/model'
import { everyOperation, schemasOf } from '../../contract/parts'
import { referencedName, resolveSchema } from '../../contract/schemas'
import type { Location } from '../../text/location'
import { pointerTo } from '../../text/pointer'
import { isObject, namesOf } from '../../text/values'
import type { Change } from '../../compare/model'
import type { Before } from '../before'
import { isRuntimeKind, type Circumstances, type RuntimeKind, type SubjectKind } from '../model'
import { changeFacts } from './change'
import {
  catalogShape,
  definitionFact,
  organisationShape,
  pathFacts,
  schemeFacts,
  serverFacts,
  tagFacts,
} from './definition'
import { Fact, listIn, type Estate, type FactType, type SchemaNode, type World } from './fact'
import { operationFact, webhookFact } from './operation'
import {
  exampleShape,
  propertyFact,
  schemaShape,
  type ExampleNode,
  type PropertyNode,
} from './schema'

/** What else a condition sees beside its subject: the parts around it, by name. */
const around: Partial<Record<SubjectKind, string[]>> = {
  operation: ['path'],
  parameter: ['operation'],
  requestBody: ['operation'],
  response: ['operation'],
  header: ['response', 'operation'],
  mediaType: ['response', 'requestBody', 'operation'],
  property: ['schema'],
  example: ['operation'],
  soapBinding: ['operation'],
}

/** Always there: the whole contract or the placement, what the register knows, and the organisation. */
const everywhere = (kind: SubjectKind) => [
  isRuntimeKind(kind) ? 'placement' : 'definition',
  'catalog',
  'organisation',
]

/** The names a condition about a kind of subject may use, in the order of {@link Subjects.frame}. */
export function scopeOf(kind: SubjectKind): Record<string, FactType> {
  const names = [...everywhere(kind), kind, ...(around[kind] ?? [])]
  return Object.fromEntries(names.map((name) => [name, { fact: name }]))
}

/** What is known about the definition from outside of it. */
export interface Surroundings {
  circumstances: Circumstances
  domain: string
  words: readonly string[]
  estate: Estate
  isWord?: ((word: string) => boolean) | undefined
  before?: Before | undefined
}

/** Is called for each subject; false ends it. */
type Visit = (fact: Fact) => boolean

/** Subjects that are made once and kept. */
type KeptKind = Exclude<SubjectKind, 'property' | RuntimeKind>

/** Subjects by kind, and what conditions about them see. */
export interface Frames {
  readonly world: World
  /** Goes through the subjects of a kind until `visit` says no. */
  each(kind: SubjectKind, visit: Visit): void
  /** The values of {@link scopeOf} for one subject, put into an array that may be used again. */
  fill(frame: unknown[], kind: SubjectKind, fact: Fact): void
}

/** The facts of one contract by kind, each made when it is first asked for. */
export class Subjects implements Frames {
  readonly world: World
  private readonly definition: Fact<Contract>
  private readonly fixed: unknown[]
  private readonly collected = new Map<SubjectKind, Fact[]>()
  private paths: Map<string, Fact> | undefined
  private readonly spoken: ReadonlyMap<string, string>

  constructor(
    private readonly contract: Contract,
    { circumstances, domain, words, estate, isWord, before }: Surroundings,
  ) {
    const schemas = new Map<object, Fact<SchemaNode>>()
    const names = new Map<Schema, { name: string; at: Location }>()
    const spoken = spokenNames(contract)
    this.spoken = spoken
    for (const { name, schema, at } of contract.schemas) {
      names.set(schema, { name: spoken.get(name) ?? name, at })
    }
    let uses: Map<string, number> | undefined
    let changes: readonly Change[] | undefined
    const world: World = {
      contract,
      circumstances,
      organisation: { domain, words: new Set(words.map((word) => word.toLowerCase())) },
      estate,
      isWord,
      before,
      changes: () => (changes ??= before?.changesTo(contract) ?? []),
      uses: (name) => (uses ??= countUses(contract, spoken)).get(name) ?? 0,
      placeOf: (schema, otherwise) =>
        (isObject(schema) ? contract.origins?.get(schema) : undefined) ?? otherwise,
      schema(schema, at, parent) {
        const target = resolveSchema(contract, schema)
        if (!isObject(target)) return null
        let fact = schemas.get(target)
        if (!fact) {
          const named = names.get(target)
          const place = named?.at ?? world.placeOf(target, at)
          const node = { name: named?.name ?? '', schema: target, at: place }
          fact = new Fact(schemaShape, node, place, world, node.name, named ? undefined : parent)
          schemas.set(target, fact)
        }
        return fact
      },
    }
    this.world = world
    this.definition = definitionFact(world)
    this.fixed = [
      this.definition,
      new Fact(catalogShape, circumstances, '', world),
      new Fact(organisationShape, world.organisation, '', world),
    ]
  }

  /** Every subject of a kind. Parts that several operations share are there once, where they are written. */
  private of(kind: KeptKind): Fact[] {
    let found = this.collected.get(kind)
    if (!found) this.collected.set(kind, (found = this.collect(kind)))
    return found
  }

  /** Goes through the subjects of a kind until `visit` says no. There are so many properties that they are not kept. */
  each(kind: SubjectKind, visit: Visit): void {
    if (kind === 'property') this.properties(visit)
    else if (!isRuntimeKind(kind)) this.of(kind).every(visit)
  }

  /** What the register knows, and the organisation. */
  known(): Fact[] {
    return this.fixed.slice(1) as Fact[]
  }

  fill(frame: unknown[], kind: SubjectKind, fact: Fact): void {
    for (let i = 0; i < this.fixed.length; i++) frame[i] = this.fixed[i]
    frame[this.fixed.length] = fact
    const names = around[kind]
    if (!names) return
    for (let i = 0; i < names.length; i++)
      frame[this.fixed.length + 1 + i] = this.nearest(fact, names[i]!)
  }

  private nearest(fact: Fact, name: string): Fact | null {
    if (name === 'path') return this.pathOf((fact.node as Operation).path)
    for (let above = fact.parent; above; above = above.parent) {
      if (above.shape.name === name) return above
      // What a webhook carries is seen as what an operation carries.
      if (name === 'operation' && above.shape.name === 'webhook') return above
    }
    return null
  }

  private pathOf(path: string): Fact | null {
    this.paths ??= new Map(this.of('path').map((fact) => [fact.own, fact]))
    return this.paths.get(path) ?? null
  }

  private collect(kind: KeptKind): Fact[] {
    const { contract, world } = this
    switch (kind) {
      case 'definition':
        return [this.definition]
      case 'server':
        return serverFacts(world)
      case 'tag':
        return tagFacts(world)
      case 'securityScheme':
        return schemeFacts(world)
      case 'path':
        return pathFacts(this.definition)
      case 'operation':
        return contract.operations.map((operation) => operationFact(this.definition, operation))
      case 'webhook': {
        const served = new Set(contract.operations)
        return [...everyOperation(contract)]
          .filter((operation) => !served.has(operation))
          .map((operation) => webhookFact(this.definition, operation))
      }
      case 'parameter':
        return this.partsOf('parameters')
      case 'requestBody':
        return this.partsOf('requestBody')
      case 'response':
        return this.partsOf('responses')
      case 'soapBinding':
        return this.of('operation').flatMap((operation) => listIn(operation, 'soap'))
      case 'header':
        return once(this.of('response').flatMap((response) => listIn(response, 'headers')))
      case 'mediaType':
        return once(
          [...this.of('requestBody'), ...this.of('response')].flatMap((part) =>
            listIn(part, 'content'),
          ),
        )
      case 'schema':
        return contract.schemas.flatMap(({ schema, at, declared }) =>
          declared ? (world.schema(schema, at) ?? []) : [],
        )
      case 'example':
        return this.examples()
      case 'change':
        return changeFacts(world)
    }
  }

  private partsOf(field: string): Fact[] {
    return once(
      [...this.of('operation'), ...this.of('webhook')].flatMap((owner) => listIn(owner, field)),
    )
  }

  private properties(visit: Visit, wanted?: (value: Schema) => boolean): void {
    for (const { name: own, schema, at: named, generic } of this.contract.schemas) {
      const name = this.spoken.get(own) ?? own
      // What a copy says is said where it was copied from.
      if (!isObject(schema) || generic !== undefined) continue
      const at = this.world.placeOf(schema, named)
      const fact = new Fact(schemaShape, { name, schema, at }, at, this.world, name)
      if (!propertiesBelow(fact, visit, wanted)) return
    }
    const seen = new Set<unknown>()
    for (const media of this.of('mediaType') as Fact<{ schema?: Schema; itemSchema?: Schema }>[]) {
      const { schema = media.node.itemSchema } = media.node
      if (!isObject(schema) || schema['$ref'] !== undefined || seen.has(schema)) continue
      seen.add(schema)
      const at = this.world.placeOf(
        schema,
        pointerTo(media.at, media.node.schema ? 'schema' : 'itemSchema'),
      )
      const fact = new Fact(schemaShape, { name: '', schema, at }, at, this.world, '', media)
      if (!propertiesBelow(fact, visit, wanted)) return
    }
  }

  private examples(): Fact[] {
    const carried = [...this.of('mediaType'), ...this.of('parameter'), ...this.of('header')]
    const ofSchemas = (this.of('schema') as Fact<SchemaNode>[]).flatMap((fact) =>
      examplesIn(fact.node.schema, fact.node.name, fact),
    )
    const ofProperties: Fact[] = []
    this.properties((property) => {
      const { name, value } = (property as Fact<PropertyNode>).node
      if (isObject(value)) ofProperties.push(...examplesIn(value, name, property))
      return true
    }, carriesExamples)
    const ofCarried = carried.flatMap((part) => listIn(part, 'examples'))
    return once([...ofCarried, ...ofSchemas, ...ofProperties])
  }
}

/** Parts that are written once and used often are judged once. */
function once(facts: Fact[]): Fact[] {
  const byPlace = new Map<string, Fact>()
  const more = new Set<string>()
  return facts.filter((fact) => {
    const first = byPlace.get(fact.at)
    if (!first) return byPlace.set(fact.at, fact)
    if (first.own === fact.own) return false
    const said = `${fact.own}\n${fact.at}`
    return !more.has(said) && more.add(said)
  })
}

const carriesExamples = (schema: Schema) =>
  isObject(schema) && (schema['examples'] !== undefined || schema['example'] !== undefined)

/**
 * Properties of a schema and of the objects written inside it, all or those whose values are `wanted`; references are
 * other schemas' business.
 */
function propertiesBelow(
  root: Fact<SchemaNode>,
  visit: Visit,
  wanted: (value: Schema) => boolean = () => true,
): boolean {
  const stack: { owner: Fact<SchemaNode>; schema: Record<string, unknown>; below: string }[] = [
    { owner: root, schema: root.node.schema, below: '' },
  ]
  while (stack.length > 0) {
    const { owner, schema, below } = stack.pop()!
    const { properties, items } = schema
    if (isObject(properties)) {
      const required = namesOf(schema['required'])
      for (const name in properties) {
        const value = properties[name] as Schema
        const inner = innerOf(value)
        const isWanted = wanted(value)
        if (!isWanted && !inner) continue
        const fact = propertyFact(owner, name, { value, required: required.includes(name), below })
        if (isWanted && !visit(fact)) return false
        if (inner) stack.push({ owner: innerFact(fact, inner), schema: inner.schema, below: '' })
      }
    }
    if (isObject(items)) stack.push({ owner, schema: items, below: `${below}/items` })
    for (const keyword of ['allOf', 'oneOf', 'anyOf']) {
      const parts = schema[keyword]
      if (!Array.isArray(parts)) continue
      parts.forEach((part, i) => {
        if (isObject(part)) stack.push({ owner, schema: part, below: `${below}/${keyword}/${i}` })
      })
    }
  }
  return true
}

interface Inner {
  schema: Record<string, unknown>
  step: '' | '/items'
}

function innerFact(property: Fact, { schema, step }: Inner): Fact<SchemaNode> {
  const at = property.world.placeOf(schema, `${property.at}${step}`)
  return new Fact(schemaShape, { name: '', schema, at }, at, property.world, '', property)
}

/** The object written inside of a property, directly or as the items of a list. */
function innerOf(value: Schema): Inner | undefined {
  if (!isObject(value)) return undefined
  if (isObject(value['properties']) || Array.isArray(value['allOf']))
    return { schema: value, step: '' }
  const items = value['items']
  return isObject(items) && isObject(items['properties'])
    ? { schema: items, step: '/items' }
    : undefined
}

/** The examples that a schema carries itself, as parts of what it is the schema of. */
function examplesIn(schema: SchemaObject, of: string, owner: Fact): Fact<ExampleNode>[] {
  const listed = Array.isArray(schema['examples']) ? (schema['examples'] as unknown[]) : []
  const single = schema['example'] === undefined ? [] : [schema['example']]
  const make = (value: unknown, own: string, steps: string[]) =>
    new Fact(
      exampleShape,
      { example: { name: own, value }, schema, of },
      pointerTo(owner.at, ...steps),
      owner.world,
      own,
      owner,
    )
  return [
    ...single.map((value) => make(value, 'example', ['example'])),
    ...listed.map((value, i) => make(value, `example${i + 1}`, ['examples', String(i)])),
  ]
}

/** Keywords that hold values, in which a reference is none. */
const values = new Set(['example', 'examples', 'default', 'enum', 'const'])

/**
 * What schemas are called that got their names from files: where a named schema is nothing but a reference to one, it is
 * that name that people know it by. A copy is known by the name of what it is a copy of.
 */
function spokenNames({ schemas }: Contract): Map<string, string> {
  const byFile = new Set(schemas.filter(({ declared }) => !declared).map(({ name }) => name))
  const spoken = new Map<string, string>()
  for (const { name, schema, declared, generic } of schemas) {
    if (generic !== undefined) spoken.set(name, generic)
    const reference = declared && isObject(schema) ? schema['$ref'] : undefined
    const target = typeof reference === 'string' ? referencedName(reference) : undefined
    if (target !== undefined && byFile.has(target) && !spoken.has(target)) spoken.set(target, name)
  }
  return spoken
}

/** How many places refer to each named schema, from operations and from other schemas. */
function countUses(contract: Contract, spoken: ReadonlyMap<string, string>): Map<string, number> {
  const named = (name: string) => spoken.get(name) ?? name
  const uses = new Map<string, number>()
  const count = (value: object, own: string | undefined) => {
    if (Array.isArray(value)) {
      for (const item of value)
        if (typeof item === 'object' && item !== null) count(item as object, own)
      return
    }
    const { $ref } = value as SchemaObject
    if (typeof $ref === 'string') {
      const target = referencedName($ref)
      const name = target && named(target)
      if (name !== undefined && name !== own) uses.set(name, (uses.get(name) ?? 0) + 1)
    }
    // Most schemas hold no other, which is seen faster without their keywords.
    if (!Object.values(value).some((inner) => typeof inner === 'object')) return
    for (const key in value) {
      const inner = (value as SchemaObject)[key]
      if (typeof inner === 'object' && inner !== null && !values.has(key)) count(inner, own)
    }
  }
  for (const operation of everyOperation(contract)) {
    for (const schema of schemasOf(operation)) if (isObject(schema)) count(schema, undefined)
  }
  for (const { name, schema, generic } of contract.schemas) {
    if (isObject(schema) && generic === undefined) count(schema, named(name))
  }
  return uses
}
