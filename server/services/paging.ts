import type { PageQuery } from '../../shared/api/catalog'
import { Failure } from './failure'

export interface Page<T> {
  items: T[]
  nextCursor?: string
}

/** A place in a list as programs carry it: they give it back as it is, and read nothing out of it. */
export const cursorAt = (place: number): string => Buffer.from(`at ${place}`).toString('base64url')

/** The place a cursor stands for; the beginning where there is none. */
export function offsetOf({ cursor }: PageQuery): number {
  if (cursor === undefined) return 0
  const place = /^at (\d{1,9})$/.exec(Buffer.from(cursor, 'base64url').toString('latin1'))?.[1]
  if (place !== undefined && cursorAt(Number(place)) === cursor) return Number(place)
  throw new Failure(400, 'Bad request', 'The cursor is not one that was given out here.')
}

/** Cuts a page out of rows fetched with one more than the limit. */
export function pageOf<T>(rows: T[], limit: number, offset: number): Page<T> {
  return rows.length > limit
    ? { items: rows.slice(0, limit), nextCursor: cursorAt(offset + limit) }
    : { items: rows }
}

/** Cuts a page out of everything. */
export function pageFrom<T>(all: T[], query: PageQuery, usual = 100): Page<T> {
  const offset = offsetOf(query)
  const limit = query.limit ?? usual
  return pageOf(all.slice(offset, offset + limit + 1), limit, offset)
}
