import type { Fault } from '../../shared/api/problem'
import type { ProblemTitle } from '../../shared/api/problem-types'

/** A refusal with its HTTP status and words for the person; becomes problem details (RFC 9457). */
export class Failure extends Error {
  constructor(
    readonly status: number,
    readonly title: ProblemTitle,
    readonly detail: string,
    readonly faults?: Fault[],
    readonly headers: Record<string, string> = {},
  ) {
    super(`${title}: ${detail}`)
  }
}

export const notFound = (what: string) => new Failure(404, 'Not found', `There is no ${what}.`)

export const invalid = (faults: Fault[]) =>
  new Failure(422, 'Not accepted', faults.map((fault) => fault.message).join('. ') + '.', faults)

export const conflict = (detail: string) => new Failure(409, 'Not possible now', detail)

/** Somebody else saved in between; `etag` is the state that stands now. */
export const stale = (detail: string, etag: string) =>
  new Failure(412, 'Changed in between', detail, undefined, { ETag: etag })

/** Throws unless `If-Match` names the state that stands now. Both are written with quotes. */
export function requireMatch(ifMatch: string | undefined, current: string, what: string): void {
  if (ifMatch === undefined) {
    throw new Failure(
      428,
      'If-Match is missing',
      `Say which state of ${what} you changed, in If-Match.`,
    )
  }
  if (ifMatch !== current) {
    throw stale(
      `Somebody changed ${what} in between; it stands at ${current.replaceAll('"', '')} now.`,
      current,
    )
  }
}
