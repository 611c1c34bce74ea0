import type { Contract, Example, Schema, SchemaObject } from '../../contract/model'
import {
  referencedName,
  referencesIn,
  resolveSchema,
  schemasByName,
  typesOf,
} from '../../contract/schemas'
import { pointerStep, pointerTo } from '../../text/pointer'
import { isObject, namesOf } from '../../text/values'
import {
  Fact,
  keptNumber,
  keptTexts,
  keptTruth,
  many,
  number,
  one,
  shape,
  text,
  truth,
  value,
  type FactType,
  type Field,
  type ListedProperty,
  type SchemaNode,
} from './fact'

export interface PropertyNode extends ListedProperty {
  name: string
  /** The schema of its values with references followed, once it has been asked for. */
  resolved: SchemaObject | undefined
}

const said = (schema: SchemaObject, key: string) => {
  const found = schema[key]
  return typeof found === 'string' ? found : ''
}
const counted = (schema: SchemaObject, key: string) => {
  const found = schema[key]
  return typeof found === 'number' ? found : null
}

/** The first type of a schema that is not null; `object` where it has properties and says none. */
export const typeOf = (schema: SchemaObject): string => {
  const { type } = schema
  if (typeof type === 'string' && type !== 'null') return type
  return (
    typesOf(schema).find((name) => name !== 'null') ??
    (isObject(schema['properties']) ? 'object' : '')
  )
}

const isNullable = (schema: SchemaObject) =>
  typesOf(schema).includes('null') || schema['nullable'] === true

const none: unknown[] = []

const valuesOf = (schema: SchemaObject): unknown[] =>
  Array.isArray(schema['enum']) ? (schema['enum'] as unknown[]) : none

/** A quality of a schema by itself, asked of the schema or of a property that has it. */
interface Facet {
  type: FactType
  says: string
  of: (schema: SchemaObject) => unknown
}

const facets: Record<string, Facet> = {
  type: { type: 'text', says: 'Its type; empty where it says none.', of: typeOf },
  types: { type: { list: 'text' }, says: 'All its types, null among them.', of: typesOf },
  format: { type: 'text', says: 'Its format, such as date-time.', of: (s) => said(s, 'format') },
  title: { type: 'text', says: 'Its title.', of: (s) => said(s, 'title') },
  description: { type: 'text', says: 'Its description.', of: (s) => said(s, 'description') },
  pattern: { type: 'text', says: 'The pattern its texts keep to.', of: (s) => said(s, 'pattern') },
  nullable: { type: 'truth', says: 'Whether null is allowed.', of: isNullable },
  deprecated: {
    type: 'truth',
    says: 'Whether it is going away.',
    of: (s) => s['deprecated'] === true,
  },
  readOnly: {
    type: 'truth',
    says: 'Whether only answers carry it.',
    of: (s) => s['readOnly'] === true,
  },
  writeOnly: {
    type: 'truth',
    says: 'Whether only requests carry it.',
    of: (s) => s['writeOnly'] === true,
  },
  minLength: {
    type: 'number',
    says: 'The fewest characters, or null.',
    of: (s) => counted(s, 'minLength'),
  },
  maxLength: {
    type: 'number',
    says: 'The most characters, or null.',
    of: (s) => counted(s, 'maxLength'),
  },
  minimum: {
    type: 'number',
    says: 'The least number, or null.',
    of: (s) => counted(s, 'minimum') ?? counted(s, 'exclusiveMinimum'),
  },
  maximum: {
    type: 'number',
    says: 'The greatest number, or null.',
    of: (s) => counted(s, 'maximum') ?? counted(s, 'exclusiveMaximum'),
  },
  minItems: {
    type: 'number',
    says: 'The fewest items, or null.',
    of: (s) => counted(s, 'minItems'),
  },
  maxItems: { type: 'number', says: 'The most items, or null.', of: (s) => counted(s, 'maxItems') },
  enum: {
    type: { list: 'value' },
    says: 'The values allowed; an empty list where all are.',
    of: valuesOf,
  },
  texts: {
    type: { list: 'text' },
    says: 'The values allowed that are texts.',
    of: (s) =>
      valuesOf(s) === none ? none : valuesOf(s).filter((item) => typeof item === 'string'),
  },
  hasDefault: {
    type: 'truth',
    says: 'Whether it has a default.',
    of: (s) => s['default'] !== undefined,
  },
  hasExample: {
    type: 'truth',
    says: 'Whether it has an example of its own.',
    of: (s) =>
      s['example'] !== undefined || (Array.isArray(s['examples']) && s['examples'].length > 0),
  },
  extensions: {
    type: 'value',
    says: 'Members that begin with x-.',
    of: (s) => Object.fromEntries(Object.entries(s).filter(([name]) => name.startsWith('x-'))),
  },
}

