import { limits } from './limits'
import type { PointerTree } from './pointer'
import { unlessUnusual, unusual } from './unusual'
import { mayShareParts, nodesOfAny, type TextMember, type TextNode } from './yaml-loader'
import { closingQuote, loaded, plainValue, quotedValue, readBlockScalar } from './yaml-scalars'

/**
 * Reads the part of YAML 1.2 that nearly all definitions are written in: block mappings and sequences (chapter 8) over
 * scalars of every style. Flow collections and scalars with escapes are handed, each by itself, to the loader that knows
 * the whole language. What else there is of the language, and every fault, is given back unread: the loader then reads
 * the text, or says what is wrong with it.
 */

const tab = 9
const newline = 10
const space = 32
const doubleQuote = 34
const hash = 35
const singleQuote = 39
const comma = 44
const dash = 45
const dot = 46
const colon = 58
const question = 63
const bracketOpen = 91
const bracketClose = 93
const pipe = 124
const greater = 62
const braceOpen = 123
const braceClose = 125

/** Characters that YAML does not allow (section 5.1), and a carriage return, which ends a line. */
const unreadable = /[\x00-\x08\x0B-\x1F\x7F-\x84\x86-\x9F\uFEFF\uFFFE\uFFFF\p{Surrogate}]/u

/** First characters with which a plain scalar cannot begin (section 7.3.3), but for `-`, `?` and `:`. */
const indicators = new Uint8Array(128)
for (const character of '[]{},#&*!|>\'"%@`') indicators[character.charCodeAt(0)] = 1

/** The same node, moved in the text. */
function moved(node: TextNode, by: number): TextNode {
  const { start, members, items } = node
  const at: TextNode = { start: start + by }
  if (members) {
    at.members = new Map(
      Array.from(members, ([name, { keyStart, value }]): [string, TextMember] => [
        name,
        { keyStart: keyStart + by, value: value && moved(value, by) },
      ]),
    )
  }
  if (items) at.items = items.map((item) => item && moved(item, by))
  return at
}

/**
 * One pass over a text. `at` is always at the first character of what is read next; after a value, at the first of the
 * next line that says something, with `indent` the spaces before it, or -1 at the end of the text.
 */
class BlockReader {
  private at = 0
  private indent = 0
  private depth = 0
  /** Where the key read last begins. */
  private keyStart = 0
  /** The node of the value read last, where its place was asked for. */
  private node: TextNode | undefined

  /** A text that was read before need be looked into only where something is wanted. */
  constructor(
    private readonly text: string,
    private readonly skips: boolean,
  ) {}

  /** Reads the document; with a tree, also notes the nodes on the ways to what it wants. */
  read(tree?: PointerTree): { value: unknown; node: TextNode | undefined } {
    this.seek(0)
    if (this.indent === 0 && this.text.startsWith('---', this.at)) {
      this.at += 3
      this.endLine()
    }
    if (this.indent !== 0) throw unusual
    const value = this.block(0, -1, tree)
    if (!this.isOver || typeof value !== 'object') throw unusual
    return { value, node: this.node }
  }

  private get isOver(): boolean {
    return this.indent === -1
  }

  private code(): number {
    return this.text.charCodeAt(this.at)
  }

  /** Whether a separator follows an indicator: white space, or the end of the line or of the text. */
  private endsAt(at: number): boolean {
    const code = this.text.charCodeAt(at)
    if (code === tab) throw unusual
    return code === space || code === newline || at >= this.text.length
  }

  private isDash(): boolean {
    return this.code() === dash && this.endsAt(this.at + 1)
  }

  /** From the beginning of a line to the first that says something. */
  private seek(lineStart: number): void {
    const { text } = this
    for (let start = lineStart; start < text.length;) {
      let at = start
      while (text.charCodeAt(at) === space) at++
      const code = text.charCodeAt(at)
      if (code === newline) start = at + 1
      else if (code === hash) {
        const end = text.indexOf('\n', at)
        if (end === -1) break
        start = end + 1
      } else if (at >= text.length) break
      else {
        if (code === tab || (at === start && this.isBoundary(at, code) && lineStart > 0))
          throw unusual
        this.at = at
        this.indent = at - start
        return
      }
    }
    this.at = text.length
    this.indent = -1
  }

  /** Whether a directive or the mark of a document's beginning or end stands at the beginning of a line. */
  private isBoundary(at: number, code: number): boolean {
    if (code === dash) return this.text.startsWith('---', at)
    return code === 37 || (code === dot && this.text.startsWith('...', at))
  }

  private skipSpaces(): void {
    const { text } = this
    while (text.charCodeAt(this.at) === space) this.at++
    if (text.charCodeAt(this.at) === tab) throw unusual
  }

  /** Goes past a line of which nothing but a comment may be left. */
  private endLine(): void {
    const from = this.at
    this.skipSpaces()
    const code = this.code()
    if (code === newline) return this.seek(this.at + 1)
    if (code === hash && this.at > from) return this.nextLine()
    if (this.at < this.text.length) throw unusual
    this.indent = -1
  }

