import { invalidity } from '../core/contract/validate'
import type { SoapVersion } from '../core/contract/envelopes'
import { whyNoXml } from '../core/contract/xml-values'
import {
  requestFaults,
  responseFaults,
  type Described,
  type DescribedRequest,
  type Faults,
} from '../core/runtime/described'
import { whyNoEnvelope } from '../core/runtime/envelope'
import { isJsonType, isXmlType } from '../core/runtime/media'
import {
  soapAnswer,
  soapRequest,
  type Face,
  type SoapAnswer,
  type SoapRequest,
} from '../core/runtime/rest-face'
import { measureJson, measureXml, type Extent } from '../core/text/measure'

/** What is known of a route that whole messages are held against. */
export type Model = Described | Face

/** A message of JSON as the message of SOAP it stands for; or what is wrong with it. */
export type Translated = SoapRequest | { title: string; text: string; isWhole: boolean }

/** So much may be in JSON that is translated. */
const mostTranslated = { depth: 60, values: 100_000 }

/** Validation was given up: it took more steps than it was given. */
class TooMuch extends Error {}

const textOf = (bytes: Uint8Array) => new TextDecoder().decode(bytes)

/**
 * The ways to look into whole messages: pure functions that a thread can run. `steps` bounds the work of holding a value
 * against its schema.
 */
export const inspections = {
  envelope: (_: undefined, { bytes, version }: { bytes: Uint8Array; version: SoapVersion }) =>
    whyNoEnvelope(textOf(bytes), version),

  extent: (
    _: undefined,
    { bytes, type, most }: { bytes: Uint8Array; type: string; most: Extent },
  ): string | undefined => {
    const found = isXmlType(type)
      ? measureXml(textOf(bytes), most)
      : isJsonType(type)
        ? measureJson(bytes)
        : undefined
    if (!found) return undefined
    if ('refused' in found) return `The body ${found.refused}`
    if (found.depth > most.depth) return `The body is nested more than ${most.depth} deep`
    return found.values > most.values ? `The body has more than ${most.values} values` : undefined
  },

  request: (
    described: Described,
    { row, bytes, ...request }: RequestInput,
    steps: number,
  ): Faults => {
    const body = bytes && textOf(bytes)
    return requestFaults(described, described.operations[row]!, { ...request, body }, steps)
  },

  response: (
    described: Described,
    { row, bytes, ...response }: ResponseInput,
    steps: number,
  ): Faults => {
    const body = bytes && textOf(bytes)
    return responseFaults(described, described.operations[row]!, { ...response, body }, steps)
  },

  toSoap: (face: Face, { row, bytes }: FaceInput, steps: number): Translated => {
    const refuse = (title: string, text: string, isWhole = true) => ({ title, text, isWhole })
    const { depth, values } = measureJson(bytes)
    if (depth > mostTranslated.depth || values > mostTranslated.values)
      return refuse(
        'The body is too much',
        'The body has too many values, or nests them too deeply',
      )
    const json = bytes.length === 0 ? { value: {} } : parsed(textOf(bytes))
    if (!json) return refuse('The body is not JSON', 'The body is not JSON')
    const call = face.calls[row]!
    const misfit = 'The request is not as the operation asks'
    let left = steps
    try {
      const why =
        whyNoXml(json.value) ??
        invalidity(face, json.value, call.request, () => {
          if (--left < 0) throw new TooMuch()
        })
      return why === undefined
        ? soapRequest(face, call, json.value)
        : refuse(misfit, `The body: ${why}`)
    } catch (error) {
      if (!(error instanceof TooMuch)) throw error
      return refuse(misfit, 'The body takes too long to be held against its schema', false)
    }
  },

  fromSoap: (face: Face, { row, bytes }: FaceInput): SoapAnswer =>
    soapAnswer(face, face.calls[row]!, textOf(bytes)),
}

export interface RequestInput extends Omit<DescribedRequest, 'body'> {
  /** The operation, by the name of its row. */
  row: string
  bytes: Uint8Array | undefined
}

export interface ResponseInput {
  row: string
  status: number
  contentType: string | undefined
  bytes: Uint8Array | undefined
}

export interface FaceInput {
  row: string
  bytes: Uint8Array
}

function parsed(text: string): { value: unknown } | undefined {
  try {
    return { value: JSON.parse(text) }
  } catch {
    return undefined
  }
}
