import { emptyObject, emptyValue, type Member, type Shape } from '~~/core/runtime/fields'
import { linesOf } from '~/utils/words'

/** Values that a form holds while somebody writes; they are checked when they are sent. */
export type Values = Record<string, unknown>

export const asValues = (value: unknown): Values =>
  typeof value === 'object' && value !== null && !Array.isArray(value) ? (value as Values) : {}

export const asItems = (value: unknown): unknown[] => (Array.isArray(value) ? value : [])

/** A value with one member said anew; what is left empty and may be is left out. */
export function withMember(value: unknown, name: string, member: Member, next: unknown): Values {
  const { [name]: _, ...others } = asValues(value)
  const isEmpty = next === undefined || next === null || next === ''
  if (isEmpty && member.optional) return others
  // In the order of the form, so that nothing seems changed that is not.
  return { ...asValues(value), [name]: isEmpty && member.shape.kind === 'text' ? '' : next }
}

/** The first value of another kind of several, with what both have in common kept. */
export function ofKind(shape: Shape & { kind: 'variants' }, value: unknown, kind: string): Values {
  const chosen = shape.of[kind]
  if (!chosen) return asValues(value)
  const begun = emptyObject(chosen)
  const kept = Object.entries(asValues(value)).filter(([name]) => name in chosen.members)
  return { ...begun, ...Object.fromEntries(kept), kind }
}

/** Items of a list as they are written one on a line. */
export const writtenLines = (value: unknown) => asItems(value).join('\n')

/** What stands on lines as items of a list of texts or of numbers. */
export const readLines = (of: Shape, text: string): unknown[] =>
  linesOf(text.replaceAll(',', of.kind === 'whole' ? '\n' : ',')).map((line) =>
    of.kind === 'whole' && /^\d+$/.test(line) ? Number(line) : line,
  )

export { emptyValue }
