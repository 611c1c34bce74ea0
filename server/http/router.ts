import {
  defineEventHandler,
  getQuery,
  getRequestHeader,
  send,
  setResponseHeader,
  setResponseStatus,
  type EventHandler,
  type H3Event,
} from 'h3'
import { limits } from '../../core/text/limits'
import { Credentials } from '../../shared/api/people'
import { Failure, notFound } from '../services/failure'
import { tooLarge } from '../services/catalog'
import { isSetUp } from '../services/administration'
import { actAs } from '../services/context'
import { actorOf } from '../services/people'
import { actorOfToken } from '../services/tokens'
import type { Answer, Context, Operation, Services } from './operation'
import { compressed } from './compressed'
import { noteAnswer } from './metrics'
import { keyIn, once, type Response } from './once'
import { problemOf, sendProblem } from './problems'
import { forgetSession, keepKnown, keepSession, originOf, placeOf, sessionOf } from './session'
import { accept, queryOf, requirePlain } from './validate'
import { errorText } from '../../core/text/values'

/** What a request is served with. */
export interface Serving {
  services: Services
  sessionSecret: string
}

export const prefix = '/api/v1'

interface Route {
  operation: Operation
  pattern: RegExp
  names: string[]
}

/** An operation's path as it is matched; those without parameters come first. */
function routesOf(operations: Operation[]): Route[] {
  const routes = operations.map((operation): Route => {
    const names = [...operation.path.matchAll(/\{(\w+)\}/g)].map((match) => match[1]!)
    const pattern = new RegExp(`^${operation.path.replace(/\{\w+\}/g, '([^/]+)')}$`)
    return { operation, pattern, names }
  })
  return routes.sort((a, b) => a.names.length - b.names.length)
}

/** Serves every operation, and says of anything else that it is not there or is not done so. */
export function apiHandler(operations: Operation[], serving: Serving): EventHandler {
  const routes = routesOf(operations)
  return defineEventHandler(async (event) => {
    setResponseHeader(event, 'Cache-Control', 'no-store')
    const began = performance.now()
    let operation = 'none'
    event.node.res.once('close', () =>
      noteAnswer(operation, event.node.res.statusCode, (performance.now() - began) / 1000),
    )
    try {
      const path = event.path.split('?')[0]!
      const below = path.startsWith(`${prefix}/`) ? path.slice(prefix.length) : ''
      const here = routes.filter(({ pattern }) => pattern.test(below))
      const found = here.find((route) => route.operation.method === event.method)
      if (found) operation = found.operation.id
      if (found) return await answer(event, found, below, serving)
      if (here.length === 0) throw notFound(`operation at ${path.slice(0, 200)}`)
      const allowed = [...new Set(here.map((route) => route.operation.method))].sort().join(', ')
      throw new Failure(
        405,
        'Method not allowed',
        `${path.slice(0, 200)} takes ${allowed}.`,
        undefined,
        { Allow: allowed },
      )
    } catch (error) {
      return sendProblem(event, problemOf(error, event.method !== 'GET'))
    }
  })
}

/** The parameters of a path, each decoded. */
function paramsOf({ pattern, names }: Route, path: string): Record<string, string> {
  const values = pattern.exec(path)!.slice(1)
  const params = Object.fromEntries(names.map((name, i) => [name, decode(values[i]!)]))
  requirePlain(params, 'path')
  return params
}

async function answer(
  event: H3Event,
  route: Route,
  path: string,
  { services, sessionSecret }: Serving,
): Promise<unknown> {
  const { operation } = route
  requireSameSite(event)
  const session = await sessionOf(event, sessionSecret)
  const context = await contextOf(operation, services, session, bearerOf(event))
  const code = operation.calledWith === 'code' ? codeOf(event) : ''
  const signed =
    operation.calledWith === 'signature'
      ? (name: string) => getRequestHeader(event, name) ?? ''
      : undefined
  const params = paramsOf(route, path)
  const query = operation.query
    ? await accept(operation.query, queryOf(operation.query, getQuery(event)))
    : undefined
  const bytes =
    operation.method === 'GET'
      ? new Uint8Array()
      : await bodyOf(event, operation.largest ?? (operation.raw ? limits.bytes : 8 * 1024 * 1024))
  const body = operation.body ? await accept(operation.body, parse(bytes)) : undefined
  const ifMatch = getRequestHeader(event, 'if-match')?.slice(0, 200)
  const credentials = operation.calledWith === 'password' ? await credentialsOf(event) : undefined
  const origin = originOf(event)
  const place = await placeOf(event, sessionSecret, credentials?.name)
  const given = { params, query, body, bytes, ifMatch, session, credentials, code, signed }
  const answerOf = () => operation.handle({ ...given, origin, place }, context)
  const key =
    operation.method === 'GET' || context.actor.id === 0 || operation.success.mediaType
      ? undefined
      : keyIn(getRequestHeader(event, 'idempotency-key'))
  if (key !== undefined) {
    const request = [operation.method, event.path, ifMatch ?? '', bytes]
    const response = await once(services, context.actor.id, key, request, async () =>
      responseOf(operation, await answerOf()),
    )
    return sendResponse(event, response)
  }
  const answered = await answerOf()
  if (answered.session) await keepSession(event, sessionSecret, answered.session)
  if (answered.known !== undefined) await keepKnown(event, sessionSecret, answered.known)
  if (answered.session === null) await forgetSession(event, sessionSecret)
  if (operation.success.mediaType && answered.body !== undefined) {
    const { mediaType } = operation.success
    setHead(event, answered.status ?? operation.success.status, answered.headers ?? {})
    return send(
      event,
      await bodyFor(event, mediaType, answered.body as string | Uint8Array),
      answered.headers?.['Content-Type'] ?? mediaType,
    )
  }
  return sendResponse(event, responseOf(operation, answered))
}

