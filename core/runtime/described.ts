import { envelopeNamespaces } from '../contract/envelopes'
import type { MediaType, Operation, Parameter, Response, Schema } from '../contract/model'
import { mapSchema, referencesIn, type WithSchemas } from '../contract/schemas'
import { invalidity } from '../contract/validate'
import { xmlValue } from '../contract/xml-values'
import { readXml, type XmlElement } from '../text/xml'
import { isObject } from '../text/values'
import { inRange, isJsonType, isXmlType, mediaTypeOf } from './media'

/** What a definition says of requests and responses, with nothing that is only there to be read. */
export interface Described extends WithSchemas {
  schemas: { name: string; schema: Schema }[]
  /** By the name of the operation’s row. */
  operations: Record<string, DescribedOperation>
}

export interface DescribedOperation {
  parameters: DescribedParameter[]
  body?: { required: boolean; content: DescribedContent[] }
  responses: { status: string; content: DescribedContent[] }[]
}

export interface DescribedParameter {
  name: string
  in: string
  required: boolean
  schema?: Schema
  /** Whether several values stand beside one another, with the name before each. */
  explode: boolean
}

export interface DescribedContent {
  type: string
  schema?: Schema
}

/** What is only read by people asks nothing of a value. */
const readOnly = ['title', 'description', 'examples', 'example', 'default', 'externalDocs', 'xml']

const bare = (schema: Schema): Schema =>
  mapSchema(schema, (inner) =>
    Object.fromEntries(
      Object.entries(inner).filter(([name]) => !readOnly.includes(name) && !name.startsWith('x-')),
    ),
  )

/** What XML is read by: how things are called there, and which elements stand for others. */
const xmlHints = new Set(['xml', 'x-xml-list', 'title'])
const bareForXml = (schema: Schema): Schema =>
  mapSchema(schema, (inner) =>
    Object.fromEntries(
      Object.entries(inner).filter(
        ([name]) => xmlHints.has(name) || (!readOnly.includes(name) && !name.startsWith('x-')),
      ),
    ),
  )

const contentOf = ({ type, schema }: MediaType): DescribedContent => ({
  type: type.toLowerCase(),
  ...(schema !== undefined && { schema: isXmlType(type) ? bareForXml(schema) : bare(schema) }),
})

const parameterOf = ({
  name,
  in: where,
  required,
  schema,
  style,
  explode,
}: Parameter): DescribedParameter => ({
  name,
  in: where,
  required,
  ...(schema !== undefined && { schema: bare(schema) }),
  explode:
    explode ??
    (style === undefined || style === 'form' ? where === 'query' || where === 'cookie' : false),
})

const responseOf = ({ status, content }: Response) => ({ status, content: content.map(contentOf) })

/** What operations ask of requests and responses, with the schemas they refer to. */
export function describe(
  operations: readonly { row: string; operation: Operation }[],
  { schemas }: WithSchemas,
): Described {
  const described: Record<string, DescribedOperation> = {}
  for (const { row, operation } of operations) {
    const { parameters, body, responses } = operation
    described[row] = {
      parameters: parameters.map(parameterOf),
      ...(body && { body: { required: body.required, content: body.content.map(contentOf) } }),
      responses: responses.map(responseOf),
    }
  }
  return { schemas: reachable(Object.values(described), schemas), operations: described }
}

const reachable = (operations: DescribedOperation[], schemas: WithSchemas['schemas']) =>
  reachableSchemas(
    operations.flatMap(({ parameters, body, responses }) =>
      [
        ...parameters,
        ...(body?.content ?? []),
        ...responses.flatMap(({ content }) => content),
      ].flatMap(({ schema }) => (schema === undefined ? [] : [schema])),
    ),
    schemas,
    operations.some(hasXml) ? bareForXml : bare,
  )

const hasXml = ({ body, responses }: DescribedOperation) =>
  [...(body?.content ?? []), ...responses.flatMap(({ content }) => content)].some(({ type }) =>
    isXmlType(type),
  )

