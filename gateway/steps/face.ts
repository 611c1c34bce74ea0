import type { FaceCall } from '../../core/runtime/rest-face'
import { canonicalName } from '../../core/runtime/headers'
import { isJsonType, mediaTypeOf } from '../../core/runtime/media'
import type { Route } from '../../core/runtime/routes'
import { readBody } from '../body'
import { TooLong, type Inspector } from '../inspector'
import { headerOf, type Passage, type Refusal } from '../passage'
import type { Capture } from '../upstream'
import { askAbout, shapedAnswer } from './respond'
import type { Inside } from './transform'

/** Larger bodies are not translated; in bytes. */
const mostBytes = 4 * 1024 * 1024

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
  { face, name }: Route,
  inside: Inside,
  inspector: Inspector,
): Promise<Inside | Refusal> {
  const { of, call } = face!
  const given = await bodyOf(passage, call)
  if ('refusal' in given) return given.refusal
  const input = { row: name, bytes: given.bytes }
  const message = await inspector.look('toSoap', of, input, given.bytes.length)
  if ('title' in message) {
    const { title, text } = message
    passage.steps.push({ name: 'validate', passed: false, text })
    return { status: 400, title, detail: text }
  }
  const { contentType, soapAction, body } = message
  passage.body = Buffer.from(body)
  passage.steps.push({
    name: 'transform',
    passed: true,
    text: `JSON becomes a message of SOAP ${call.version}${call.input ? `, ${call.input.name}` : ''}`,
  })
  const kept: string[] = []
  for (let i = 0; i < inside.headers.length; i += 2)
    if (!replaced.has(canonicalName(inside.headers[i]!)))
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

/** The body of a request in JSON; empty where there is none and none is asked for. */
async function bodyOf(
  passage: Passage,
  call: FaceCall,
): Promise<{ bytes: Buffer } | { refusal: Refusal }> {
  const refuse = (status: number, title: string, text: string) => {
    passage.steps.push({ name: 'validate', passed: false, text })
    return { refusal: { status, title, detail: text } }
  }
  if (passage.head.framing.kind === 'none')
    return call.input && call.request !== undefined
      ? refuse(400, 'The body is missing', 'The operation takes a body in JSON')
      : { bytes: Buffer.alloc(0) }
  if (!isJsonType(mediaTypeOf(headerOf(passage, 'content-type'))))
    return refuse(415, 'Only JSON is taken here', 'The body is not application/json')
  if (!/^(?:identity)?$/i.test(headerOf(passage, 'content-encoding') ?? ''))
    return refuse(415, 'Compressed bodies are not taken', 'The body is compressed')
  const body = await readBody(passage, mostBytes)
  return body === 'too large'
    ? refuse(413, 'The body is too large', 'The body is larger than 4 MB')
    : { bytes: body }
}

const tooLong = { kind: 'wrong' as const, why: 'it takes too long to be read' }

/** What the client gets of an answer in SOAP: the value, or the fault as a problem. */
export const translateResponse =
  (passage: Passage, { face, name }: Route, inspector: Inspector): Capture =>
  async (status, body) => {
    const { of } = face!
    const wrong = (why: string) => {
      const text = `The backend’s answer is no message of SOAP: ${why}`
      passage.steps.push({ name: 'respond', passed: false, text })
      return shapedAnswer(passage, {
        status: 502,
        title: 'The backend gave no answer',
        detail: askAbout(passage),
      })
    }
    if (body?.length === 0 && status < 300)
      return { status: 202, fields: ['Content-Length', '0'], body: '' }
    if (body === undefined) return wrong('it is larger than 4 MB, or compressed')
    const input = { row: name, bytes: body }
    const read = await Promise.resolve(inspector.look('fromSoap', of, input, body.length)).catch(
      (error: unknown) => {
        if (error instanceof TooLong) return tooLong
        throw error
      },
    )
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
