import type { Contract, NamedSchema, Schema, SchemaObject } from '../../contract/model'
import { mapOperation } from '../../contract/parts'
import {
  everySchema,
  identifiers,
  mapSchema,
  mapSubschemas,
  referencedName,
  referencesIn,
  schemaReference,
  schemasByName,
  withPart,
} from '../../contract/schemas'
import { freeName } from '../../text/names'
import type { Location } from '../../text/location'

/** What a document says of its dynamic references. References are the contract's own. */
export interface Bindings {
  /** What each schema with a dynamic reference asks for. */
  asked: Map<SchemaObject, Asked>
  /** What each resource offers, by anchor. */
  offered: Map<string, Map<string, string>>
  /** The resource of each schema that begins one. */
  bases: Map<SchemaObject, string>
}

interface Asked {
  /** Undefined where the reference is to be taken as it is written. */
  anchor: string | undefined
  /** What it leads to where no resource on the way offers the anchor. */
  target: string
}

/** What is offered by the resources on the way to a schema; what is further out counts. */
type Scope = ReadonlyMap<string, string>

const nothing: Scope = new Map()

/** Copies made of schemas; beyond that, what stands in them is what they say by themselves. */
const mostCopies = 1000

/**
 * Leads each dynamic reference to the schema it means (JSON Schema 2020-12, section 8.2.3.2). A schema that means
 * something else on different ways to it gets a copy for each, so that nothing after this has to know how it was reached.
 */
export function bindDynamic(
  contract: Contract,
  bindings: Bindings,
  resourceAt: (place: Location) => string,
): Contract {
  if (bindings.asked.size === 0) return contract
  return new Binding(contract, bindings, resourceAt).contract
}

/** A schema without what names it, or a part of it, for references. */
const unidentified = (schema: Schema) =>
  mapSchema(schema, (inner) => {
    for (const keyword of identifiers) Reflect.deleteProperty(inner, keyword)
    return inner
  })

class Binding {
  readonly contract: Contract
  private readonly byName: ReadonlyMap<string, Schema>
  private readonly named: ReadonlyMap<string, NamedSchema>
  /** The anchors that are asked for in a schema or in anything it refers to. */
  private readonly needs: ReadonlyMap<string, ReadonlySet<string>>
  private readonly copies = new Map<string, string>()
  private readonly made: NamedSchema[] = []

  constructor(
    contract: Contract,
    private readonly bindings: Bindings,
    private readonly resourceAt: (place: Location) => string,
  ) {
    this.byName = schemasByName(contract)
    this.named = new Map(contract.schemas.map((schema) => [schema.name, schema]))
    this.needs = needsOf(contract, bindings)
    const from = (at: Location) => {
      const base = resourceAt(at)
      const scope = this.entered(nothing, base)
      return (schema: Schema) => this.bound(schema, scope, base)
    }
    this.contract = {
      ...contract,
      operations: contract.operations.map((item) => mapOperation(item, from(item.at))),
      webhooks: contract.webhooks.map((item) => mapOperation(item, from(item.at))),
      schemas: contract.schemas.map((item) => ({ ...item, schema: from(item.at)(item.schema) })),
    }
    this.contract.schemas.push(...this.made)
  }

  private entered(scope: Scope, base: string): Scope {
    const offered = this.bindings.offered.get(base)
    return offered ? new Map([...offered, ...scope]) : scope
  }

  private bound(schema: Schema, scope: Scope, base: string): Schema {
    if (typeof schema === 'boolean') return schema
    const here = this.bindings.bases.get(schema) ?? base
    const within = here === base ? scope : this.entered(scope, here)
    const copy = mapSubschemas(schema, (inner) => this.bound(inner, within, here))
    if (typeof copy['$ref'] === 'string') copy['$ref'] = this.referenceIn(within, copy['$ref'])
    const asked = this.bindings.asked.get(schema)
    if (!asked) return copy
    const { $dynamicRef: _, ...rest } = copy
    const offered = asked.anchor === undefined ? undefined : within.get(asked.anchor)
    const target = this.referenceIn(within, this.straight(offered ?? asked.target))
    return rest['$ref'] === undefined ? { $ref: target, ...rest } : withPart(rest, { $ref: target })
  }

  /** The reference to what a named schema means on this way. */
  private referenceIn(scope: Scope, reference: string): string {
    const name = referencedName(reference)
    const named = name === undefined ? undefined : this.named.get(name)
    const needs = this.needs.get(name ?? '')
    if (!named || !needs?.size) return reference
    const base = this.resourceAt(named.at)
    const within = restricted(this.entered(scope, base), needs)
    const key = keyOf(named.name, within)
    if (key === keyOf(named.name, restricted(this.entered(nothing, base), needs))) return reference
    const known = this.copies.get(key)
    if (known !== undefined) return schemaReference(known)
    if (this.copies.size >= mostCopies) return reference
    const copy = freeName(
      [
        named.name,
        ...Array.from(within.values(), (target) => referencedName(this.straight(target))),
      ].join('_'),
      (candidate) => this.named.has(candidate) || this.made.some((made) => made.name === candidate),
    )
    this.copies.set(key, copy)
    const made = { ...named, name: copy, declared: false, generic: named.name }
    this.made.push(made)
    made.schema = unidentified(this.bound(named.schema, within, base))
    return schemaReference(copy)
  }

  /** Where a reference leads that may lead to nothing but another one. */
  private straight(reference: string): string {
    const schema = this.byName.get(referencedName(reference) ?? '')
    if (typeof schema !== 'object' || typeof schema['$ref'] !== 'string') return reference
    const isAlone = Object.keys(schema).every((key) => key === '$ref' || isIdentifier(key))
    return isAlone ? schema['$ref'] : reference
  }
}

const isIdentifier = (key: string) => (identifiers as readonly string[]).includes(key)

const restricted = (scope: Scope, needs: ReadonlySet<string>): Scope =>
  new Map([...scope].filter(([anchor]) => needs.has(anchor)).sort(([a], [b]) => (a < b ? -1 : 1)))

const keyOf = (name: string, scope: Scope) => JSON.stringify([name, ...scope])

function needsOf(
  { schemas }: Contract,
  { asked, offered }: Bindings,
): Map<string, ReadonlySet<string>> {
  const needs = new Map<string, Set<string>>()
  const leads = new Map<string, Set<string>>()
  const everyOffer = (anchor: string) =>
    Array.from(offered.values(), (resource) => resource.get(anchor) ?? '')
  for (const { name, schema } of schemas) {
    const own = new Set<string>()
    const targets = referencesIn(schema)
    for (const inner of everySchema(schema)) {
      const { anchor, target } = asked.get(inner) ?? {}
      if (target === undefined) continue
      if (anchor !== undefined) own.add(anchor)
      for (const reference of [target, ...(anchor === undefined ? [] : everyOffer(anchor))]) {
        const lead = referencedName(reference)
        if (lead !== undefined) targets.add(lead)
      }
    }
    leads.set(name, targets)
    needs.set(name, own)
  }
  for (let grows = true; grows;) {
    grows = false
    for (const [name, targets] of leads) {
      const own = needs.get(name)!
      const before = own.size
      for (const target of targets) needs.get(target)?.forEach((anchor) => own.add(anchor))
      if (own.size > before) grows = true
    }
  }
  return needs
}
