import type { ApiClass } from '../../shared/api/fields'
import type { TokenScope } from '../../shared/api/tokens'
import type { Credentials } from '../../shared/api/people'
import type { Context, Services } from '../services/context'
import type { Origin } from '../services/sign-in'
import type { HeaderOf } from '../services/webhooks'

export interface Asked<B, Q> {
  params: Record<string, string>
  query: Q
  body: B
  ifMatch: string | undefined
  /** The session of the caller, where there is one. */
  session: string | undefined
  /** A code that works once; empty where the operation asks for none. */
  code: string
  /** Where the request comes from. */
  place: Origin
  /** Scheme, host and port by which the product was reached. */
  origin: string
  /** Name and password, for the operation that is called with them. */
  credentials: Credentials | undefined
  /** The headers of the request, for the operation that is called with a signature; the use case holds them against a secret. */
  signed: HeaderOf | undefined
  /** The raw body, for operations that take a text as it is. */
  bytes: Uint8Array
}

/** What an operation answers: a JSON value, or something else said in full. */
export interface Answer<T> {
  body: T
  headers?: Record<string, string>
  /** Where what was asked for goes on after the answer. */
  status?: 202
  /** A session to keep in the sealed cookie, or `null` to forget the one that is there. */
  session?: string | null
  /** Who has signed in here: the browser is known for them from then on. */
  known?: string
}

interface Described {
  id: string
  method: 'GET' | 'POST' | 'PUT' | 'PATCH' | 'DELETE'
  /** With `{parameters}`, below `/api/v1`. */
  path: string
  tag: string
  summary: string
  description?: string
  /** Statuses beside the success that a caller should expect. */
  errors?: number[]
  /** How many items a page has where nobody says; 100 unless it is given. */
  usual?: number
  /** Whether If-Match is asked for. */
  conditional?: boolean
}

export interface Operation<
  B = object | undefined,
  Q = object | undefined,
  T = unknown,
> extends Described {
  query?: Q extends object ? ApiClass<Q> : never
  body?: B extends object ? ApiClass<B> : never
  /** The media types of a body taken as it is, without reading it as JSON. */
  raw?: string[]
  /** The most bytes a raw body may have, where it is not a definition's. */
  largest?: number
  success: {
    status: 200 | 201 | 202 | 204
    says: string
    body?: ApiClass
    /** A page of that class: `items` and `nextCursor`. */
    page?: ApiClass
    mediaType?: string
    example?: unknown
    /** What 202 carries, where it may take longer than a request waits. */
    accepted?: ApiClass
  }
  /**
   * Who calls: somebody with a session or a token; only with a session, as for making tokens; for signing in a name and
   * password by HTTP Basic (RFC 7617); whoever was given a code that works once; or a program that signs what it sends.
   */
  calledWith?: 'any' | 'session' | 'password' | 'code' | 'signature'
  /** What a token has to be made for; reading asks for `read` and everything else for `write` unless it is given. */
  scope?: TokenScope
  handle(asked: Asked<B, Q>, context: Context): Promise<Answer<T>>
}

/** Defines one operation of the API: route, validation, description and use case in one place. */
export function operation<B = undefined, Q = undefined, T = unknown>(
  definition: Operation<B, Q, T>,
): Operation {
  return definition as unknown as Operation
}

/** Answers a plain body. */
export const ok = async <T>(body: Promise<T> | T): Promise<Answer<T>> => ({ body: await body })

/** Answers nothing. */
export async function done(work: Promise<unknown>): Promise<Answer<undefined>> {
  await work
  return { body: undefined }
}

/** Answers what was made, or with 202 the rollout that still makes it. */
export async function settled<T extends object>(
  work: Promise<T | undefined>,
): Promise<Answer<T | undefined>> {
  const body = await work
  return body !== undefined && 'steps' in body ? { body, status: 202 } : { body }
}

export type { Context, Services }
