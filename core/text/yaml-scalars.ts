import { unusual } from './unusual'
import { loadAny } from './yaml-loader'

/** The scalars of YAML 1.2 (chapters 7 to 10), each read from where it begins in a text. */

const tab = 9
const newline = 10
const space = 32
const doubleQuote = 34
const singleQuote = 39
const greater = 62
const backslash = 92

const words = new Map<string, boolean | null>([
  ['~', null],
  ...['null', 'Null', 'NULL'].map((word): [string, null] => [word, null]),
  ...['true', 'True', 'TRUE'].map((word): [string, true] => [word, true]),
  ...['false', 'False', 'FALSE'].map((word): [string, false] => [word, false]),
])

/** What JSON does not know in quotes (RFC 8259, section 7). */
const otherEscape = /\\(?:[^"\\/bfnrtu]|u(?![\da-fA-F]{4}))|\t/

const simpleNumber = /^(?:0|-?[1-9]\d{0,14})(?:\.\d{1,15})?$/
const perhapsNumber = /^[-+]?(?:\d|\.[\diInN])[^:]*$/

/** What a plain scalar on one line means (section 10.3.2). */
export function plainValue(text: string): unknown {
  const first = text.charCodeAt(0)
  const mayBeNumber = (first >= 48 && first <= 57) || (first >= 43 && first <= 46)
  if (mayBeNumber && perhapsNumber.test(text)) {
    return simpleNumber.test(text) ? Number(text) : loaded(text)
  }
  if (text.length > 5) return text
  const word = words.get(text)
  return word === undefined ? text : word
}

/** A value as the loader reads its text alone. */
export function loaded(text: string): unknown {
  try {
    return loadAny(text)
  } catch {
    throw unusual
  }
}

/** Whether a line behind the first of a quoted scalar begins no further right than what holds it. */
function isOutdented(inner: string, parent: number): boolean {
  const [, ...lines] = inner.split('\n')
  return lines.some(
    (line, i) => line.search(/\S|$/) <= parent && (i === lines.length - 1 || line.trim() !== ''),
  )
}

/** The offset of the quote that closes the scalar which begins at an offset. */
export function closingQuote(text: string, start: number): number {
  const quote = text.charCodeAt(start)
  for (let at = start + 1; at < text.length; at++) {
    const code = text.charCodeAt(at)
    if (code === backslash && quote === doubleQuote) at++
    else if (code === quote) {
      if (quote === singleQuote && text.charCodeAt(at + 1) === singleQuote) at++
      else return at
    }
  }
  throw unusual
}

/** A quoted scalar (sections 7.3.1 and 7.3.2) between two offsets; its lines are indented more than what holds it. */
export function quotedValue(text: string, start: number, end: number, parent: number): string {
  const inner = text.slice(start + 1, end)
  const isSingle = text.charCodeAt(start) === singleQuote
  if (!inner.includes('\n')) {
    if (isSingle) return inner.replaceAll("''", "'")
    if (!inner.includes('\\')) return inner
    // Escapes of JSON mean the same in YAML, and most texts have no other.
    if (!otherEscape.test(inner)) return JSON.parse(`"${inner}"`) as string
  }
  if (isOutdented(inner, parent)) throw unusual
  const value = loaded(text.slice(start, end + 1))
  if (typeof value !== 'string') throw unusual
  return value
}

/**
 * A block scalar (section 8.1), literal or folded, that begins at an offset inside of what is indented so far; and the
 * beginning of the line behind it.
 */
export function readBlockScalar(
  text: string,
  begin: number,
  parent: number,
): { value: string; next: number } {
  const header = /[|>]([-+]?)([1-9]?)([-+]?)(?: +#[^\n]*| *)(?:\n|$)/y
  header.lastIndex = begin
  const match = header.exec(text)
  if (!match) throw unusual
  const chomp = `${match[1]}${match[3]}`
  if (chomp.length > 1) throw unusual
  const folds = text.charCodeAt(begin) === greater
  let isFixed = match[2] !== ''
  let indent = parent + (isFixed ? Number(match[2]) : 1)
  let result = ''
  let empty = 0
  let hasContent = false
  let afterIndented = false
  let start = header.lastIndex
  while (start < text.length) {
    let at = start
    while ((!isFixed || at - start < indent) && text.charCodeAt(at) === space) at++
    if (!isFixed && at - start > indent) indent = at - start
    const code = text.charCodeAt(at)
    if (code === newline || at >= text.length) {
      if (at < text.length || at > start) empty++
      start = at + 1
      continue
    }
    if (at - start < indent) break
    if (!folds) result += '\n'.repeat(hasContent ? 1 + empty : empty)
    else if (code === space || code === tab) {
      afterIndented = true
      result += '\n'.repeat(hasContent ? 1 + empty : empty)
    } else if (afterIndented) {
      afterIndented = false
      result += '\n'.repeat(empty + 1)
    } else if (empty > 0) result += '\n'.repeat(empty)
    else if (hasContent) result += ' '
    hasContent = true
    isFixed = true
    empty = 0
    const end = text.indexOf('\n', at)
    result += text.slice(at, end === -1 ? text.length : end)
    start = end === -1 ? text.length : end + 1
  }
  const next = start
  if (chomp === '+') {
    return { value: result + '\n'.repeat(hasContent ? 1 + empty : empty), next }
  }
  return { value: chomp === '' && hasContent ? `${result}\n` : result, next }
}
