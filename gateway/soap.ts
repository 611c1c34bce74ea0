import { type SoapVersion } from '../core/contract/envelopes'
import { firstElement, messageStart } from '../core/runtime/envelope'
import { mediaTypeOf, readParameters } from '../core/runtime/media'
import { isPlainEncoding, rootPart } from '../core/runtime/root-part'
import type { SoapMessage } from '../core/runtime/soap'
import { readBody, readStart } from './body'
import type { Inspector } from './inspector'
import { headerOf, type Check, type Passage, type Refusal } from './passage'

/** Larger messages are not taken; in bytes. Attachments count with them. */
const mostBytes = 16 * 1024 * 1024

type Parameters = ReadonlyMap<string, string>

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
  const parameters = readParameters(contentType(passage))
  const version = parameters && versionOf(passage, parameters)
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
  const charset = parameters.get('charset')
  if (charset !== undefined && !isPlainEncoding(charset))
    return stop(415, noMessage, `The message is said to be in ${charset.slice(0, 40)}`)
  const root = envelopeIn(passage, await readStart(passage, messageStart))
  if ('refused' in root) return stop(400, noMessage, root.refused)
  const found = firstElement(root.bytes.toString('utf8'), version, root.isWhole)
  if ('refused' in found) return stop(400, noMessage, found.refused)
  const action = actionOf(passage, version, parameters)
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
    const root = envelopeIn(passage, { bytes: body, isWhole: true })
    if ('refused' in root) return refuse(passage, 400, noMessage, root.refused)
    const { bytes } = root
    const input = { bytes, version: passage.soap ?? '1.1' }
    const why = await inspector.look('envelope', undefined, input, bytes.length)
    return why === undefined ? undefined : refuse(passage, 400, noMessage, why)
  }

const contentType = (passage: Passage) => headerOf(passage, 'content-type') ?? ''
const isMultipart = (passage: Passage) => mediaTypeOf(contentType(passage)) === 'multipart/related'

function versionOf(passage: Passage, parameters: Parameters): SoapVersion | undefined {
  const type = isMultipart(passage)
    ? (parameters.get('start-info') ?? parameters.get('type') ?? '').toLowerCase()
    : mediaTypeOf(contentType(passage))
  if (type.startsWith('application/soap+xml')) return '1.2'
  return type.startsWith('text/xml') ? '1.1' : undefined
}

function actionOf(
  passage: Passage,
  version: SoapVersion,
  parameters: Parameters,
): string | undefined {
  const written =
    version === '1.2' && !isMultipart(passage)
      ? parameters.get('action')
      : (headerOf(passage, 'soapaction') ?? parameters.get('action'))
  const action = written?.trim().replace(/^"(.*)"$/, '$1')
  return action === undefined || action === '' ? undefined : action
}

/** The envelope in a body, as far as it came. */
function envelopeIn(
  passage: Passage,
  { bytes, isWhole }: { bytes: Buffer; isWhole: boolean },
): { bytes: Buffer; isWhole: boolean } | { refused: string } {
  if (!isMultipart(passage)) return { bytes, isWhole }
  const parameters = readParameters(contentType(passage)) ?? new Map<string, string>()
  const part = rootPart(bytes.toString('latin1'), parameters, isWhole)
  return 'refused' in part
    ? part
    : { bytes: bytes.subarray(part.from, part.to), isWhole: part.isWhole }
}
