import type { Fault, Problem } from '~~/shared/api/problem'

/** A refusal by the API, in the server's own words. */
export class Refusal extends Error {
  readonly status: number
  readonly title: string
  readonly faults: Fault[]
  readonly etag: string | undefined
  /** The kind of problem, from the published list. */
  readonly type: string

  constructor({ type, status, title, detail, faults }: Partial<Problem>, etag?: string) {
    super(detail ?? title ?? 'The server did not say why.')
    this.type = type ?? 'about:blank'
    this.status = status ?? 0
    this.title = title ?? 'It did not work'
    this.faults = faults ?? []
    this.etag = etag
  }
}

interface Options {
  body?: unknown
  /** A body sent as it is. */
  text?: string | Blob
  headers?: Record<string, string>
  query?: Record<string, string | number | undefined>
  signal?: AbortSignal
}

async function call(method: string, path: string, { body, text, headers, query, signal }: Options) {
  const search = new URLSearchParams()
  for (const [name, value] of Object.entries(query ?? {})) {
    if (value !== undefined && value !== '') search.set(name, String(value))
  }
  const suffix = search.size > 0 ? `?${search.toString()}` : ''
  let response: Response
  try {
    response = await fetch(`/api/v1${path}${suffix}`, {
      method,
      headers: {
        ...(text !== undefined
          ? { 'Content-Type': 'text/plain' }
          : body !== undefined && { 'Content-Type': 'application/json' }),
        ...headers,
      },
      body: text ?? (body === undefined ? undefined : JSON.stringify(body)),
      ...(signal && { signal }),
    })
  } catch (error) {
    if (signal?.aborted) throw error
    throw new Refusal({
      title: 'The server does not answer',
      detail: 'Nothing was changed. Try again in a moment.',
    })
  }
  if (response.ok) return response
  const problem = (await response
    .json()
    .catch(() => ({ status: response.status }))) as Partial<Problem>
  throw new Refusal(problem, response.headers.get('etag') ?? undefined)
}

async function json<T>(method: string, path: string, options: Options): Promise<T> {
  const response = await call(method, path, options)
  return (response.status === 204 ? undefined : await response.json()) as T
}

/** The application's one way to the server. Types are what the caller expects the API's description to hold to. */
export const api = {
  get: <T>(path: string, query?: Options['query'], signal?: AbortSignal) =>
    json<T>('GET', path, { ...(query && { query }), ...(signal && { signal }) }),
  /** A list as a whole, page by page. */
  async all<T extends { items: unknown[]; nextCursor?: string }>(path: string): Promise<T> {
    const whole = await json<T>('GET', path, { query: { limit: 1000 } })
    for (let cursor = whole.nextCursor; cursor !== undefined;) {
      const page = await json<T>('GET', path, { query: { limit: 1000, cursor } })
      whole.items.push(...page.items)
      cursor = page.nextCursor
    }
    return whole
  },
  post: <T>(path: string, body?: unknown, options: Options = {}) =>
    json<T>('POST', path, { body, ...options }),
  /** The state of something, to be named when it is changed. */
  async etag(path: string): Promise<string | undefined> {
    return (await call('GET', path, {})).headers.get('etag') ?? undefined
  },
  /** Replaces something that is at a state, and says the next one. */
  async putWithEtag<T>(path: string, body: unknown, etag: string) {
    const response = await call('PUT', path, { body, headers: { 'If-Match': etag } })
    return { body: (await response.json()) as T, etag: response.headers.get('etag') ?? '' }
  },
  put: <T>(path: string, body: unknown, headers: Record<string, string>) =>
    json<T>('PUT', path, { body, headers }),
  patch: <T>(path: string, body: unknown) => json<T>('PATCH', path, { body }),
  delete: (path: string) => json<undefined>('DELETE', path, {}),
  async text(path: string): Promise<{ text: string; etag: string }> {
    const response = await call('GET', path, {})
    return { text: await response.text(), etag: response.headers.get('etag') ?? '' }
  },
  async bytes(path: string, query?: Options['query']): Promise<Uint8Array<ArrayBuffer>> {
    const response = await call('GET', path, { ...(query && { query }) })
    return new Uint8Array(await response.arrayBuffer())
  },
}

/** Any error as a refusal, so that every screen shows one kind. */
export const asRefusal = (error: unknown): Refusal =>
  error instanceof Refusal
    ? error
    : new Refusal({ title: 'It did not work', detail: String((error as Error).message ?? error) })