  private nextLine(): void {
    const end = this.text.indexOf('\n', this.at)
    this.seek(end === -1 ? this.text.length : end + 1)
  }

  /** A mapping whose first key has been gone past already. */
  private mapping(indent: number, first: string, tree: PointerTree | undefined): unknown {
    const result: Record<string, unknown> = {}
    const node: TextNode | undefined = tree && { start: this.keyStart, members: new Map() }
    for (let name: string | undefined = first; ; name = this.key()) {
      if (name === undefined) throw unusual
      // Nothing that is read is undefined, but names may be those of what every object has.
      if (result[name] !== undefined && Object.hasOwn(result, name)) throw unusual
      const { keyStart } = this
      const wanted = tree?.children.get(name)
      result[name] = this.memberValue(indent, wanted)
      if (wanted) node!.members!.set(name, { keyStart, value: this.node })
      if (this.indent !== indent) break
    }
    if (this.indent > indent) throw unusual
    this.node = node
    return result
  }

  /** A name and its colon, which are gone past; undefined where this line holds none. */
  private key(): string | undefined {
    const start = this.at
    this.keyStart = start
    const code = this.code()
    let name: string
    if (code === doubleQuote || code === singleQuote) {
      const end = closingQuote(this.text, start)
      this.at = end + 1
      while (this.code() === space) this.at++
      if (this.code() !== colon || !this.endsAt(this.at + 1)) {
        this.at = start
        return undefined
      }
      if (this.text.slice(start, end).includes('\n')) throw unusual
      name = quotedValue(this.text, start, end, 0)
    } else {
      this.checkBeginning(code)
      const end = this.lineEnd()
      if (this.code() !== colon) {
        this.at = start
        return undefined
      }
      const text = this.text.slice(start, end)
      if (text === '<<') throw unusual
      name = String(plainValue(text))
    }
    if (name === '__proto__') throw unusual
    this.at++
    return name
  }

  /** What follows a key's colon. */
  private memberValue(indent: number, tree: PointerTree | undefined): unknown {
    if (this.skips && !tree) return this.pass(indent, true)
    this.skipSpaces()
    const code = this.code()
    if (code !== newline && code !== hash && this.at < this.text.length) {
      return this.scalarOrFlow(indent, tree)
    }
    this.nextLine()
    if (this.indent > indent) return this.block(this.indent, indent, tree)
    if (this.indent === indent && this.isDash()) return this.sequence(indent, tree)
    this.node = undefined
    return null
  }

  private sequence(indent: number, tree: PointerTree | undefined): unknown[] {
    const result: unknown[] = []
    const node: TextNode | undefined = tree && { start: this.at, items: [] }
    do {
      const wanted = tree?.children.get(String(result.length))
      const start = this.at
      if (this.skips && !wanted) {
        result.push(this.pass(indent, false))
        continue
      }
      this.at++
      this.skipSpaces()
      const code = this.code()
      if (code !== newline && code !== hash && this.at < this.text.length) {
        result.push(this.block(indent + this.at - start, indent, wanted))
      } else {
        this.nextLine()
        if (this.indent > indent) result.push(this.block(this.indent, indent, wanted))
        else {
          result.push(null)
          this.node = wanted && { start }
        }
      }
      if (wanted) node!.items![result.length - 1] = this.node
    } while (this.indent === indent && this.isDash())
    if (this.indent > indent) throw unusual
    this.node = node
    return result
  }

  /**
   * Past a member or an item of what is indented so far: all lines that are indented more, a member's list of no more
   * indent, and the bracket that closes a flow collection.
   */
  private pass(indent: number, isMember: boolean): null {
    const { text } = this
    for (let end = text.indexOf('\n', this.at); end !== -1; end = text.indexOf('\n', end + 1)) {
      let at = end + 1
      while (text.charCodeAt(at) === space) at++
      if (at - end - 1 > indent) continue
      const code = text.charCodeAt(at)
      if (code === newline || code === hash) continue
      if (code === bracketClose || code === braceClose) continue
      this.at = at
      if (isMember && at - end - 1 === indent && this.isDash()) continue
      this.seek(end + 1)
      return null
    }
    this.seek(text.length)
    return null
  }

  /** A collection or a scalar that begins a line, or follows the dash of an item. */
  private block(indent: number, parent: number, tree: PointerTree | undefined): unknown {
    if (++this.depth > limits.depth) throw unusual
    const value = this.isDash() ? this.sequence(indent, tree) : this.keyed(indent, parent, tree)
    this.depth--
    return value
  }

  private keyed(indent: number, parent: number, tree: PointerTree | undefined): unknown {
    const code = this.code()
    const mayBeKey = code !== bracketOpen && code !== braceOpen && code !== pipe && code !== greater
    const key = mayBeKey ? this.key() : undefined
    if (key === undefined) return this.scalarOrFlow(parent, tree)
    return this.mapping(indent, key, tree)
  }

