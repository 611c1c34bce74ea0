import { compile, type Scope } from './cel'
import { ConditionError, type Meter } from './meter'

/** A text with expressions in braces, ready to be filled; `{{` and `}}` stand for braces. */
export type Template = (values: unknown[], meter: Meter) => string

/** Compiles a text with expressions in braces. Throws {@link ConditionError}. */
export function compileTemplate(source: string, scope: Scope): Template {
  const parts: (string | ((values: unknown[], meter: Meter) => unknown))[] = []
  let text = ''
  for (let i = 0; i < source.length; i++) {
    const two = source.slice(i, i + 2)
    if (two === '{{' || two === '}}') {
      text += two.charAt(0)
      i++
    } else if (source[i] === '{') {
      const end = closing(source, i)
      parts.push(text, compile(source.slice(i + 1, end), scope).run)
      text = ''
      i = end
    } else text += source.charAt(i)
  }
  parts.push(text)
  return (values, meter) =>
    parts.map((part) => (typeof part === 'string' ? part : shown(part(values, meter)))).join('')
}

/** The end of an expression that begins with a brace; braces inside of its texts do not count. */
function closing(source: string, start: number): number {
  let quote = ''
  for (let i = start + 1; i < source.length; i++) {
    const character = source[i]!
    if (quote !== '') {
      if (character === '\\') i++
      else if (character === quote) quote = ''
    } else if (character === '"' || character === "'") quote = character
    else if (character === '}') return i
  }
  throw new ConditionError(
    `The brace at character ${start + 1} is not closed; write {{ for a brace itself`,
  )
}

/** A value as it stands in a sentence, cut where it would be too long. */
export function shown(value: unknown): string {
  const text =
    typeof value === 'string'
      ? value
      : Array.isArray(value)
        ? value.map(shown).join(', ')
        : typeof value === 'number' || typeof value === 'boolean'
          ? String(value)
          : (JSON.stringify(value) ?? '')
  return text.length > 300 ? `${text.slice(0, 299)}…` : text
}
