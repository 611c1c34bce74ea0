import { isObject } from '../text/values'
import type { QualifiedName, Schema, SchemaObject } from './model'
import { typesOf, wholeSchema, type WithSchemas } from './schemas'

/** How a schema says that it is written in XML (OpenAPI 3.1, section 4.8.26). */
export const xmlOf = (schema: Schema | undefined): Record<string, unknown> =>
  isObject(schema) && isObject(schema['xml']) ? schema['xml'] : {}

/** A member of an object as XML has it. */
export interface XmlMember {
  /** What it is called in the object. */
  name: string
  kind: 'element' | 'attribute' | 'text'
  element: QualifiedName
  schema: Schema
}

/** How values of a schema stand in XML; worked out once for each schema of a contract. */
export interface XmlShape {
  types: readonly string[]
  /** Types of the value and of its parts that stand for it. */
  scalarTypes: readonly string[]
  /** Whether a list stands in one text, with spaces between its items. */
  isTextList: boolean
  /** The schema of the items where a value is a list, each with an element of its own; undefined where it is none. */
  items: Schema | undefined
  /** Elements that may stand in the place of one (XML Schema part 1, section 2.2.2.2), by their names. */
  substitutes: readonly { element: QualifiedName; schema: Schema }[]
  /**
   * The members of an object in the order that its elements have in XML, those of its allOf among them. What has no
   * namespace of its own is in that of the type that declares it, or else in that of the element around it.
   */
  membersIn: (around: string) => readonly XmlMember[]
}

const shapes = new WeakMap<WithSchemas, WeakMap<object, XmlShape>>()

export function xmlShape(contract: WithSchemas, given: Schema | undefined): XmlShape {
  if (!isObject(given)) return noShape
  let known = shapes.get(contract)
  if (!known) shapes.set(contract, (known = new WeakMap()))
  let shape = known.get(given)
  if (!shape) known.set(given, (shape = makeShape(contract, given)))
  return shape
}

const noShape: XmlShape = {
  types: [],
  scalarTypes: [],
  isTextList: false,
  items: undefined,
  substitutes: [],
  membersIn: () => [],
}

function makeShape(contract: WithSchemas, given: Schema): XmlShape {
  const schema = wholeSchema(contract, given)
  if (!isObject(schema)) return noShape
  const types = typesOf(schema)
  const isTextList = schema['x-xml-list'] === true
  const items = (schema['items'] as Schema | undefined) ?? true
  const members = new Map<string, readonly XmlMember[]>()
  return {
    types,
    scalarTypes: isTextList ? scalarTypesOf(contract, items) : scalarTypesOf(contract, schema),
    isTextList,
    items: types.includes('array') && !isTextList ? items : undefined,
    substitutes: substitutesOf(contract, schema),
    membersIn(around) {
      let found = members.get(around)
      if (!found) {
        const collected = new Map<string, XmlMember>()
        collect(contract, given, around, collected)
        members.set(around, (found = [...collected.values()]))
      }
      return found
    },
  }
}

/** Types of a schema and of what it is one of. */
function scalarTypesOf(contract: WithSchemas, given: Schema | undefined, depth = 0): string[] {
  const schema = wholeSchema(contract, given)
  if (!isObject(schema) || depth > 8) return []
  const parts = [schema['anyOf'], schema['oneOf'], schema['allOf']].flatMap((list) =>
    Array.isArray(list) ? (list as Schema[]) : [],
  )
  return [...typesOf(schema), ...parts.flatMap((part) => scalarTypesOf(contract, part, depth + 1))]
}

function collect(
  contract: WithSchemas,
  given: Schema | undefined,
  around: string,
  found: Map<string, XmlMember>,
): void {
  const schema = wholeSchema(contract, given)
  if (!isObject(schema)) return
  const { allOf, properties } = schema
  const said = xmlOf(schema)['namespace']
  const space = typeof said === 'string' ? said : around
  if (Array.isArray(allOf))
    for (const part of allOf as Schema[]) collect(contract, part, space, found)
  for (const [name, property] of Object.entries(isObject(properties) ? properties : {})) {
    const hints = xmlOf(property as Schema)
    const namespace = typeof hints['namespace'] === 'string' ? hints['namespace'] : space
    found.set(name, {
      name,
      kind:
        hints['attribute'] === true
          ? 'attribute'
          : hints['nodeType'] === 'text'
            ? 'text'
            : 'element',
      element: { namespace, name: typeof hints['name'] === 'string' ? hints['name'] : name },
      schema: property as Schema,
    })
  }
}

function substitutesOf(contract: WithSchemas, schema: SchemaObject): XmlShape['substitutes'] {
  const choices = schema['anyOf'] ?? schema['oneOf']
  if (!Array.isArray(choices)) return []
  return (choices as Schema[]).flatMap((choice) => {
    if (!isObject(choice) || typeof choice['title'] !== 'string' || choice['title'] === '')
      return []
    const namespace = namespaceOf(contract, choice)
    return [{ element: { namespace, name: choice['title'] }, schema: choice }]
  })
}

/** The namespace that a schema names, itself or by what it consists of. */
function namespaceOf(contract: WithSchemas, given: Schema): string {
  const schema = wholeSchema(contract, given)
  const { namespace } = xmlOf(schema)
  if (typeof namespace === 'string') return namespace
  const parts = isObject(schema) && Array.isArray(schema['allOf']) ? schema['allOf'] : []
  return parts.length > 0 ? namespaceOf(contract, parts.at(-1) as Schema) : ''
}
