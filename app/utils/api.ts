import type { Fault, Problem } from '~~/shared/api/problem'
import { clientOver } from '~~/shared/client/client'
import { errorText } from '~~/core/text/values'

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

/** The application's one way to the server: each operation of the API is a function of it. */
export const api = clientOver(async ({ path, signal, ...request }) => {
  let response: Response
  try {
    response = await fetch(`/api/v1${path}`, { ...request, ...(signal && { signal }) })
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
})

/** The state of what a response carries, to be named when it is changed. */
export const stateOf = (response: Response): string => response.headers.get('etag') ?? ''

/** Any error as a refusal, so that every screen shows one kind. */
export const asRefusal = (error: unknown): Refusal =>
  error instanceof Refusal
    ? error
    : new Refusal({ title: 'It did not work', detail: errorText(error) })
