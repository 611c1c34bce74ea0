import {
  createRouter,
  defineEventHandler,
  getQuery,
  getRequestHeader,
  getRouterParams,
  send,
  setResponseHeader,
  setResponseStatus,
  type H3Event,
  type Router,
} from 'h3'
import { limits } from '../../core/text/limits'
import { Credentials } from '../../shared/api/people'
import { Failure } from '../services/failure'
import { tooLarge } from '../services/catalog'
import { actorOf } from '../services/people'
import { actorOfToken } from '../services/tokens'
import type { Context, Operation, Services } from './operation'
import { problemOf, sendProblem } from './problems'
import { forgetSession, keepSession, sessionOf } from './session'
import { accept, queryOf } from './validate'

/** What a request is served with. */
export interface Serving {
  services: Services
  sessionSecret: string
}

export const prefix = '/api/v1'

/** Routes every operation; h3 takes its parameters with a colon. */
export function apiRouter(operations: Operation[], serving: Serving): Router {
  const router = createRouter()
  for (const operation of operations) {
    const path = prefix + operation.path.replace(/\{(\w+)\}/g, ':$1')
    router.add(path, handler(operation, serving), operation.method.toLowerCase() as 'get')
  }
  return router
}

function handler(operation: Operation, serving: Serving) {
  return defineEventHandler(async (event) => {
    try {
      return await answer(event, operation, serving)
    } catch (error) {
      return sendProblem(event, problemOf(error))
    }
  })
}

async function answer(
  event: H3Event,
  operation: Operation,
  { services, sessionSecret }: Serving,
): Promise<unknown> {
  if (operation.method !== 'GET') requireSameOrigin(event)
  const session = await sessionOf(event, sessionSecret)
  const context = await contextOf(operation, services, session, bearerOf(event))
  const query = operation.query
    ? await accept(operation.query, queryOf(operation.query, getQuery(event)))
    : undefined
  const bytes =
    operation.method === 'GET'
      ? new Uint8Array()
      : await bodyOf(event, operation.largest ?? (operation.raw ? limits.bytes : 8 * 1024 * 1024))
  const body = operation.body ? await accept(operation.body, parse(bytes)) : undefined
  const params = Object.fromEntries(
    Object.entries(getRouterParams(event)).map(([name, value]) => [name, decode(value)]),
  )
  const ifMatch = getRequestHeader(event, 'if-match')
  const credentials = operation.calledWith === 'password' ? await credentialsOf(event) : undefined
  const answered = await operation.handle(
    { params, query, body, bytes, ifMatch, session, credentials },
    context,
  )
  if (answered.session) await keepSession(event, sessionSecret, answered.session)
  if (answered.session === null) await forgetSession(event, sessionSecret)
  setResponseStatus(event, operation.success.status)
  for (const [name, value] of Object.entries(answered.headers ?? {}))
    setResponseHeader(event, name, value)
  if (operation.success.status === 204) return send(event, '')
  if (operation.success.mediaType)
    return send(
      event,
      answered.body,
      answered.headers?.['Content-Type'] ?? operation.success.mediaType,
    )
  setResponseHeader(event, 'Content-Type', 'application/json')
  return JSON.stringify(answered.body)
}

async function contextOf(
  operation: Operation,
  services: Services,
  session: string | undefined,
  token: string | undefined,
): Promise<Context> {
  if (token !== undefined && operation.calledWith !== 'password') {
    if (operation.calledWith === 'session') {
      throw new Failure(403, 'The token may not do this', 'This is only done signed in.')
    }
    const scope = operation.scope ?? (operation.method === 'GET' ? 'read' : 'write')
    return { ...services, actor: await actorOfToken(services, token, scope) }
  }
  const actor = session === undefined ? undefined : await actorOf(services, session)
  if (actor) return { ...services, actor }
  if (operation.calledWith === 'password')
    return { ...services, actor: { name: '', displayName: '', role: 'reader', team: undefined } }
  throw new Failure(
    401,
    'Not signed in',
    'Sign in to go on; what you were writing is kept in this browser.',
  )
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

/** Browsers name the page a change comes from; one from elsewhere is refused. */
function requireSameOrigin(event: H3Event): void {
  const origin = getRequestHeader(event, 'origin')
  if (origin === undefined) return
  if (URL.parse(origin)?.host !== getRequestHeader(event, 'host')) {
    throw new Failure(
      403,
      'From another site',
      'Changes are only taken from this application’s own pages.',
    )
  }
}

function parse(bytes: Uint8Array): unknown {
  try {
    return JSON.parse(Buffer.from(bytes).toString('utf8'))
  } catch (error) {
    throw new Failure(400, 'Bad request', `The body is not JSON: ${(error as Error).message}.`)
  }
}

function decode(value: string): string {
  try {
    return decodeURIComponent(value)
  } catch {
    return value
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
