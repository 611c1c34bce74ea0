import { setResponseHeader, setResponseStatus, type H3Event } from 'h3'
import type { Problem } from '../../shared/api/problem'
import { Failure } from '../services/failure'

/** Connection trouble by its code (PostgreSQL class 08, 57P0x; socket errors): the store is away, not broken. */
const away = /^(08|57P0|53300)|^(ECONNREFUSED|ECONNRESET|EPIPE|ETIMEDOUT)$/

function codesOf(error: unknown): string[] {
  const { code, cause, errors } = error as { code?: unknown; cause?: unknown; errors?: unknown[] }
  const own = typeof code === 'string' ? [code] : []
  return [...own, ...(cause ? codesOf(cause) : []), ...(errors ?? []).flatMap(codesOf)]
}

const isAway = (error: unknown) =>
  codesOf(error).some((code) => away.test(code)) ||
  /terminat|timeout exceeded when trying to connect/i.test((error as Error).message)

/** Any error as problem details (RFC 9457); what nobody foresaw is logged and said without its innards. */
export function problemOf(error: unknown): Failure {
  if (error instanceof Failure) return error
  if (isAway(error)) {
    return new Failure(
      503,
      'The store does not answer',
      'The database is away for a moment. Nothing was changed; try again.',
      undefined,
      { 'Retry-After': '2' },
    )
  }
  console.error(error)
  return new Failure(
    500,
    'Something failed',
    'This was not foreseen; it has been logged. Nothing was changed.',
  )
}

export function sendProblem(event: H3Event, failure: Failure): Problem {
  const { status, title, detail, faults, headers } = failure
  setResponseStatus(event, status)
  setResponseHeader(event, 'Content-Type', 'application/problem+json')
  for (const [name, value] of Object.entries(headers)) setResponseHeader(event, name, value)
  return { type: 'about:blank', title, status, detail, ...(faults && { faults }) }
}