/** What an answer is as JSON. */
const responseOf = ({ success }: Operation, { status, headers = {}, body }: Answer<unknown>) => ({
  status: status ?? success.status,
  headers,
  body: body === undefined ? '' : JSON.stringify(body),
})

async function sendResponse(event: H3Event, { status, headers, body }: Response): Promise<unknown> {
  setHead(event, status, headers)
  return body === ''
    ? send(event, '')
    : send(event, await compressed(event, body), 'application/json')
}

function setHead(event: H3Event, status: number, headers: Record<string, string>): void {
  setResponseStatus(event, status)
  for (const [name, value] of Object.entries(headers)) setResponseHeader(event, name, value)
}

/** Archives are compressed as they are. */
const bodyFor = (event: H3Event, mediaType: string, body: string | Uint8Array) =>
  mediaType === 'application/zip' ? body : compressed(event, body)

async function contextOf(
  operation: Operation,
  services: Services,
  session: string | undefined,
  token: string | undefined,
): Promise<Context> {
  const anybody = ['password', 'code', 'signature'].includes(operation.calledWith ?? 'any')
  if (token !== undefined && !anybody) {
    if (operation.calledWith === 'session') {
      throw new Failure(403, 'The token may not do this', 'This is only done signed in.')
    }
    const scope = operation.scope ?? (operation.method === 'GET' ? 'read' : 'write')
    return actAs(services, await actorOfToken(services, token, scope))
  }
  const actor = session === undefined ? undefined : await actorOf(services, session)
  if (actor) return actAs(services, actor)
  if (anybody)
    return actAs(services, {
      id: 0,
      name: '',
      displayName: '',
      role: 'reader',
      team: undefined,
    })
  if (!(await isSetUp(services.db))) {
    throw new Failure(
      401,
      'Not set up yet',
      'Nobody has set the product up. The code on its terminal makes the first administrator.',
    )
  }
  throw new Failure(
    401,
    'Not signed in',
    'Sign in to go on; what you were writing is kept in this browser.',
  )
}

/** A code that works once, in a header of its own so that no log of bodies or addresses keeps it. */
function codeOf(event: H3Event): string {
  const code = getRequestHeader(event, 'x-one-time-code') ?? ''
  if (code !== '' && code.length <= 100) return code
  throw new Failure(401, 'Not signed in', 'Give the code in X-One-Time-Code.')
}

/** A token as RFC 6750 carries it. */
const bearerOf = (event: H3Event): string | undefined =>
  /^Bearer ([\w.~+/=-]+)$/i.exec(getRequestHeader(event, 'authorization') ?? '')?.[1]

/** A name and password as HTTP Basic (RFC 7617) carries them, in UTF-8. */
function credentialsOf(event: H3Event): Promise<Credentials> {
  const given = /^Basic ([A-Za-z0-9+/=]+)$/i.exec(
    getRequestHeader(event, 'authorization') ?? '',
  )?.[1]
  if (!given) throw new Failure(401, 'Not signed in', 'Give a name and a password.')
  const text = Buffer.from(given, 'base64').toString('utf8')
  const colon = text.indexOf(':')
  return accept(Credentials, { name: text.slice(0, colon), password: text.slice(colon + 1) })
}

/**
 * Browsers name the page that a request comes from: nothing is done for one from elsewhere. Programs with a token of
 * their own send no cookie that a page could misuse.
 */
function requireSameSite(event: H3Event): void {
  const refused = new Failure(
    403,
    'From another site',
    'Requests are only taken from this application’s own pages.',
  )
  if (bearerOf(event) !== undefined) return
  const site = getRequestHeader(event, 'sec-fetch-site')
  if (site !== undefined && site !== 'same-origin' && site !== 'none') throw refused
  const origin = getRequestHeader(event, 'origin')
  if (origin !== undefined && URL.parse(origin)?.host !== getRequestHeader(event, 'host'))
    throw refused
}

function parse(bytes: Uint8Array): unknown {
  try {
    return JSON.parse(new TextDecoder('utf-8', { fatal: true }).decode(bytes))
  } catch (error) {
    throw new Failure(400, 'Bad request', `The body is not JSON: ${errorText(error)}.`)
  }
}

function decode(value: string): string {
  try {
    return decodeURIComponent(value)
  } catch {
    throw new Failure(400, 'Bad request', 'The path is not UTF-8 once it is decoded.')
  }
}

/** The body, refused as soon as it is known to be too large. */
async function bodyOf(event: H3Event, most: number): Promise<Uint8Array> {
  const request = event.node.req
  const announced = Number(request.headers['content-length'] ?? 0)
  const chunks: Buffer[] = []
  let size = 0
  if (announced > most) {
    request.resume()
    throw tooLarge()
  }
  for await (const chunk of request as AsyncIterable<Buffer>) {
    size += chunk.length
    if (size > most) throw tooLarge()
    chunks.push(chunk)
  }
  return Buffer.concat(chunks)
}
