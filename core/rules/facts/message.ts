import type {
  Body,
  Example,
  Header,
  MediaType,
  Operation,
  Parameter,
  Response,
  Schema,
  SchemaObject,
} from '../../contract/model'
import { referencedName, resolveSchema } from '../../contract/schemas'
import { pointerTo } from '../../text/pointer'
import { isObject } from '../../text/values'
import {
  Fact,
  keptTexts,
  keptTruth,
  many,
  number,
  one,
  shape,
  text,
  truth,
  value,
  type Field,
  type World,
} from './fact'
import { exampleShape, facetsOf, typeOf, type ExampleNode } from './schema'

const none = Object.freeze({})

const schemaOf = <N extends Header>(fact: Fact<N>): SchemaObject => {
  const found = resolveSchema(fact.world.contract, contentSchema(fact.node))
  return isObject(found) ? found : none
}

/** The schema of a parameter or header, also where its value is a document. */
const contentSchema = ({ schema, content }: Header): Schema | undefined =>
  schema ?? content?.[0]?.schema

const hasExamples = ({ examples }: { examples: Example[] }) => examples.length > 0

function exampleFacts(
  owner: Fact,
  examples: Example[],
  schema: Schema | undefined,
  of: string,
  steps: (example: Example) => string[],
): Fact<ExampleNode>[] {
  return examples.map(
    (example) =>
      new Fact(
        exampleShape,
        { example, schema, of },
        pointerTo(owner.at, ...steps(example)),
        owner.world,
        example.name,
        owner,
      ),
  )
}

/** Where an example stands: by its name, or as the only one. */
const steps = ({ name }: Example) => (name === 'example' ? ['example'] : ['examples', name])

const headerFields = <N extends Header>(): Record<string, Field<N>> => ({
  name: text<N>('Its name.', ({ name }) => name),
  ...facetsOf<N>(schemaOf),
  required: truth<N>('Whether it has to be there.', ({ required }) => required),
  deprecated: truth<N>('Whether it is going away.', ({ deprecated }) => deprecated),
  description: text<N>('Its description, or else that of its schema.', ({ description }, fact) => {
    const otherwise = schemaOf(fact)['description']
    return description ?? (typeof otherwise === 'string' ? otherwise : '')
  }),
  hasExample: truth<N>(
    'Whether an example is given, also one of its schema.',
    (node, fact) =>
      hasExamples(node) || 'example' in schemaOf(fact) || 'examples' in schemaOf(fact),
  ),
  examples: many<N>('example', 'Its examples.', (node, fact) =>
    exampleFacts(fact, node.examples, contentSchema(node), node.name, steps),
  ),
  style: text<N>('How lists and objects are written in it.', ({ style }) => style ?? ''),
  schema: one<N>('schema', 'The schema of its value, or null.', (node, fact) =>
    fact.world.schema(contentSchema(node), pointerTo(fact.at, 'schema'), fact),
  ),
  extensions: value<N>(
    'Members that begin with x-, and what its format says beside.',
    ({ extensions }) => extensions ?? none,
  ),
})

export const headerShape = shape<Header>(
  'header',
  'A header of a response or of a part of a body.',
  headerFields(),
)

export const parameterShape = shape<Parameter>('parameter', 'A parameter of an operation.', {
  ...headerFields<Parameter>(),
  place: text('Where it stands: path, query, header, cookie or querystring.', (node) => node.in),
})

export const mediaTypeShape = shape<MediaType>('mediaType', 'One media type of a body.', {
  type: text('The media type, such as application/json.', ({ type }) => type),
  schemaName: text(
    'The name of its schema; (inline) where it has none, empty where there is no schema.',
    ({ schema }) => nameOf(schema),
  ),
  schema: one('schema', 'Its schema, or null.', ({ schema, itemSchema }, fact) =>
    fact.world.schema(
      schema ?? itemSchema,
      pointerTo(fact.at, schema === undefined ? 'itemSchema' : 'schema'),
      fact,
    ),
  ),
  hasSchema: truth(
    'Whether it says what it holds.',
    ({ schema, itemSchema }) => schema !== undefined || itemSchema !== undefined,
  ),
  hasExample: keptTruth('Whether an example is given, also one of its schema.', (node, { world }) =>
    hasExampleOf(world, node),
  ),
  examples: many('example', 'Its examples.', ({ examples, schema, type }, fact) =>
    exampleFacts(fact, examples, schema, type, steps),
  ),
  extensions: value(
    'Members that begin with x-, and what its format says beside.',
    ({ extensions }) => extensions ?? none,
  ),
})

function hasExampleOf({ contract }: World, { examples, schema }: MediaType): boolean {
  if (examples.length > 0) return true
  const target = resolveSchema(contract, schema)
  return isObject(target) && (target['example'] !== undefined || target['examples'] !== undefined)
}

/** How the schema of a body is called. */
export const nameOf = (schema: Schema | undefined): string => {
  const reference = isObject(schema) ? schema['$ref'] : undefined
  if (typeof reference === 'string') return referencedName(reference) ?? reference
  return schema === undefined ? '' : '(inline)'
}