/** The schemas that some refer to, and those that these refer to, each as `change` leaves it. */
export function reachableSchemas(
  roots: readonly Schema[],
  schemas: WithSchemas['schemas'],
  change: (schema: Schema) => Schema,
): { name: string; schema: Schema }[] {
  const byName = new Map(schemas.map(({ name, schema }) => [name, schema]))
  const found = new Map<string, Schema>()
  const waiting = [...roots]
  for (let next = waiting.pop(); next !== undefined; next = waiting.pop())
    for (const name of referencesIn(next)) {
      const schema = byName.get(name)
      if (schema === undefined || found.has(name)) continue
      found.set(name, change(schema))
      waiting.push(schema)
    }
  return [...found]
    .map(([name, schema]) => ({ name, schema }))
    .sort((a, b) => (a.name < b.name ? -1 : 1))
}

/** A request as it is held against a definition. */
export interface DescribedRequest {
  /** For each parameter of the operation, in their order, every value decoded; none where it was not sent. */
  values: readonly string[][]
  contentType: string | undefined
  /** The body as text; undefined where there is none, or where nobody looks at it. */
  body: string | undefined
  hasBody: boolean
}

/** More than this is not told of one message. */
const mostFaults = 20
/** So much work is done for one message: a part of a value that meets a schema is one step. */
export const mostSteps = 200_000

/** The validation would take too long, and nobody knows what it would have come to. */
class TooMuch extends Error {}

/** What of a message is not as it should be: places, with the reason. */
export interface Faults {
  faults: string[]
  /** False where a part of it took too long, so that nobody knows of more. */
  isWhole: boolean
}

/** What of a request is not as its operation asks, in so many steps at most. */
export function requestFaults(
  described: Described,
  operation: DescribedOperation,
  request: DescribedRequest,
  steps = mostSteps,
): Faults {
  const held = new Holding(described, steps)
  operation.parameters.forEach((parameter, index) => {
    const values = request.values[index] ?? []
    const where = `${parameter.in === 'query' ? 'query parameter' : parameter.in === 'path' ? 'path parameter' : parameter.in} ${parameter.name}`
    if (values.length === 0) {
      if (parameter.required) held.faults.push(`The ${where} is missing`)
    } else held.value(`The ${where}`, parameterValue(parameter, values), parameter.schema)
  })
  const { body } = operation
  if (body && request.hasBody)
    held.content('The body', body.content, request.contentType, request.body)
  else if (body?.required) held.faults.push('The body is missing')
  return held.result
}

/** The response that describes a status: by itself, as a range, or by default (OpenAPI 3.1, section 4.8.16). */
export const responseTo = <T extends { status: string }>(
  status: number,
  responses: readonly T[],
): T | undefined =>
  responses.find((one) => one.status === String(status)) ??
  responses.find((one) => one.status.toUpperCase() === `${Math.floor(status / 100)}XX`) ??
  responses.find((one) => one.status === 'default')

/** What of a response is not as its operation says, in so many steps at most. */
export function responseFaults(
  described: Described,
  operation: DescribedOperation,
  response: { status: number; contentType: string | undefined; body: string | undefined },
  steps = mostSteps,
): Faults {
  const held = new Holding(described, steps)
  const found = responseTo(response.status, operation.responses)
  if (!found) held.faults.push(`The status ${response.status} is not described`)
  else if (response.body !== undefined && response.body !== '' && found.content.length > 0)
    held.content('The response', found.content, response.contentType, response.body)
  return held.result
}

/** Holds the parts of one message against their schemas. */
class Holding {
  readonly faults: string[] = []
  private isWhole = true

  constructor(
    private readonly described: Described,
    private left: number,
  ) {}

  get result(): Faults {
    return { faults: this.faults, isWhole: this.isWhole }
  }

