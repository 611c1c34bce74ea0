import { routes, type Calls } from './table'

type Sends = 'json' | 'text' | 'nothing'
/** A list is JSON with `items`, and `nextCursor` where there are more. */
type Reads = 'json' | 'list' | 'text' | 'nothing'

/** Method, path below `/api/v1`, what is sent and what comes back. */
export type Route = readonly [method: string, path: string, sends: Sends, reads: Reads]

export interface Page<T> {
  items: T[]
  nextCursor?: string
}

/** What an operation takes and gives. */
export interface Call<Names extends string, Query, Body, Response> {
  names: Names
  query: Query
  body: Body
  response: Response
}

type AnyCall = Call<string, unknown, unknown, unknown>

interface Options {
  /** The state that is changed, from `ETag`. */
  ifMatch?: string | undefined
  signal?: AbortSignal | undefined
  headers?: Record<string, string>
}

/** A query travels as text: what of it is written in an address bar is judged by the server. */
type Written<T> = {
  [K in keyof T]: T[K] extends string | undefined ? string | undefined : T[K] | undefined
}
type Params<C extends AnyCall> = Record<C['names'], string | number> &
  (C['query'] extends object ? Written<C['query']> : object)

type Arguments<C extends AnyCall> = C['body'] extends undefined
  ? object extends Params<C>
    ? [params?: Params<C>, options?: Options]
    : [params: Params<C>, options?: Options]
  : [params: Params<C>, body: C['body'], options?: Options]

/** A response whose JSON is known. */
export interface Reply<T> extends Response {
  json(): Promise<T>
}

/** Every operation as a function of its parameters (of path and query) and its body. */
export type Client = {
  [Id in keyof Calls]: (...args: Arguments<Calls[Id]>) => Promise<Calls[Id]['response']>
} & {
  /** The same, with the response as it came: for its headers or its bytes. */
  raw: {
    [Id in keyof Calls]: (...args: Arguments<Calls[Id]>) => Promise<Reply<Calls[Id]['response']>>
  }
}

/** A request as it leaves the client; the path has its parameters and query in it. */
export interface Outgoing {
  method: string
  path: string
  headers: Record<string, string>
  body?: string | Blob
  signal?: AbortSignal
}

/** How a client reaches its server: answers a response that is a success, and throws any other. */
export type Send = (request: Outgoing) => Promise<Response>

type Values = Record<string, string | number | boolean | null | undefined>

/** Items of a page where nobody says how many. */
const wholePage = 1000

/**
 * A client of the API, typed by the table of its operations. A list that is asked for without `limit` and `cursor` is
 * read whole, page by page.
 */
export function clientOver(send: Send): Client {
  const request = (id: keyof Calls, params: Values, body: unknown, options: Options) => {
    const [method, path, sends] = routes[id] as Route
    const { ifMatch, signal, headers } = options
    return send({
      method,
      path: pathOf(path, params),
      headers: {
        ...(sends !== 'nothing' && {
          'Content-Type': sends === 'json' ? 'application/json' : 'text/plain',
        }),
        ...(ifMatch !== undefined && { 'If-Match': ifMatch }),
        ...headers,
      },
      ...(body !== undefined && {
        body: sends === 'json' ? JSON.stringify(body) : (body as string | Blob),
      }),
      ...(signal && { signal }),
    })
  }
  const read = async (
    id: keyof Calls,
    params: Values,
    body: unknown,
    options: Options,
  ): Promise<unknown> => {
    const [, , , reads] = routes[id] as Route
    if (reads === 'list' && params['limit'] === undefined && params['cursor'] === undefined)
      return wholeList((more) => request(id, { ...params, ...more }, body, options))
    const response = await request(id, params, body, options)
    if (reads === 'nothing' || response.status === 204) return undefined
    return reads === 'text' ? response.text() : response.json()
  }
  const functions =
    (act: typeof request | typeof read) =>
    (_: unknown, id: string | symbol) =>
    (params: Values = {}, second?: unknown, third?: Options) => {
      const [, , sends] = routes[id as keyof Calls] as Route
      return sends === 'nothing'
        ? act(id as keyof Calls, params, undefined, (second as Options | undefined) ?? {})
        : act(id as keyof Calls, params, second, third ?? {})
    }
  const raw = new Proxy({}, { get: functions(request) })
  const make = functions(read)
  return new Proxy(
    {},
    { get: (target, id) => (id === 'raw' ? raw : make(target, id)) },
  ) as unknown as Client
}

async function wholeList(page: (more: Values) => Promise<Response>): Promise<Page<unknown>> {
  const pageAt = async (cursor: string | undefined) =>
    (await (await page({ limit: wholePage, cursor })).json()) as Page<unknown>
  const { nextCursor, ...whole } = await pageAt(undefined)
  for (let cursor = nextCursor; cursor !== undefined;) {
    const next = await pageAt(cursor)
    whole.items.push(...next.items)
    cursor = next.nextCursor
  }
  return whole
}

/** Where an operation is reached by a plain link: a download, a stream. */
export const addressOf = (id: keyof Calls, params: Values = {}): string =>
  `/api/v1${pathOf((routes[id] as Route)[1], params)}`

/** A path with its parameters; the others are its query, but for those that are absent or empty. */
function pathOf(path: string, params: Values): string {
  const names = new Set([...path.matchAll(/\{(\w+)\}/g)].map(([, name]) => name!))
  const filled = path.replace(/\{(\w+)\}/g, (_, name: string) =>
    encodeURIComponent(String(params[name])),
  )
  const search = new URLSearchParams()
  for (const [name, value] of Object.entries(params)) {
    if (names.has(name) || value === undefined || value === null || value === '') continue
    search.set(name, String(value))
  }
  return search.size > 0 ? `${filled}?${search.toString()}` : filled
}