  private scalarOrFlow(parent: number, tree: PointerTree | undefined): unknown {
    const start = this.at
    const code = this.code()
    let value: unknown
    switch (code) {
      case doubleQuote:
      case singleQuote: {
        const end = closingQuote(this.text, start)
        value = quotedValue(this.text, start, end, parent)
        this.at = end + 1
        this.endLine()
        break
      }
      case bracketOpen:
      case braceOpen:
        return this.flow(parent, tree)
      case pipe:
      case greater:
        value = this.blockScalar(parent)
        break
      default:
        this.checkBeginning(code)
        value = this.plain(parent)
    }
    this.node = tree && { start }
    return value
  }

  /** Refuses what cannot begin a plain scalar (section 7.3.3). */
  private checkBeginning(code: number): void {
    if (indicators[code] === 1) throw unusual
    const mayIndicate = code === dash || code === question || code === colon
    if (mayIndicate && this.endsAt(this.at + 1)) throw unusual
  }

  /** The end of a plain scalar's part on this line, without the spaces behind it; `at` goes to what ends it. */
  private lineEnd(): number {
    const { text } = this
    let end = this.at
    for (let at = this.at; ; at++) {
      const code = text.charCodeAt(at)
      if (code === space) continue
      // Nothing above a colon or between it and a hash ends a scalar; the text's end is no number.
      const ends =
        code === colon
          ? this.endsAt(at + 1)
          : code === newline || (code === hash && text.charCodeAt(at - 1) === space)
      if (ends || at >= text.length) {
        this.at = at
        return end
      }
      if (code === tab) throw unusual
      end = at + 1
    }
  }

  /** A plain scalar (section 7.3.3), over several lines where they are indented more than what holds it. */
  private plain(parent: number): unknown {
    const { text } = this
    const line = text.slice(this.at, this.lineEnd())
    let whole: string | undefined
    for (;;) {
      if (this.code() === colon) throw unusual
      if (this.code() === hash) {
        this.nextLine()
        break
      }
      let breaks = 0
      let lineStart = this.at
      let at = lineStart
      while (text.charCodeAt(at) === newline) {
        breaks++
        lineStart = ++at
        while (text.charCodeAt(at) === space) at++
      }
      const code = text.charCodeAt(at)
      if (code === tab) throw unusual
      if (at - lineStart <= parent || code === hash || at >= text.length) {
        this.seek(lineStart)
        break
      }
      this.at = at
      const fold = breaks === 1 ? ' ' : '\n'.repeat(breaks - 1)
      whole = `${whole ?? line}${fold}${text.slice(at, this.lineEnd())}`
    }
    return whole ?? plainValue(line)
  }

  private blockScalar(parent: number): string {
    const { value, next } = readBlockScalar(this.text, this.at, parent)
    this.seek(next)
    return value
  }

  /** A flow collection (section 7.4), read by the loader; what is read here holds no part twice. */
  private flow(parent: number, tree: PointerTree | undefined): unknown {
    const start = this.at
    const end = this.flowEnd(parent)
    const text = this.text.slice(start, end)
    if (mayShareParts(text)) throw unusual
    const value = text === '[]' ? [] : text === '{}' ? {} : loaded(text)
    this.at = end
    this.endLine()
    const nodes = tree && tree.children.size > 0 ? nodesOfAny(text).root : undefined
    this.node = nodes ? moved(nodes, start) : tree && { start }
    return value
  }

  /**
   * Behind the bracket that closes a flow collection, whose lines are indented more than what holds it. Where the end is
   * told wrongly, the loader refuses the part.
   */
  private flowEnd(parent: number): number {
    const { text } = this
    let depth = 0
    let beginsToken = true
    let lineStart = -Infinity
    for (let at = this.at; at < text.length; at++) {
      const code = text.charCodeAt(at)
      if (code === space) continue
      if (code === newline) {
        lineStart = at + 1
        continue
      }
      if (code === hash || code === tab) throw unusual
      const closes = code === bracketClose || code === braceClose
      if (at - lineStart <= parent && !closes) throw unusual
      lineStart = -Infinity
      if (beginsToken && (code === doubleQuote || code === singleQuote)) {
        const end = closingQuote(text, at)
        if (text.slice(at, end).includes('\n')) throw unusual
        at = end
      } else if (code === bracketOpen || code === braceOpen) depth++
      else if (closes && --depth === 0) return at + 1
      beginsToken = code === comma || code === colon || code === bracketOpen || code === braceOpen
    }
    throw unusual
  }
}

/** The value of a text that stays within the part of the language that is read here; undefined for any other. */
export function readBlocks(text: string): object | undefined {
  if (unreadable.test(text)) return undefined
  return unlessUnusual(() => new BlockReader(text, false).read().value as object)
}

/** The nodes on the ways to the wanted places of such a text; of one that is known to be such, in a fraction of the time. */
export function nodesInBlocks(
  text: string,
  tree: PointerTree,
  isKnown: boolean,
): TextNode | undefined {
  if (!isKnown && unreadable.test(text)) return undefined
  return unlessUnusual(() => new BlockReader(text, isKnown).read(tree).node)
}