  value(what: string, value: unknown, schema: Schema | undefined): void {
    if (schema === undefined || value === undefined || this.faults.length >= mostFaults) return
    try {
      const why = invalidity(this.described, value, schema, () => {
        if (--this.left < 0) throw new TooMuch()
      })
      if (why !== undefined)
        this.faults.push(why.startsWith('It ') ? `${what} ${why.slice(3)}` : `${what}: ${why}`)
    } catch (error) {
      // What takes too long to be held is not known to be wrong.
      if (!(error instanceof TooMuch)) throw error
      this.isWhole = false
    }
  }

  content(
    what: string,
    content: readonly DescribedContent[],
    contentType: string | undefined,
    body: string | undefined,
  ): void {
    const type = mediaTypeOf(contentType)
    // A message with attachments is not looked into.
    if (type === 'multipart/related' && content.some((one) => isXmlType(one.type))) return
    const found =
      content.find((one) => one.type === type) ?? content.find((one) => inRange(one.type, type))
    if (!found) {
      const known = content.map((one) => one.type).join(', ')
      this.faults.push(
        `${what} is ${type || 'of no media type'}, and ${known || 'nothing'} is described`,
      )
      return
    }
    if (body === undefined) return
    if (isXmlType(type)) return this.xml(what, body, found.schema)
    if (!isJsonType(type)) return
    let value: unknown
    try {
      value = JSON.parse(body)
    } catch {
      this.faults.push(`${what} is not JSON`)
      return
    }
    this.value(what, value, found.schema)
  }

  /** Holds an XML document against a schema, as the value it stands for; the order of its elements is not looked at. */
  private xml(what: string, body: string, schema: Schema | undefined): void {
    const { root, faults } = readXml(body)
    if (!root || faults[0])
      return void this.faults.push(`${what} is not XML (${faults[0]?.message ?? 'it is empty'})`)
    const payload = payloadOf(root)
    // A fault is described nowhere else than in its own words.
    if (!payload || schema === undefined || payload.local === 'Fault') return
    this.value(what, xmlValue(this.described, schema, payload), schema)
  }
}

/** What of an XML document is held against a schema: in an envelope of SOAP, what its body begins with. */
function payloadOf(root: XmlElement): XmlElement | undefined {
  const isEnvelope =
    root.local === 'Envelope' && Object.values(envelopeNamespaces).includes(root.namespace)
  return isEnvelope ? root.first(root.namespace, 'Body')?.children[0] : root
}

/** Types that a schema names, its own or those of its parts. */
function typesIn(schema: Schema | undefined): string[] {
  if (!isObject(schema)) return []
  const { type, anyOf, oneOf, allOf } = schema
  const own = [type].flat().filter((name): name is string => typeof name === 'string')
  const parts = [anyOf, oneOf, allOf].flatMap((list) =>
    Array.isArray(list) ? (list as Schema[]) : [],
  )
  return [...own, ...parts.flatMap(typesIn)]
}

/** A parameter's value of the type that its schema asks for; undefined where that cannot be told from texts. */
function parameterValue({ schema, explode }: DescribedParameter, values: string[]): unknown {
  const types = typesIn(schema)
  if (types.includes('object') || (isObject(schema) && '$ref' in schema)) return undefined
  if (types.includes('array')) {
    const items = isObject(schema) ? (schema['items'] as Schema | undefined) : undefined
    const texts = explode ? values : values.flatMap((value) => value.split(','))
    return texts.map((text) => scalar(text, typesIn(items)))
  }
  return scalar(values[0]!, types)
}

function scalar(text: string, types: readonly string[]): unknown {
  if (
    (types.includes('integer') || types.includes('number')) &&
    /^-?\d+(?:\.\d+)?(?:[eE][+-]?\d+)?$/.test(text)
  )
    return Number(text)
  if (types.includes('boolean') && (text === 'true' || text === 'false')) return text === 'true'
  return text
}