/** The facets as fields of a fact that has a schema. */
export const facetsOf = <N>(schemaOf: (fact: Fact<N>) => SchemaObject): Record<string, Field<N>> =>
  Object.fromEntries(
    Object.entries(facets).map(([name, { type, says, of }]) => [
      name,
      { type, says, read: (fact: Fact<N>) => of(schemaOf(fact)) },
    ]),
  )

/** The properties of a schema that has no others than those it writes itself. */
const writtenIn = ({ schema }: SchemaNode): Record<string, unknown> | undefined =>
  schema['$ref'] === undefined && schema['allOf'] === undefined
    ? isObject(schema['properties'])
      ? schema['properties']
      : {}
    : undefined

/** The properties of a schema, those of its allOf among them, references followed. */
const listedIn = ({ node, world }: Fact<SchemaNode>): ReadonlyMap<string, ListedProperty> =>
  (node.listed ??= propertiesThrough(world.contract, node.schema))

function propertiesThrough(contract: Contract, schema: SchemaObject): Map<string, ListedProperty> {
  const found = new Map<string, ListedProperty>()
  const seen = new Set<SchemaObject>()
  const stack: { schema: SchemaObject; below: string }[] = [{ schema, below: '' }]
  while (stack.length > 0) {
    const here = stack.pop()!
    if (seen.has(here.schema)) continue
    seen.add(here.schema)
    const required = namesOf(here.schema['required'])
    if (isObject(here.schema['properties'])) {
      const properties = here.schema['properties']
      for (const name in properties) {
        if (found.has(name)) continue
        found.set(name, {
          value: properties[name] as Schema,
          required: required.includes(name),
          below: here.below,
        })
      }
    }
    const target = resolveSchema(contract, here.schema)
    if (here.schema['$ref'] !== undefined && isObject(target)) {
      stack.push({ schema: target, below: '' })
    }
    const all = here.schema['allOf']
    if (!Array.isArray(all)) continue
    all.forEach((part, i) => {
      if (isObject(part)) stack.push({ schema: part, below: `${here.below}/allOf/${i}` })
    })
  }
  return found
}

function reached(contract: Contract, schema: SchemaObject): string[] {
  const names = referencesIn(schema)
  const stack = [...names]
  while (stack.length > 0) {
    const target = schemasByName(contract).get(stack.pop()!)
    if (target === undefined) continue
    for (const name of referencesIn(target)) {
      if (names.has(name)) continue
      names.add(name)
      stack.push(name)
    }
  }
  return [...names]
}

const list = (schema: SchemaObject, key: string) =>
  Array.isArray(schema[key]) ? schema[key].length : 0

export const schemaShape = shape<SchemaNode>(
  'schema',
  'A named schema, or one inside of something else; references are followed.',
  {
    name: text('Its name; empty where it stands inside of something else.', ({ name }) => name),
    ...facetsOf<SchemaNode>(({ node }) => node.schema),
    isNamed: truth('Whether it has a name.', ({ name }) => name !== ''),
    used: truth(
      'Whether anything refers to it.',
      ({ name }, { world }) => name === '' || world.uses(name) > 0,
    ),
    uses: number('How many places refer to it.', ({ name }, { world }) =>
      name === '' ? 1 : world.uses(name),
    ),
    properties: many(
      'property',
      'Its properties, also those it takes over through allOf.',
      (_node, fact) =>
        Array.from(listedIn(fact), ([name, listed]) => propertyFact(fact, name, listed)),
    ),
    propertyNames: keptTexts('The names of its properties.', (node, fact) => {
      const written = writtenIn(node)
      return written ? Object.keys(written) : [...listedIn(fact).keys()]
    }),
    holdsLists: keptTruth('Whether any of its properties is a list.', (node, fact) => {
      const isList = (schema: unknown) => {
        const found = resolveSchema(fact.world.contract, schema as Schema)
        return isObject(found) && typeOf(found) === 'array'
      }
      const written = writtenIn(node)
      if (written) return Object.values(written).some(isList)
      return [...listedIn(fact).values()].some((listed) => isList(listed.value))
    }),
    required: keptTexts('The names of the properties it asks for.', ({ schema }) =>
      namesOf(schema['required']),
    ),
    items: one('schema', 'The schema of its items, or null.', ({ schema }, fact) =>
      fact.world.schema(schema['items'] as Schema | undefined, pointerTo(fact.at, 'items'), fact),
    ),
    closed: truth(
      'Whether it allows only the properties it names.',
      ({ schema }) =>
        schema['additionalProperties'] === false || schema['unevaluatedProperties'] === false,
    ),
    choices: number(
      'Among how many schemas a value may choose (oneOf, anyOf).',
      ({ schema }) => list(schema, 'oneOf') + list(schema, 'anyOf'),
    ),
    parts: number('How many schemas it is put together from (allOf).', ({ schema }) =>
      list(schema, 'allOf'),
    ),
    hasDiscriminator: truth(
      'Whether it says by which property its choices are told apart.',
      ({ schema }) => isObject(schema['discriminator']),
    ),
    reaches: keptTexts(
      'The names of all schemas it refers to, directly or through others.',
      ({ schema }, { world }) => reached(world.contract, schema),
    ),
    depth: keptNumber('How many levels of objects are written inside of it.', ({ schema }) =>
      depthOf(schema),
    ),
    isRecursive: keptTruth(
      'Whether it refers to itself, directly or through others.',
      ({ name, schema }, { world }) =>
        name !== '' && reached(world.contract, schema).includes(name),
    ),
  },
)

