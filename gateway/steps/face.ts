import { invalidity } from '../../core/contract/validate'
import { whyNoXml } from '../../core/contract/xml-values'
import { soapAnswer, soapRequest, type FaceCall } from '../../core/runtime/rest-face'
import { isJsonType, mediaTypeOf } from '../../core/runtime/media'
import type { Route } from '../../core/runtime/routes'
import { measureJson } from '../../core/text/measure'
import { readBody } from '../body'
import { headerOf, type Passage, type Refusal } from '../passage'
import type { Capture } from '../upstream'
import { shapedAnswer } from './respond'
import type { Inside } from './transform'

/** Larger bodies are not translated; in bytes. */
const mostBytes = 4 * 1024 * 1024
const most = { depth: 60, values: 100_000 }
/** So much work is done for one message: a part of a value that meets a schema is one step. */
const mostSteps = 500_000

/** The validation would take too long. */
class TooMuch extends Error {}

/** Headers of the request that are about JSON, and not for a backend of SOAP. */
const replaced = new Set([
  'content-type',
  'accept',
  'accept-encoding',
  'content-encoding',
  'soapaction',
])

/**
 * Makes the message of SOAP out of a request in JSON, or says what is wrong with it. The body is held against the schema
 * first, since what is not written is not sent.
 */
export async function translateRequest(
  passage: Passage,
  { face }: Route,
  inside: Inside,
): Promise<Inside | Refusal> {
  const { of, call } = face!
  const value = await valueOf(passage, call)
  if ('refusal' in value) return value.refusal
  const stop = (status: number, title: string, text: string): Refusal => {
    passage.steps.push({ name: 'validate', passed: false, text })
    return { status, title, detail: text }
  }
  let steps = 0
  let why: string | undefined
  try {
    why =
      whyNoXml(value.json) ??
      invalidity(of, value.json, call.request, () => {
        if (++steps > mostSteps) throw new TooMuch()
      })
  } catch (error) {
    if (!(error instanceof TooMuch)) throw error
    why = 'It takes too long to be held against its schema'
  }
  if (why !== undefined)
    return stop(400, 'The request is not as the operation asks', `The body: ${why}`)
  const { contentType, soapAction, body } = soapRequest(of, call, value.json)
  passage.body = Buffer.from(body)
  passage.steps.push({
    name: 'transform',
    passed: true,
    text: `JSON becomes a message of SOAP ${call.version}${call.input ? `, ${call.input.name}` : ''}`,
  })
  const kept: string[] = []
  for (let i = 0; i < inside.headers.length; i += 2)
    if (!replaced.has(inside.headers[i]!.toLowerCase()))
      kept.push(inside.headers[i]!, inside.headers[i + 1]!)
  return {
    method: 'POST',
    path: '/',
    headers: [
      ...kept,
      ...['content-type', contentType, 'accept', 'text/xml, application/soap+xml'],
      ...(soapAction === undefined ? [] : ['soapaction', soapAction]),
    ],
  }
}

async function valueOf(
  passage: Passage,
  call: FaceCall,
): Promise<{ json: unknown } | { refusal: Refusal }> {
  const refuse = (status: number, title: string, text: string) => {
    passage.steps.push({ name: 'validate', passed: false, text })
    return { refusal: { status, title, detail: text } }
  }
  if (passage.head.framing.kind === 'none')
    return call.input && call.request !== undefined
      ? refuse(400, 'The body is missing', 'The operation takes a body in JSON')
      : { json: {} }
  if (!isJsonType(mediaTypeOf(headerOf(passage, 'content-type'))))
    return refuse(415, 'Only JSON is taken here', 'The body is not application/json')
  if (!/^(?:identity)?$/i.test(headerOf(passage, 'content-encoding') ?? ''))
    return refuse(415, 'Compressed bodies are not taken', 'The body is compressed')
  const body = await readBody(passage, mostBytes)
  if (body === 'too large')
    return refuse(413, 'The body is too large', 'The body is larger than 4 MB')
  const { depth, values } = measureJson(body)
  if (depth > most.depth || values > most.values)
    return refuse(
      400,
      'The body is too much',
      'The body has too many values, or nests them too deeply',
    )
  try {
    return { json: JSON.parse(body.toString('utf8')) as unknown }
  } catch {
    return refuse(400, 'The body is not JSON', 'The body is not JSON')
  }
}

/** What the client gets of an answer in SOAP: the value, or the fault as a problem. */
export const translateResponse =
  (passage: Passage, { face }: Route): Capture =>
  (status, body) => {
    const { of, call } = face!
    const wrong = (why: string) => {
      const text = `The backend’s answer is no message of SOAP: ${why}`
      passage.steps.push({ name: 'respond', passed: false, text })
      return shapedAnswer(passage, {
        status: 502,
        title: 'The backend gave no answer',
        detail: text,
      })
    }
    if (body === '' && status < 300) return { status: 202, fields: ['Content-Length', '0'], body }
    if (body === undefined) return wrong('it is larger than 4 MB, or compressed')
    const read = soapAnswer(of, call, body)
    if (read.kind === 'wrong') return wrong(`${read.why} (status ${status})`)
    if (read.kind === 'value') {
      passage.steps.push({ name: 'respond', passed: true, text: 'Its message becomes JSON' })
      const text = JSON.stringify(read.value)
      return {
        status: 200,
        fields: [
          'Content-Type',
          'application/json',
          'Content-Length',
          String(Buffer.byteLength(text)),
        ],
        body: text,
      }
    }
    passage.steps.push({
      name: 'respond',
      passed: true,
      text: `A fault becomes a problem: ${read.reason}`,
    })
    return shapedAnswer(
      passage,
      {
        status: read.isSender ? 400 : 500,
        title: 'The service answered with a fault',
        detail: read.reason || 'It gave no reason',
      },
      read.told === undefined ? {} : { fault: read.told },
    )
  }
