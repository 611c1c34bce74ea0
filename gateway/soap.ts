import { type SoapVersion } from '../core/contract/envelopes'
import { firstElement, isPlainEncoding, messageStart } from '../core/runtime/envelope'
import { mediaTypeOf } from '../core/runtime/media'
import type { SoapMessage } from '../core/runtime/soap'
import { readBody, readStart } from './body'
import type { Inspector } from './inspector'
import { headerOf, type Check, type Passage, type Refusal } from './passage'

/** Larger messages are not taken; in bytes. Attachments count with them. */
const mostBytes = 16 * 1024 * 1024

const noMessage = 'This is no SOAP message'

function refuse(passage: Passage, status: number, title: string, text: string): Refusal {
  passage.steps.push({ name: 'match', passed: false, text })
  return { status, title }
}

/**
 * Reads what a message says of the operation it is for, by its beginning alone: nobody knows yet who sent it. What is no
 * message is refused, with the reason.
 */
export async function readMessage(passage: Passage): Promise<SoapMessage | Refusal> {
  const version = versionOf(passage)
  passage.soap = version ?? '1.1'
  const stop = (status: number, title: string, text: string) => refuse(passage, status, title, text)
  if (!version)
    return stop(
      415,
      noMessage,
      'SOAP 1.1 is text/xml, SOAP 1.2 is application/soap+xml; with attachments multipart/related',
    )
  const coding = headerOf(passage, 'content-encoding')
  if (coding !== undefined && coding.toLowerCase() !== 'identity')
    return stop(415, 'Compressed messages are not taken', 'The message is compressed')
  const charset = parameter(passage, 'charset')
  if (charset !== undefined && !isPlainEncoding(charset))
    return stop(415, noMessage, `The message is said to be in ${charset.slice(0, 40)}`)
  const { bytes, isWhole } = await readStart(passage, messageStart)
  const root = isMultipart(passage) ? rootPart(passage, bytes) : { bytes, isWhole }
  if (!root || (isWhole && !root.isWhole))
    return stop(400, noMessage, 'The first part of the message has no end')
  const found = firstElement(root.bytes.toString('utf8'), version, root.isWhole)
  if ('refused' in found) return stop(400, noMessage, found.refused)
  const action = actionOf(passage, version)
  return {
    version,
    ...(action !== undefined && { action }),
    ...(found.element !== undefined && { element: found.element }),
  }
}

/** Looks at the rest of a message once it is known who sent it: it can be understood in one way only. */
export const messageCheck =
  (inspector: Inspector): Check =>
  async (passage) => {
    const body = await readBody(passage, mostBytes)
    if (body === 'too large')
      return refuse(passage, 413, 'The message is too large', 'The message is larger than 16 MB')
    const root = isMultipart(passage) ? rootPart(passage, body) : { bytes: body, isWhole: true }
    if (!root?.isWhole)
      return refuse(passage, 400, noMessage, 'The first part of the message has no end')
    const { bytes } = root
    const input = { bytes, version: passage.soap ?? '1.1' }
    const why = await inspector.look('envelope', undefined, input, bytes.length)
    return why === undefined ? undefined : refuse(passage, 400, noMessage, why)
  }

const contentType = (passage: Passage) => headerOf(passage, 'content-type') ?? ''
const isMultipart = (passage: Passage) => mediaTypeOf(contentType(passage)) === 'multipart/related'

/** A parameter of the media type: `action="urn:lab:registerSample"`. */
const parameter = (passage: Passage, name: string) =>
  new RegExp(`;\\s*${name}\\s*=\\s*(?:"([^"]*)"|([^\\s;"]+))`, 'i')
    .exec(contentType(passage).slice(0, 2000))
    ?.slice(1)
    .find((value) => value !== undefined)

function versionOf(passage: Passage): SoapVersion | undefined {
  const type = isMultipart(passage)
    ? (parameter(passage, 'start-info') ?? parameter(passage, 'type') ?? '').toLowerCase()
    : mediaTypeOf(contentType(passage))
  if (type.startsWith('application/soap+xml')) return '1.2'
  return type.startsWith('text/xml') ? '1.1' : undefined
}

function actionOf(passage: Passage, version: SoapVersion): string | undefined {
  const written =
    version === '1.2' && !isMultipart(passage)
      ? parameter(passage, 'action')
      : (headerOf(passage, 'soapaction') ?? parameter(passage, 'action'))
  const action = written?.trim().replace(/^"(.*)"$/, '$1')
  return action === undefined || action === '' ? undefined : action
}

/** The root part of a message with attachments, as far as it came: the first one (RFC 2387, section 3.2). */
function rootPart(passage: Passage, body: Buffer): { bytes: Buffer; isWhole: boolean } | undefined {
  const boundary = parameter(passage, 'boundary')
  if (boundary === undefined || boundary.length > 70) return undefined
  const begin = body.indexOf(`--${boundary}`)
  const head = begin === -1 ? -1 : body.indexOf('\r\n\r\n', begin)
  if (head === -1) return undefined
  const end = body.indexOf(`\r\n--${boundary}`, head)
  return { bytes: body.subarray(head + 4, end === -1 ? undefined : end), isWhole: end !== -1 }
}
