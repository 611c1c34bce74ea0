import {
  envelope,
  envelopeNamespaces,
  soapMediaTypes,
  type SoapVersion,
} from '../contract/envelopes'
import type { Contract, Operation, QualifiedName, Schema, SoapBinding } from '../contract/model'
import { mapSchema, wholeSchema, type WithSchemas } from '../contract/schemas'
import { xmlElement, xmlValue } from '../contract/xml-values'
import { xmlOf } from '../contract/xml-members'
import { readXml, type XmlElement } from '../text/xml'
import { reachableSchemas } from './described'

/** How one operation of SOAP is called for somebody who speaks JSON. */
export interface FaceCall {
  version: SoapVersion
  action?: string
  input?: QualifiedName
  request?: Schema
  response?: Schema
  /** What faults tell besides their reason, by the elements they tell it in. */
  faults: { element: string; schema: Schema }[]
}

/** Operations of SOAP as JSON over HTTP, with the schemas that both ways are translated by. */
export interface Face extends WithSchemas {
  schemas: { name: string; schema: Schema }[]
  /** By the name of the operation’s row. */
  calls: Record<string, FaceCall>
}

/** What is only read by people says nothing about translating. */
const readOnly = ['description', 'examples', 'example', 'default', 'externalDocs']
const lean = (schema: Schema): Schema =>
  mapSchema(schema, (inner) =>
    Object.fromEntries(Object.entries(inner).filter(([name]) => !readOnly.includes(name))),
  )

/** The first binding that can be translated: SOAP encoding asks for more than schemas say. */
export const translated = ({ soap = [] }: Pick<Operation, 'soap'>): SoapBinding | undefined =>
  soap.find(({ use }) => use === 'literal')

const schemaIn = (content: readonly { schema?: Schema }[] | undefined) =>
  content?.find(({ schema }) => schema !== undefined)?.schema

/** The REST face of operations that are called by SOAP. */
export function faceOf(
  operations: readonly { row: string; operation: Operation }[],
  { schemas }: WithSchemas,
): Face {
  const calls: Record<string, FaceCall> = {}
  const roots: Schema[] = []
  const keep = (schema: Schema | undefined) => {
    if (schema === undefined) return undefined
    roots.push(schema)
    return lean(schema)
  }
  for (const { row, operation } of operations) {
    const binding = translated(operation)
    if (!binding) continue
    const success = operation.responses.find(({ status }) => status.startsWith('2'))
    const [request, response] = [
      keep(schemaIn(operation.body?.content)),
      keep(schemaIn(success?.content)),
    ]
    calls[row] = {
      version: binding.version,
      ...(binding.action !== undefined && { action: binding.action }),
      ...(binding.input && { input: binding.input }),
      ...(request !== undefined && { request }),
      ...(response !== undefined && { response }),
      faults: operation.responses
        .filter((one) => one !== success)
        .flatMap(({ content }) => {
          const schema = keep(schemaIn(content))
          if (schema === undefined) return []
          return [{ element: faultElement({ schemas }, schema), schema }]
        }),
    }
  }
  return { schemas: reachableSchemas(roots, schemas, lean), calls }
}

/** The element of a fault by what its schema says; empty where it does not say, so that any is taken for it. */
function faultElement(contract: WithSchemas, schema: Schema): string {
  const { name } = xmlOf(wholeSchema(contract, schema))
  return typeof name === 'string' ? name : ''
}

/** What a backend of SOAP is sent. */
export interface SoapRequest {
  contentType: string
  /** Its SOAPAction, quoted; absent where there is none, or where the media type says it. */
  soapAction?: string
  body: string
}

/** A value of JSON as the message that calls the operation. */
export function soapRequest(face: Face, call: FaceCall, value: unknown): SoapRequest {
  const { version, action, input, request } = call
  const body = envelope(version, input ? xmlElement(face, request, value, input) : '')
  const type = `${soapMediaTypes[version]}; charset=utf-8`
  return version === '1.1'
    ? { contentType: type, soapAction: `"${action ?? ''}"`, body }
    : {
        contentType: action === undefined ? type : `${type}; action="${action}"`,
        body,
      }
}

/** What a message of a backend means to somebody who speaks JSON. */
export type SoapAnswer =
  | { kind: 'value'; value: unknown }
  | { kind: 'fault'; isSender: boolean; reason: string; told: unknown }
  | { kind: 'wrong'; why: string }

