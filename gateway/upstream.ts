import type { IncomingMessage, ServerResponse } from 'node:http'
import { PassThrough } from 'node:stream'
import type { Dispatcher } from 'undici'
import { returnedHeaders, type Framing } from './framing'
import { errorText } from '../core/text/values'

export interface Sending {
  agent: Dispatcher
  request: IncomingMessage
  response: ServerResponse
  framing: Framing
  /** The whole body, where it was read already. */
  body: Buffer | undefined
  origin: string
  method: string
  /** Path and query, sent as they are. */
  path: string
  headers: string[]
  /** Longest time with nothing happening, and in all; in milliseconds. */
  idleMs: number
  totalMs: number
  /** The headers that the client gets, from those of the backend. */
  fields: (status: number, given: string[]) => string[]
  /** Looks at the response as it passes; nothing where nobody wants to. */
  watch: Watch | undefined
  /** Makes the whole response out of the backend’s; where absent it is passed on as it comes. */
  capture?: Capture | undefined
  /** Whether a status is told and the response dropped, instead of being passed on. */
  drops: (status: number) => boolean
}

/** What a client gets for a whole response: its body, or undefined where that is too large or cannot be read. */
export type Capture = (
  status: number,
  body: Buffer | undefined,
) => Promise<{ status: number; fields: string[]; body: string }>

/** Larger responses are not made anew; in bytes. */
const mostCaptured = 4 * 1024 * 1024

/** Looks at a response: at its bytes as they come, and at its end. */
export type Watch = (
  status: number,
  headers: { contentType: string | undefined; contentEncoding: string | undefined },
) => { chunk: (bytes: Buffer) => void; end: () => void } | undefined

/** How sending went: what the backend answered, or why there is no response of it. */
export type Outcome =
  | { kind: 'response'; status: number; dropped: boolean }
  | { kind: 'none'; why: string; timeout: boolean }
  /** The client did not wait for it. */
  | { kind: 'gone' }

/**
 * Sends a request on and the response back. `settled` is told once, as soon as the response begins or cannot; a
 * response that breaks off later breaks the client's off too.
 */
