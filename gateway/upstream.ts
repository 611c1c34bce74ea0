import dns from 'node:dns'
import type { IncomingMessage, ServerResponse } from 'node:http'
import type { LookupFunction } from 'node:net'
import { PassThrough } from 'node:stream'
import { Agent, type Dispatcher } from 'undici'
import { whyForbidden } from '../core/routing/backend-address'
import { returnedHeaders, type Framing } from './framing'
import { errorText } from '../core/text/values'

/** Resolves a name, and refuses it where it leads to an address that no request may be sent to. */
const guardedLookup: LookupFunction = (host, options, done) =>
  dns.lookup(host, { ...options, all: true }, (error, addresses) => {
    if (error) return done(error, '', 0)
    const [first] = addresses
    const why = addresses.map(({ address }) => whyForbidden(address)).find(Boolean)
    if (why || !first) return done(new Error(why ? `its name ${why}` : 'has no address'), '', 0)
    if (options.all) done(null, addresses)
    else done(null, first.address, first.family)
  })

/** Keeps connections to backends. Bytes that nobody asked for end a connection (undici destroys it). */
const agent = new Agent({
  connections: 256,
  pipelining: 1,
  headersTimeout: 0,
  bodyTimeout: 0,
  connect: { timeout: 10_000, lookup: guardedLookup },
})

export interface Sending {
  request: IncomingMessage
  response: ServerResponse
  framing: Framing
  origin: string
  /** Path and query, sent as they are. */
  path: string
  headers: string[]
  /** Longest time with nothing happening, and in all; in milliseconds. */
  idleMs: number
  totalMs: number
  /** Headers of the gateway's own on the response. */
  own: string[]
}

/** How sending went: what the backend answered, or why there is no response of it. */
export type Outcome =
  { kind: 'response'; status: number } | { kind: 'none'; why: string; timeout: boolean }

/**
 * Sends a request on and the response back. `settled` is told once, as soon as the response begins or cannot; a
 * response that breaks off later breaks the client's off too.
 */
export function sendOn(sending: Sending, settled: (outcome: Outcome) => void): void {
  const { request, response, framing, idleMs } = sending
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

  response.once('close', () => {
    if (over) return
    finish()
    control?.abort(new Error('the client went away'))
  })

  agent.dispatch(
    {
      origin: sending.origin,
      path: sending.path,
      method: request.method ?? 'GET',
      headers:
        framing.kind === 'length'
          ? [...sending.headers, 'content-length', String(framing.length)]
          : sending.headers,
      body: bodyOf(request, framing),
    },
    {
      onRequestStart(controller) {
        control = controller
        if (over) controller.abort(new Error('the client went away'))
      },
      onResponseStart(controller, status) {
        if (over || (status >= 100 && status < 200)) return
        idle.refresh()
        if (status < 200 || status > 599) return fail(`the status ${status}, which is none`)
        try {
          response.writeHead(status, [...returnedHeaders(rawOf(controller)), ...sending.own])
        } catch (error) {
          return fail(`headers that no response may have (${errorText(error)})`)
        }
        settled({ kind: 'response', status })
      },
      onResponseData(controller, chunk) {
        if (over) return
        idle.refresh()
        if (response.write(chunk)) return
        waits = true
        controller.pause()
        response.once('drain', () => {
          waits = false
          idle.refresh()
          controller.resume()
        })
      },
      onResponseEnd() {
        if (over) return
        finish()
        if (!request.complete) response.shouldKeepAlive = false
        response.end()
      },
      onResponseError(_controller, error) {
        fail(reasonOf(error))
      },
    },
  )
}

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
