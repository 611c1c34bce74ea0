import { SaxesParser } from 'saxes'
import { envelopeNamespaces, type SoapVersion } from '../core/contract/envelopes'
import { mediaTypeOf } from '../core/runtime/media'
import type { SoapMessage } from '../core/runtime/soap'
import { readBody } from './body'
import { headerOf, type Passage, type Refusal } from './passage'

/** Larger messages are not looked into; in bytes. Attachments count with them. */
const mostBytes = 16 * 1024 * 1024

/** Reads what a message says of the operation it is for. What is no message is refused, with the reason. */
export async function readMessage(passage: Passage): Promise<SoapMessage | Refusal> {
  const version = versionOf(passage)
  passage.soap = version ?? '1.1'
  const refuse = (status: number, title: string, text: string): Refusal => {
    passage.steps.push({ name: 'match', passed: false, text })
    return { status, title }
  }
  if (!version)
    return refuse(
      415,
      'This is no SOAP message',
      'SOAP 1.1 is text/xml, SOAP 1.2 is application/soap+xml; with attachments multipart/related',
    )
  const coding = headerOf(passage, 'content-encoding')
  if (coding !== undefined && coding.toLowerCase() !== 'identity')
    return refuse(415, 'Compressed messages are not taken', 'The message is compressed')
  const body = await readBody(passage, mostBytes)
  if (body === 'too large')
    return refuse(413, 'The message is too large', 'The message is larger than 16 MB')
  const text = isMultipart(passage) ? rootPart(passage, body) : body.toString('utf8')
  if (text === undefined)
    return refuse(400, 'This is no SOAP message', 'The first part of the message has no end')
  const found = firstElement(text, version)
  if ('refused' in found) return refuse(400, 'This is no SOAP message', found.refused)
  const action = actionOf(passage, version)
  return {
    version,
    ...(action !== undefined && { action }),
    ...(found.element !== undefined && { element: found.element }),
  }
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

/** The root part of a message with attachments: the first one (RFC 2387, section 3.2). */
function rootPart(passage: Passage, body: Buffer): string | undefined {
  const boundary = parameter(passage, 'boundary')
  if (boundary === undefined || boundary.length > 70) return undefined
  const delimiter = Buffer.from(`--${boundary}`)
  const begin = body.indexOf(delimiter)
  const head = begin === -1 ? -1 : body.indexOf('\r\n\r\n', begin)
  const end = head === -1 ? -1 : body.indexOf(`\r\n--${boundary}`, head)
  return end === -1 ? undefined : body.toString('utf8', head + 4, end)
}

class Stopped extends Error {}

/** The first element of the body of an envelope, in one pass over all of it: two bodies would be two messages. */
function firstElement(
  text: string,
  version: SoapVersion,
): { element?: string } | { refused: string } {
  const space = envelopeNamespaces[version]
  const path: string[] = []
  let bodies = 0
  let element: string | undefined
  const parser = new SaxesParser({ xmlns: true })
  parser.on('doctype', () => {
    throw new Stopped('The message has a document type declaration')
  })
  parser.on('opentag', ({ local, uri }) => {
    const name = `{${uri}}${local}`
    if (path.length === 0 && name !== `{${space}}Envelope`)
      throw new Stopped(`The message is ${name.slice(0, 200)}, and no envelope of SOAP ${version}`)
    if (path.length === 1 && name === `{${space}}Body` && ++bodies > 1)
      throw new Stopped('The message has more than one body')
    if (path.length === 2 && path[1] === `{${space}}Body`) element ??= name
    path.push(name)
    if (path.length > 200) throw new Stopped('The message is nested more than 200 deep')
  })
  parser.on('closetag', () => void path.pop())
  parser.on('error', ({ message }) => {
    throw new Stopped(`The message is not well-formed (${message.slice(0, 200)})`)
  })
  try {
    parser.write(text).close()
  } catch (error) {
    if (error instanceof Stopped) return { refused: error.message }
    throw error
  }
  if (bodies === 0) return { refused: 'The message has no body' }
  return element === undefined ? {} : { element }
}
