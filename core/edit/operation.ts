import type { FormatName } from '../contract/model'
import { layouts } from '../formats/layout'
import type { Syntax } from '../text/read'
import { EditFault } from './tree'
import type { OperationDraft } from './draft'

/** Whether an operation can be written into texts of a format: those whose operations are methods of paths. */
export const takesOperations = (format: FormatName): boolean => layouts[format].insert !== undefined

/**
 * Writes an operation into a definition's text at its place: below its path where that stands, or as a new path after
 * the last one. Everything else stays byte for byte; comments, order and indentation of what is there are kept.
 * `modern` is OpenAPI 3.1 or later. Throws {@link EditFault} where that cannot be done.
 */
export function insertOperation(
  text: string,
  syntax: Syntax,
  format: FormatName,
  draft: OperationDraft,
  modern: boolean,
): string {
  const { insert } = layouts[format]
  if (!insert) throw new EditFault(`Operations of ${format} are written by hand`)
  return insert(text, syntax, draft, modern)
}
