import type { PageQuery } from '../../shared/api/catalog'
import { Failure } from './failure'

export interface Page<T> {
  items: T[]
  nextCursor?: string
}

/** The offset a cursor stands for. */
export function offsetOf({ cursor }: PageQuery): number {
  const offset = cursor === undefined ? 0 : Number(cursor)
  if (Number.isInteger(offset) && offset >= 0) return offset
  throw new Failure(400, 'Bad request', 'The cursor is not one that was given out here.')
}

/** Cuts a page out of rows fetched with one more than the limit. */
export function pageOf<T>(rows: T[], limit: number, offset: number): Page<T> {
  return rows.length > limit
    ? { items: rows.slice(0, limit), nextCursor: String(offset + limit) }
    : { items: rows }
}

/** Cuts a page out of everything. */
export function pageFrom<T>(all: T[], query: PageQuery, usual = 100): Page<T> {
  const offset = offsetOf(query)
  const limit = query.limit ?? usual
  return pageOf(all.slice(offset, offset + limit + 1), limit, offset)
}