const mediaFacts = (fact: Fact, content: MediaType[]) =>
  content.map((media) => new Fact(mediaTypeShape, media, media.at, fact.world, media.type, fact))

export const requestBodyShape = shape<Body>('requestBody', 'What a request carries.', {
  required: truth('Whether it has to be there.', ({ required }) => required),
  description: text('Its description.', ({ description }) => description ?? ''),
  mediaTypes: keptTexts('Its media types.', ({ content }) => content.map(({ type }) => type)),
  content: many('mediaType', 'Its media types with their schemas.', ({ content }, fact) =>
    mediaFacts(fact, content),
  ),
  schemaName: text('The name of its first schema.', ({ content }) => nameOf(content[0]?.schema)),
  schema: one('schema', 'Its first schema, or null.', ({ content }, fact) =>
    fact.world.schema(content[0]?.schema, pointerTo(content[0]?.at ?? fact.at, 'schema'), fact),
  ),
  hasExample: keptTruth(
    'Whether an example is given for every media type.',
    ({ content }, { world }) => content.every((media) => hasExampleOf(world, media)),
  ),
  extensions: value(
    'Members that begin with x-, and what its format says beside.',
    ({ extensions }) => extensions ?? none,
  ),
})

export const isError = (status: string) => /^[45]/.test(status) || status === 'default'
export const isSuccess = (status: string) => status.startsWith('2')

export const responseShape = shape<Response>('response', 'A response of an operation.', {
  status: text('Its status, such as 200, 4XX or default.', ({ status }) => status),
  isError: truth('Whether it says that something failed.', ({ status }) => isError(status)),
  isSuccess: truth('Whether it says that it worked.', ({ status }) => isSuccess(status)),
  description: text('Its description.', ({ description }) => description ?? ''),
  hasBody: truth('Whether it carries a body.', ({ content }) => content.length > 0),
  hasExample: keptTruth(
    'Whether an example is given for every media type.',
    ({ content }, { world }) => content.every((media) => hasExampleOf(world, media)),
  ),
  mediaTypes: keptTexts('Its media types.', ({ content }) => content.map(({ type }) => type)),
  content: many('mediaType', 'Its media types with their schemas.', ({ content }, fact) =>
    mediaFacts(fact, content),
  ),
  schemaName: text('The name of its first schema; (inline) where it has none.', ({ content }) =>
    nameOf(content[0]?.schema),
  ),
  schema: one('schema', 'Its first schema, or null.', ({ content }, fact) =>
    fact.world.schema(content[0]?.schema, pointerTo(content[0]?.at ?? fact.at, 'schema'), fact),
  ),
  isList: keptTruth(
    'Whether it answers a list: an array of objects, or an object that carries one.',
    (node, { world }) => isListOf(world, node),
  ),
  headers: many('header', 'Its headers.', ({ headers }, fact) =>
    headers.map(
      (header) => new Fact(headerShape, header, header.at, fact.world, header.name, fact),
    ),
  ),
  headerNames: keptTexts('The names of its headers.', ({ headers }) =>
    headers.map(({ name }) => name),
  ),
  links: number('How many links lead on from it.', ({ links }) => links.length),
  extensions: value(
    'Members that begin with x-, and what its format says beside.',
    ({ extensions }) => extensions ?? none,
  ),
})

/** A list: an array of objects, or an object of few properties exactly one of which is such an array. */
export function isListOf({ contract }: World, { status, content }: Response): boolean {
  const isCollection = (schema: Schema | undefined) => {
    const target = resolveSchema(contract, schema)
    if (!isObject(target) || typeOf(target) !== 'array') return false
    const items = resolveSchema(contract, target['items'] as Schema | undefined)
    return isObject(items) && typeOf(items) === 'object'
  }
  if (!isSuccess(status)) return false
  return content.some(({ schema }) => {
    if (isCollection(schema)) return true
    const target = resolveSchema(contract, schema)
    if (!isObject(target) || !isObject(target['properties'])) return false
    const names = Object.keys(target['properties'])
    if (names.length > 4) return false
    const { properties } = target
    return names.filter((name) => isCollection(properties[name] as Schema)).length === 1
  })
}

export const parameterFacts = (owner: Fact, { parameters }: Operation): Fact<Parameter>[] =>
  parameters.map(
    (parameter) =>
      new Fact(
        parameterShape,
        parameter,
        parameter.at,
        owner.world,
        `${parameter.in}:${parameter.name}`,
        owner,
      ),
  )

export const responseFacts = (owner: Fact, { responses }: Operation): Fact<Response>[] =>
  responses.map(
    (response) =>
      new Fact(responseShape, response, response.at, owner.world, response.status, owner),
  )

export const requestBodyFact = (owner: Fact, { body }: Operation): Fact<Body> | null =>
  body ? new Fact(requestBodyShape, body, body.at, owner.world, '', owner) : null
