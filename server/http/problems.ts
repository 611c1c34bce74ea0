import { setResponseHeader, setResponseStatus, type H3Event } from 'h3'
import type { Problem } from '../../shared/api/problem'
import { typeOf } from '../../shared/api/problem-types'
import { Failure } from '../services/failure'
import { errorText } from '../../core/text/values'

/**
 * Trouble of the store by its code (PostgreSQL classes 08 and 53, 57P0x, deadlocks, waits that took too long; socket
 * errors): it is away or busy, not broken.
 */
const away = /^(08|53|57P0|40001|40P01|55P03|57014)|^(ECONNREFUSED|ECONNRESET|EPIPE|ETIMEDOUT)$/

function codesOf(error: unknown): string[] {
  const { code, cause, errors } = error as { code?: unknown; cause?: unknown; errors?: unknown[] }
  const own = typeof code === 'string' ? [code] : []
  return [...own, ...(cause ? codesOf(cause) : []), ...(errors ?? []).flatMap(codesOf)]
}

const isAway = (error: unknown) =>
  codesOf(error).some((code) => away.test(code)) ||
  /terminat|timeout exceeded when trying to connect/i.test(errorText(error))

/** A database that dies as it commits may have committed: nobody knows until it is read. */
const unknown =
  'Whether what was asked for was done is not known: read it again before you repeat it, or repeat it with the same Idempotency-Key, which does it once.'

/**
 * Any error as problem details (RFC 9457); what nobody foresaw is logged and said without its innards. Of a request that
 * `changes` something is not said that nothing was done.
 */
export function problemOf(error: unknown, changes = false): Failure {
  if (error instanceof Failure) return error
  const then = changes ? unknown : 'Try again.'
  if (isAway(error)) {
    return new Failure(
      503,
      'The store does not answer',
      `The database is away or busy for a moment. ${then}`,
      undefined,
      { 'Retry-After': '2' },
    )
  }
  console.error(error)
  return new Failure(
    500,
    'Something failed',
    `This was not foreseen; it has been logged. ${changes ? unknown : ''}`.trim(),
  )
}

export function sendProblem(event: H3Event, failure: Failure): Problem {
  const { status, title, detail, faults, headers } = failure
  setResponseStatus(event, status)
  setResponseHeader(event, 'Content-Type', 'application/problem+json')
  for (const [name, value] of Object.entries(headers)) setResponseHeader(event, name, value)
  return { type: typeOf(title), title, status, detail, ...(faults && { faults }) }
}