function depthOf(schema: SchemaObject, level = 0): number {
  if (level > 50) return 0
  const below = isObject(schema['properties']) ? Object.values(schema['properties']) : []
  const inner = [...below, schema['items']].filter(isObject)
  const deepest = inner.reduce<number>((most, item) => Math.max(most, depthOf(item, level + 1)), 0)
  return deepest + (below.length > 0 ? 1 : 0)
}

const emptySchema: SchemaObject = {}

/** The schema of a property with its references followed. */
function target({ node, world }: Fact<PropertyNode>): SchemaObject {
  if (node.resolved) return node.resolved
  const found = resolveSchema(world.contract, node.value)
  return (node.resolved = isObject(found) ? found : emptySchema)
}

export const propertyShape = shape<PropertyNode>(
  'property',
  'A property of a schema, where it is written.',
  {
    name: text('Its name.', ({ name }) => name),
    ...facetsOf<PropertyNode>(target),
    description: text(
      'Its own description, or else that of the schema it refers to.',
      ({ value: written }, fact) =>
        (isObject(written) && said(written, 'description')) || said(target(fact), 'description'),
    ),
    required: truth('Whether its schema asks for it.', ({ required }) => required),
    ref: text(
      'The name of the schema it refers to; empty where it is written out.',
      ({ value: written }) =>
        isObject(written) && typeof written['$ref'] === 'string'
          ? (referencedName(written['$ref']) ?? '')
          : '',
    ),
    schema: one('schema', 'The schema of its values, or null.', ({ value: written }, fact) =>
      fact.world.schema(written, fact.at, fact),
    ),
    items: one('schema', 'The schema of its items, or null.', (_node, fact) =>
      fact.world.schema(
        target(fact)['items'] as Schema | undefined,
        pointerTo(fact.at, 'items'),
        fact,
      ),
    ),
  },
  ({ node: { name, value: written, below }, parent, world }) =>
    world.placeOf(written, pointerStep(`${parent!.at}${below}/properties`, name)),
)

/** The fact of one property of a schema. */
export const propertyFact = (
  owner: Fact<SchemaNode>,
  name: string,
  { value, required, below }: ListedProperty,
): Fact<PropertyNode> =>
  new Fact(
    propertyShape,
    { name, value, required, below, resolved: undefined },
    undefined,
    owner.world,
    name,
    owner,
  )

export interface ExampleNode {
  example: Example
  schema: Schema | undefined
  /** Where the schema is that it is an example of. */
  of: string
}

export const exampleShape = shape<ExampleNode>(
  'example',
  'An example of a body, parameter, header, schema or property.',
  {
    name: text('Its name.', ({ example }) => example.name),
    value: value('The example itself.', ({ example }) => example.value ?? null),
    hasValue: truth(
      'Whether it is given, and not only linked to.',
      ({ example }) => example.value !== undefined,
    ),
    summary: text('Its summary.', ({ example }) => example.summary ?? ''),
    description: text('Its description.', ({ example }) => example.description ?? ''),
    of: text('What it is an example of.', ({ of }) => of),
    schema: one('schema', 'The schema it should be as, or null.', ({ schema }, fact) =>
      fact.world.schema(schema, fact.at, fact),
    ),
    texts: keptTexts('Every text in it.', ({ example }) => textsIn(example.value)),
  },
)

/** The texts inside of a value, a bounded number of them. */
function textsIn(root: unknown): string[] {
  const found: string[] = []
  const stack = [root]
  while (stack.length > 0 && found.length < 2000) {
    const here = stack.pop()
    if (typeof here === 'string') found.push(here)
    else if (typeof here === 'object' && here !== null)
      stack.push(...(Object.values(here) as unknown[]))
  }
  return found
}