/** Reads the answer of an operation. */
export function soapAnswer(face: Face, call: FaceCall, written: string): SoapAnswer {
  if (/<!DOCTYPE/i.test(written))
    return { kind: 'wrong', why: 'it has a document type declaration' }
  const { root, faults } = readXml(written)
  if (!root || faults[0]) return { kind: 'wrong', why: faults[0]?.message ?? 'it is no XML' }
  const version = (['1.1', '1.2'] as const).find(
    (one) => envelopeNamespaces[one] === root.namespace,
  )
  if (root.local !== 'Envelope' || version === undefined)
    return { kind: 'wrong', why: 'it is no envelope' }
  const body = root.first(root.namespace, 'Body')
  if (!body) return { kind: 'wrong', why: 'its envelope has no body' }
  const [first] = body.children
  if (first?.local === 'Fault' && first.namespace === root.namespace)
    return faultIn(face, call, first, version)
  if (!first) return { kind: 'value', value: {} }
  return { kind: 'value', value: xmlValue(face, call.response, first) }
}

/** SOAP 1.1, section 4.4; SOAP 1.2 part 1, section 5.4. */
function faultIn(
  face: Face,
  { faults }: FaceCall,
  fault: XmlElement,
  version: SoapVersion,
): SoapAnswer {
  const { namespace } = fault
  const code =
    version === '1.1'
      ? fault.first('', 'faultcode')?.text
      : fault.first(namespace, 'Code')?.first(namespace, 'Value')?.text
  const reason =
    version === '1.1'
      ? fault.first('', 'faultstring')?.text
      : fault.first(namespace, 'Reason')?.first(namespace, 'Text')?.text
  const detail = version === '1.1' ? fault.first('', 'detail') : fault.first(namespace, 'Detail')
  const [told] = detail?.children ?? []
  const known =
    told &&
    (faults.find(({ element }) => element === told.local) ??
      faults.find(({ element }) => element === ''))
  return {
    kind: 'fault',
    isSender: /(?:^|:)(?:Client|Sender)\b/.test((code ?? '').trim()),
    reason: reason?.trim() ?? '',
    told: told && xmlValue(face, known?.schema, told),
  }
}

/** What somebody who calls the face reads: the same operations as JSON over HTTP, at an address. */
export function faceContract(contract: Contract, address: string): Contract {
  const json = (schema: Schema | undefined, at: Operation['at']) =>
    schema === undefined
      ? []
      : [{ type: 'application/json', schema, examples: [], encoding: [], at }]
  return {
    ...contract,
    title: `${contract.title} (REST face)`,
    servers: [{ url: address, variables: [], at: '' }],
    operations: contract.operations.flatMap((operation) => {
      const binding = translated(operation)
      if (!binding) return []
      const { soap: _, body, responses, extensions: __, ...rest } = operation
      const { at } = operation
      const success = responses.find(({ status }) => status.startsWith('2'))
      const faults = responses.filter((one) => one !== success)
      return [
        {
          ...rest,
          ...(binding.input && {
            body: { at, required: true, content: json(schemaIn(body?.content) ?? true, at) },
          }),
          responses: [
            {
              ...{ at, status: '200', description: 'The answer', headers: [], links: [] },
              content: json(schemaIn(success?.content), at),
            },
            {
              ...{ at, status: 'default', headers: [], links: [] },
              description: ['A problem', ...faults.flatMap((one) => one.description ?? [])].join(
                '; ',
              ),
              content: json(problemSchema(faults.map((one) => schemaIn(one.content))), at).map(
                (content) => ({ ...content, type: 'application/problem+json' }),
              ),
            },
          ],
        },
      ]
    }),
  }
}

/** Problem details (RFC 9457), with what a fault tells as their member `fault`. */
function problemSchema(given: readonly (Schema | undefined)[]): Schema {
  const faults = given.filter((schema) => schema !== undefined)
  return {
    type: 'object',
    properties: {
      type: { type: 'string' },
      title: { type: 'string' },
      status: { type: 'integer' },
      detail: { type: 'string' },
      ...(faults.length > 0 && {
        fault: faults.length === 1 ? faults[0]! : { anyOf: [...faults] },
      }),
    },
    required: ['title', 'status'],
  }
}