export function sendOn(sending: Sending, settled: (outcome: Outcome) => void): void {
  const { request, response, framing, idleMs } = sending
  let answered: number | undefined
  let control: Dispatcher.DispatchController | undefined
  let over = false
  let waits = false
  let read = request.socket.bytesRead

  const idle = setTimeout(() => {
    // A client that is still sending, or that takes its time to read, is not the backend's silence.
    if (waits || request.socket.bytesRead > read) {
      read = request.socket.bytesRead
      idle.refresh()
    } else fail(`no response within ${idleMs} ms`, true)
  }, idleMs)
  const total = setTimeout(
    () => fail(`no whole response within ${sending.totalMs} ms`, true),
    sending.totalMs,
  )

  const finish = () => {
    over = true
    clearTimeout(idle)
    clearTimeout(total)
  }
  const fail = (why: string, timeout = false) => {
    if (over) return
    finish()
    control?.abort(new Error(why))
    if (response.headersSent || response.destroyed) response.destroy()
    else settled({ kind: 'none', why, timeout })
  }

  let told = false
  let watched: ReturnType<Watch>
  let captured: Captured | undefined
  const answer = async ({ status, plain, chunks, size }: Captured) => {
    const whole = plain && size <= mostCaptured ? Buffer.concat(chunks) : undefined
    const made = await sending.capture!(status, whole)
    if (response.destroyed) return
    response.writeHead(made.status, sending.fields(made.status, made.fields))
    response.end(made.body)
  }
  const end = () => {
    if (over) return
    finish()
    if (!request.complete) response.shouldKeepAlive = false
    if (captured) return void answer(captured).catch(() => response.destroy())
    watched?.end()
    if (!response.writableEnded) response.end()
  }
  /** Bytes that are still to come; NaN where nobody knows. */
  let left = NaN
  response.once('close', () => {
    if (over) return
    finish()
    control?.abort(new Error('the client went away'))
    if (!told) settled({ kind: 'gone' })
  })

  const length = sending.body?.length ?? (framing.kind === 'length' ? framing.length : undefined)
  sending.agent.dispatch(
    {
      origin: sending.origin,
      path: sending.path,
      method: sending.method,
      headers:
        length === undefined
          ? sending.headers
          : [...sending.headers, 'content-length', String(length)],
      body: sending.body ?? bodyOf(request, framing),
    },
    {
      onRequestStart(controller) {
        control = controller
        if (over) controller.abort(new Error('the client went away'))
      },
      onResponseStart(controller, status, headers) {
        if (over || (status >= 100 && status < 200)) return
        idle.refresh()
        if (status < 200 || status > 599) return fail(`the status ${status}, which is none`)
        if (sending.drops(status)) {
          finish()
          controller.abort(new Error('another one is tried'))
          return settled({ kind: 'response', status, dropped: true })
        }
        if (sending.capture) {
          const [coding = 'identity'] = [headers['content-encoding']].flat()
          captured = { status, plain: coding === 'identity', chunks: [], size: 0 }
          told = true
          return settled({ kind: 'response', status, dropped: false })
        }
        answered = status
        try {
          response.writeHead(
            status,
            sending.fields(status, returnedHeaders(rawOf(controller), status)),
          )
        } catch (error) {
          return fail(`headers that no response may have (${errorText(error)})`)
        }
        told = true
        settled({ kind: 'response', status, dropped: false })
        left = lengthOf(headers['content-length'])
        const [contentType] = [headers['content-type']].flat()
        const [contentEncoding] = [headers['content-encoding']].flat()
        watched = sending.watch?.(status, { contentType, contentEncoding })
      },
      onResponseData(controller, chunk) {
        if (over) return
        idle.refresh()
        if (captured) return take(captured, chunk)
        watched?.chunk(chunk)
        left -= chunk.length
        // Head and body leave together where the body came whole.
        if (left === 0 && request.complete) return endWith(response, chunk)
        if (response.write(chunk)) return
        waits = true
        controller.pause()
        response.once('drain', () => {
          waits = false
          idle.refresh()
          controller.resume()
        })
      },
      onResponseEnd: end,
      onResponseError(_controller, error) {
        // What has no body is over with its head, whatever length it says (RFC 9112, section 6.3).
        if ((answered === 304 || answered === 204) && isOtherLength(error)) end()
        else fail(reasonOf(error))
      },
    },
  )
}

const isOtherLength = (error: NodeJS.ErrnoException) =>
  error.code === 'UND_ERR_RES_CONTENT_LENGTH_MISMATCH'

interface Captured {
  status: number
  plain: boolean
  chunks: Buffer[]
  size: number
}

/** Keeps a response, as far as it is not too large anyway. */
function take(captured: Captured, chunk: Buffer): void {
  captured.size += chunk.length
  if (captured.size <= mostCaptured) captured.chunks.push(chunk)
  else captured.chunks.length = 0
}

/** Ends a response with its last bytes; few of them as text of the same bytes, which leaves in one piece with the head. */
function endWith(response: ServerResponse, chunk: Buffer): void {
  if (chunk.length > 16_384) response.end(chunk)
  else response.end(chunk.toString('latin1'), 'latin1')
}

const lengthOf = (written: string | string[] | undefined) =>
  typeof written === 'string' && /^\d+$/.test(written) ? Number(written) : NaN

const rawOf = ({ rawHeaders }: Dispatcher.DispatchController): string[] =>
  Array.isArray(rawHeaders)
    ? rawHeaders.map((part) => (typeof part === 'string' ? part : part.toString('latin1')))
    : []

/**
 * The body to send on, framed anew by the length that was announced or in chunks. It is a stream of its own, so that a
 * backend that wants no more of it does not end the client's connection.
 */
function bodyOf(request: IncomingMessage, framing: Framing): PassThrough | null {
  if (framing.kind === 'none') return null
  const body = new PassThrough()
  body.on('error', () => {
    request.unpipe(body)
    request.resume()
  })
  request.once('close', () => {
    if (!request.complete) body.destroy(new Error('the client broke off'))
  })
  request.pipe(body)
  return body
}

function reasonOf(error: Error): string {
  const { code, message } = error as NodeJS.ErrnoException
  if (code === 'ECONNREFUSED') return 'nothing listens there'
  if (code?.startsWith('HPE_')) return 'a response that is not HTTP'
  return message
}
