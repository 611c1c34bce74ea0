import { isObject } from '../text/values'
import type { Contract, Schema, SchemaObject } from './model'
import { everyOperation, mapOperation, schemasOf } from './parts'
import {
  everySchema,
  joined,
  mapSchema,
  referencedName,
  referencesIn,
  schemasByName,
} from './schemas'

/** Writing every reference out would make a text of more parts than this. */
const mostParts = 3_000_000

/** Why a contract is not dereferenced. */
export class TooManyParts extends Error {}

/** Names of schemas that reach themselves: they stay references, or they would never end. */
export function circularNames(contract: Contract): Set<string> {
  const edges = new Map(
    contract.schemas.map(({ name, schema }) => [name, [...referencesIn(schema)]]),
  )
  const circular = new Set<string>()
  const state = new Map<string, 'open' | 'done'>()
  for (const start of edges.keys()) {
    if (state.has(start)) continue
    const way: { name: string; next: number }[] = [{ name: start, next: 0 }]
    state.set(start, 'open')
    while (way.length > 0) {
      const here = way[way.length - 1]!
      const target = edges.get(here.name)?.[here.next++]
      if (target === undefined) {
        state.set(here.name, 'done')
        way.pop()
      } else if (state.get(target) === 'open') {
        for (let i = way.findIndex(({ name }) => name === target); i < way.length; i++)
          circular.add(way[i]!.name)
      } else if (!state.has(target) && edges.has(target)) {
        state.set(target, 'open')
        way.push({ name: target, next: 0 })
      }
    }
  }
  return circular
}

/** The names of schemas that discriminators tell apart (OpenAPI 3.1, section 4.8.25). */
function mappedNames(contract: Contract): Set<string> {
  const mapped = new Set<string>()
  const note = (schema: Schema) => {
    for (const { discriminator } of everySchema(schema)) {
      const mapping = isObject(discriminator) ? discriminator['mapping'] : undefined
      for (const target of isObject(mapping) ? Object.values(mapping) : []) {
        const name = typeof target === 'string' ? referencedName(target) : undefined
        if (name !== undefined) mapped.add(name)
      }
    }
  }
  for (const operation of everyOperation(contract)) schemasOf(operation).forEach(note)
  for (const { schema } of contract.schemas) note(schema)
  return mapped
}

/** A contract whose schema references are written out, all but those of schemas that reach themselves. */
export function dereference(contract: Contract): Contract {
  const circular = circularNames(contract)
  // What a discriminator names has to be found by its name.
  const kept = new Set([...circular, ...mappedNames(contract)])
  const byName = schemasByName(contract)
  const written = new Map<string, { schema: Schema; parts: number }>()
  let parts = 0

  const whole = (schema: Schema): Schema =>
    mapSchema(schema, (inner) => {
      parts++
      return spread(inner)
    })
  const spread = (schema: SchemaObject): Schema => {
    const reference = schema['$ref']
    const name = typeof reference === 'string' ? referencedName(reference) : undefined
    if (name === undefined || circular.has(name)) return schema
    return joined(schema, expanded(name))
  }
  const expanded = (name: string): Schema => {
    const known = written.get(name)
    if (known) {
      parts += known.parts
      if (parts > mostParts) throw new TooManyParts(tooMany)
      return known.schema
    }
    const before = parts
    const schema = whole(byName.get(name) ?? true)
    written.set(name, { schema, parts: parts - before })
    if (parts > mostParts) throw new TooManyParts(tooMany)
    return schema
  }

  const operations = contract.operations.map((operation) => mapOperation(operation, whole))
  const webhooks = contract.webhooks.map((operation) => mapOperation(operation, whole))
  const schemas = contract.schemas
    .filter(({ name }) => kept.has(name))
    .map((named) => ({ ...named, schema: whole(named.schema) }))
  return { ...contract, operations, webhooks, schemas }
}

const tooMany = `Written out, the definition would have more than ${mostParts.toLocaleString('en')} parts; take the bundled one`
