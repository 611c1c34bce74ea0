import { parse, printParseErrorCode, type ParseError } from 'jsonc-parser'
import { limits } from './limits'
import { assignOffset, pointerTree, type Pointer, type PointerTree } from './pointer'
import type { TextFault } from './diagnostic'

/** A fault in a JSON text (RFC 8259) at an offset. */
const quote = 34
const backslash = 92

/** The offset of the quote that closes the string opened at `start`; the text's end where none does. */
function closingQuote(text: string, start: number): number {
  // Most strings are names, and a call costs more than a look at so few characters.
  const near = Math.min(start + 17, text.length)
  for (let at = start + 1; at < near; at++) {
    const code = text.charCodeAt(at)
    if (code === quote) return at
    if (code === backslash) break
  }
  let end = text.indexOf('"', start + 1)
  while (end !== -1 && text.charCodeAt(end - 1) === backslash) {
    let slashes = 1
    while (text.charCodeAt(end - 1 - slashes) === backslash) slashes++
    if (slashes % 2 === 0) break
    end = text.indexOf('"', end + 1)
  }
  return end === -1 ? text.length : end
}

/** Past white space. */
function skipSpace(text: string, at: number): number {
  for (;;) {
    const code = text.charCodeAt(at)
    if (code !== 32 && code !== 10 && code !== 13 && code !== 9) return at
    at++
  }
}

/** The offset at which a text, well-formed or not, goes deeper than is read. */
export function tooDeepAt(text: string): number | undefined {
  let depth = 0
  for (let at = 0; at < text.length; at++) {
    const code = text.charCodeAt(at)
    if (code === quote) at = closingQuote(text, at)
    else if (code === 123 || code === 91) {
      if (++depth > limits.depth) return at
    } else if (code === 125 || code === 93) depth--
  }
  return undefined
}

/**
 * Counts the members of a parsed value, and says whether it lies deeper than is read. Compared with
 * {@link namesWritten}, it tells cheaply that no object of the text held a name twice.
 */
export function countMembers(root: unknown): { members: number; tooDeep: boolean } {
  let members = 0
  let tooDeep = false
  const visit = (value: object, depth: number): void => {
    if (depth > limits.depth) {
      tooDeep = true
      return
    }
    if (Array.isArray(value)) {
      for (const item of value as unknown[]) {
        if (typeof item === 'object' && item !== null) visit(item, depth + 1)
      }
      return
    }
    // The names need no list of their own.
    for (const name in value) {
      members++
      const item = (value as Record<string, unknown>)[name]
      if (typeof item === 'object' && item !== null) visit(item, depth + 1)
    }
  }
  if (typeof root === 'object' && root !== null) visit(root, 1)
  return { members, tooDeep }
}

/**
 * About how many member names a text writes: quotes followed by a colon, but for those that open a string. Where names
 * end strangely the count is off, which costs a closer look and nothing else.
 */
export function namesWritten(text: string): number {
  let names = 0
  for (let at = text.indexOf('":'); at !== -1; at = text.indexOf('":', at + 2)) {
    const before = text.charCodeAt(at - 1)
    const opens = before <= 32 || before === 58 || before === 44 || before === 91 || before === 123
    if (!opens && before !== backslash) names++
  }
  return names
}

/** The names that stand twice in the same object of a well-formed text. */
export function repeatedNames(text: string): TextFault[] {
  const faults: TextFault[] = []
  const open: (Set<string> | undefined)[] = []
  let expectsName = false
  for (let at = 0; at < text.length; at++) {
    const code = text.charCodeAt(at)
    if (code === quote) {
      const end = closingQuote(text, at)
      if (expectsName) {
        const names = open[open.length - 1]!
        const name = JSON.parse(text.slice(at, end + 1)) as string
        if (names.has(name)) {
          faults.push({
            message: `"${name}" stands twice in the same object; the last one counts`,
            offset: at,
          })
        }
        names.add(name)
        expectsName = false
      }
      at = end
    } else if (code === 123 || code === 91) {
      open.push(code === 123 ? new Set() : undefined)
      expectsName = code === 123
    } else if (code === 125 || code === 93) {
      open.pop()
      expectsName = false
    } else if (code === 44) expectsName = open[open.length - 1] !== undefined
  }
  return faults
}

const words: Record<string, string> = {
  InvalidSymbol: 'A value is missing or not valid JSON',
  InvalidNumberFormat: 'This is not a number as JSON writes it',
  PropertyNameExpected: 'A member name in double quotes is missing',
  ValueExpected: 'A value is missing or not valid JSON',
  ColonExpected: 'A colon is missing after the member name',
  CommaExpected: 'A comma is missing',
  CloseBraceExpected: 'A comma or a closing brace is missing',
  CloseBracketExpected: 'A comma or a closing bracket is missing',
  EndOfFileExpected: 'Text after the end of the document',
  InvalidCommentToken: 'JSON knows no comments',
  UnexpectedEndOfComment: 'A comment is not closed',
  UnexpectedEndOfString: 'A string is not closed',
  UnexpectedEndOfNumber: 'A number ends too early',
  InvalidUnicode: 'A \\u is not followed by four hexadecimal digits',
  InvalidEscapeCharacter: 'A backslash is followed by something JSON does not know',
  InvalidCharacter:
    'A line break or control character inside a string; is the closing quote missing?',
}

/** Every fault of the grammar that a reader that recovers and goes on can find; at most `most`. */
export function jsonFaults(text: string, most = 100): TextFault[] {
  const tooDeep = tooDeepAt(text)
  if (tooDeep !== undefined) {
    return [
      {
        message: `Nested deeper than ${limits.depth} levels; definitions this deep are refused`,
        offset: tooDeep,
      },
    ]
  }
  const errors: ParseError[] = []
  parse(text, errors, { allowTrailingComma: false, disallowComments: true })
  const faults: TextFault[] = []
  let before: TextFault | undefined
  for (const { error, offset } of errors) {
    if (faults.length >= most) break
    const name = printParseErrorCode(error)
    const fault = { message: wordsFor(text, name, offset), offset }
    // One slip is often reported twice in the same place; the first report says it, or that nothing belongs there.
    if (before && fault.offset - before.offset <= 1) {
      if (name === 'EndOfFileExpected') before.message = fault.message
      continue
    }
    // What follows on the same line or the next is most often the same slip, felt again.
    if (before && linesBetween(text, before.offset, fault.offset) < 2) continue
    faults.push(fault)
    before = fault
  }
  return faults.length > 0 ? faults : [{ message: 'This is not valid JSON', offset: 0 }]
}

function linesBetween(text: string, from: number, to: number): number {
  let lines = 0
  for (
    let at = text.indexOf('\n', from);
    at !== -1 && at < to && lines < 2;
    at = text.indexOf('\n', at + 1)
  )
    lines++
  return lines
}

function wordsFor(text: string, name: string, offset: number): string {
  const mark = text.charAt(offset)
  if (
    (mark === '}' || mark === ']') &&
    /,\s*$/.test(text.slice(Math.max(0, offset - 200), offset))
  ) {
    return mark === '}' ? 'A comma before the closing brace' : 'A comma before the closing bracket'
  }
  if (offset >= text.length && name !== 'UnexpectedEndOfString') return 'The text ends too early'
  return words[name] ?? 'This is not valid JSON'
}

/** Finds wanted pointers in a well-formed text; what holds none of them is passed over. */
class JsonLocator {
  private at = 0

  constructor(
    private readonly text: string,
    private readonly found: Map<Pointer, number>,
  ) {}

  run(tree: PointerTree): void {
    this.at = skipSpace(this.text, this.text.charCodeAt(0) === 0xfeff ? 1 : 0)
    this.value(tree, this.at, true)
  }

  /** Looks into a value. Behind the `last` one nothing is wanted, so that its end need not be reached. */
  private value(tree: PointerTree, place: number, last: boolean): void {
    for (const pointer of tree.wanted) this.found.set(pointer, place)
    const code = this.text.charCodeAt(this.at)
    if (tree.children.size === 0 || (code !== 123 && code !== 91)) {
      if (!last) this.pass()
      assignOffset(tree, place, this.found)
      return
    }
    const seen = new Set<PointerTree>()
    if (code === 123) this.object(tree, seen, last)
    else this.array(tree, seen, last)
    assignOffset(tree, place, this.found, seen)
  }

  private object(tree: PointerTree, seen: Set<PointerTree>, last: boolean): void {
    const { text } = this
    this.at = skipSpace(text, this.at + 1)
    while (text.charCodeAt(this.at) === quote) {
      const place = this.at
      const end = closingQuote(text, place)
      const raw = text.slice(place + 1, end)
      const name = raw.includes('\\') ? (JSON.parse(`"${raw}"`) as string) : raw
      this.at = skipSpace(text, skipSpace(text, end + 1) + 1)
      if (this.member(tree, name, place, seen, last)) return
    }
    this.at++
  }

  private array(tree: PointerTree, seen: Set<PointerTree>, last: boolean): void {
    const { text } = this
    this.at = skipSpace(text, this.at + 1)
    for (let index = 0; this.at < text.length && text.charCodeAt(this.at) !== 93; index++) {
      if (this.member(tree, String(index), this.at, seen, last)) return
    }
    this.at++
  }

  /** Goes past a member or an item and the comma behind it; says whether nothing more is wanted of the whole text. */
  private member(
    tree: PointerTree,
    name: string,
    place: number,
    seen: Set<PointerTree>,
    last: boolean,
  ): boolean {
    const { text } = this
    const child = tree.children.get(name)
    if (!child) this.pass()
    else {
      seen.add(child)
      const isLast = last && seen.size === tree.children.size
      this.value(child, place, isLast)
      if (isLast) return true
    }
    this.at = skipSpace(text, this.at)
    if (text.charCodeAt(this.at) === 44) this.at = skipSpace(text, this.at + 1)
    return false
  }

  /** Past one value without looking into it. */
  private pass(): void {
    const { text } = this
    let depth = 0
    for (let at = this.at; at < text.length; at++) {
      const code = text.charCodeAt(at)
      if (code <= 32) continue
      if (code === quote) {
        at = closingQuote(text, at)
        if (depth === 0) return void (this.at = at + 1)
      } else if (code === 123 || code === 91) depth++
      else if (code === 125 || code === 93) {
        if (depth === 0) return void (this.at = at)
        if (--depth === 0) return void (this.at = at + 1)
      } else if (code === 44 && depth === 0) return void (this.at = at)
    }
    this.at = text.length
  }
}

/** Offsets of the pointers in a well-formed JSON text; one that does not exist gets its nearest ancestor's. */
export const locateInJson = (text: string, pointers: Iterable<Pointer>): Map<Pointer, number> =>
  locateTree(text, pointerTree(pointers))

/** Offsets of what is wanted below a part, whose text is well-formed JSON. */
export function locateTree(text: string, tree: PointerTree): Map<Pointer, number> {
  const found = new Map<Pointer, number>()
  new JsonLocator(text, found).run(tree)
  return found
}
