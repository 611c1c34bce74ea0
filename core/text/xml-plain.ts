import { hashed, RecentStrings } from './recent'
import { unlessUnusual, unusual } from './unusual'
import { asName, ElementTree, type XmlElement } from './xml-elements'

/**
 * Reads well-formed XML 1.0 as nearly all documents are written: no document type, names of ASCII letters, references to
 * characters and to the five entities of XML itself. Everything else, and every fault, is given back unread: the parser
 * of the whole language then reads the text, or says what is wrong with it.
 */

const tab = 9
const newline = 10
const carriageReturn = 13
const space = 32
const bang = 33
const doubleQuote = 34
const ampersand = 38
const singleQuote = 39
const slash = 47
const less = 60
const equals = 61
const greater = 62
const question = 63

const isSpace = (code: number) =>
  code === space || code === newline || code === tab || code === carriageReturn

/** What a character may be in a name, of those that are read here: 1 anywhere, 2 at its beginning too. */
const nameCharacters = new Uint8Array(128)
for (const character of '0123456789.-:') nameCharacters[character.charCodeAt(0)] = 1
for (const character of 'ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz_') {
  nameCharacters[character.charCodeAt(0)] = 2
}

/** Characters that XML does not allow (section 2.2), and a byte order mark, which is not told at a glance. */
const disallowed = /[\x00-\x08\x0B\x0C\x0E-\x1F\uFEFF\uFFFE\uFFFF\p{Surrogate}]/u

const declaration =
  /<\?xml\s+version=(?:"1\.0"|'1\.0')(?:\s+encoding=(?:"[A-Za-z][\w.-]*"|'[A-Za-z][\w.-]*'))?(?:\s+standalone=(?:"(?:yes|no)"|'(?:yes|no)'))?\s*\?>/y

/** More attributes in one tag than this are looked through by the parser, which does not compare each with each. */
const mostAttributes = 40

const entities: Record<string, string> = { amp: '&', lt: '<', gt: '>', quot: '"', apos: "'" }

/** Text with its references (section 4.1) replaced. */
function withoutReferences(text: string): string {
  return text.replace(
    /&(?:#(\d{1,7})|#x([\da-fA-F]{1,6})|(\w+));|&/g,
    (_, decimal?: string, hexadecimal?: string, name?: string) => {
      if (name !== undefined && Object.hasOwn(entities, name)) return entities[name]!
      const code = decimal === undefined ? parseInt(hexadecimal ?? '', 16) : Number(decimal)
      if (!(code <= 0x10ffff)) throw unusual
      const character = String.fromCodePoint(code)
      if (disallowed.test(character)) throw unusual
      return character
    },
  )
}

class ElementReader {
  private at = 0
  private readonly tree = new ElementTree(() => {
    throw unusual
  })
  /** The names of the open elements, outermost first. */
  private readonly open: string[] = []
  /** Names and values of the attributes of the tag that is being read, so many of them as are counted. */
  private readonly pending: string[] = []
  private count = 0
  /** What is written again and again is made once. */
  private readonly recentNames = new RecentStrings(1024)
  private readonly recentValues = new RecentStrings(1024)
  private readonly names = new Map<string, string>()

  constructor(private readonly text: string) {}

  read(): XmlElement {
    const { text, tree, open } = this
    declaration.lastIndex = 0
    if (declaration.test(text)) this.at = declaration.lastIndex
    for (;;) {
      const start = text.indexOf('<', this.at)
      const end = start === -1 ? text.length : start
      const next = text.charCodeAt(end + 1)
      if (end > this.at) this.content(end, next === bang || next === question)
      if (start === -1) break
      this.at = start + 1
      if (next === slash) this.endTag()
      else if (next === bang) this.aside()
      else if (next === question) this.instruction()
      else this.startTag(start)
    }
    if (open.length > 0 || !tree.root) throw unusual
    return tree.root
  }

  /** Character data up to an offset; what is only white space between tags says nothing. */
  private content(end: number, goesOn: boolean): void {
    const { text } = this
    let at = this.at
    while (at < end && isSpace(text.charCodeAt(at))) at++
    const isBlank = at === end
    if (this.open.length === 0) {
      if (!isBlank) throw unusual
    } else if (!isBlank || goesOn || this.tree.hasText) {
      let part = text.slice(this.at, end)
      if (part.includes(']]>')) throw unusual
      if (part.includes('\r')) part = part.replace(/\r\n?/g, '\n')
      this.tree.text(part.includes('&') ? withoutReferences(part) : part)
    }
  }

  private endTag(): void {
    const { text } = this
    const name = this.open.pop()
    if (name === undefined || !text.startsWith(name, this.at + 1)) throw unusual
    this.at += 1 + name.length
    this.skipSpace()
    this.pass(greater)
    this.tree.close()
  }

  /** A comment, or character data that is written as it is (section 2.7). */
  private aside(): void {
    const { text } = this
    if (text.startsWith('!--', this.at)) {
      const end = text.indexOf('--', this.at + 3)
      if (end === -1 || text.charCodeAt(end + 2) !== greater) throw unusual
      this.at = end + 3
    } else if (text.startsWith('![CDATA[', this.at) && this.open.length > 0) {
      const end = text.indexOf(']]>', this.at + 8)
      if (end === -1) throw unusual
      this.tree.text(text.slice(this.at + 8, end).replace(/\r\n?/g, '\n'))
      this.at = end + 3
    } else throw unusual
  }

  private instruction(): void {
    this.at++
    if (/^xml$/i.test(this.name())) throw unusual
    if (!isSpace(this.text.charCodeAt(this.at)) && !this.text.startsWith('?>', this.at)) {
      throw unusual
    }
    const end = this.text.indexOf('?>', this.at)
    if (end === -1) throw unusual
    this.at = end + 2
  }

  private startTag(start: number): void {
    const { text, open, tree } = this
    if (open.length === 0 && tree.root) throw unusual
    const name = this.name()
    this.count = 0
    for (;;) {
      const from = this.at
      this.skipSpace()
      const code = text.charCodeAt(this.at)
      if (code === greater || code === slash) break
      if (this.at === from) throw unusual
      this.attribute()
    }
    tree.open(name, this.pending.slice(0, this.count), start)
    if (text.charCodeAt(this.at) === slash) {
      this.at++
      tree.close()
    } else open.push(name)
    this.pass(greater)
  }

  private attribute(): void {
    const { text, pending, count } = this
    const name = this.name()
    for (let i = 0; i < count; i += 2) if (pending[i] === name) throw unusual
    if (count >= 2 * mostAttributes) throw unusual
    this.skipSpace()
    this.pass(equals)
    this.skipSpace()
    const quote = text.charCodeAt(this.at)
    if (quote !== doubleQuote && quote !== singleQuote) throw unusual
    const start = this.at + 1
    let isPlain = true
    let hash = 0
    let end = start
    for (let code = text.charCodeAt(end); code !== quote; code = text.charCodeAt(++end)) {
      if (code === less || end >= text.length) throw unusual
      if (code === ampersand || code < space) isPlain = false
      hash = hashed(hash, code)
    }
    pending[count] = name
    pending[count + 1] = isPlain ? this.plainValue(start, end, hash) : this.value(start, end)
    this.count = count + 2
    this.at = end + 1
  }

  private plainValue(start: number, end: number, hash: number): string {
    const recent = this.recentValues.find(this.text, start, end, hash)
    if (recent !== undefined) return recent
    const value = this.text.slice(start, end)
    this.recentValues.keep(value, hash)
    return value
  }

  /** A value with references, or with white space, which is spaces (section 3.3.3) unless it is referred to. */
  private value(start: number, end: number): string {
    return withoutReferences(this.text.slice(start, end).replace(/\r\n|[\t\n\r]/g, ' '))
  }

  /** A name (section 2.3). */
  private name(): string {
    const { text } = this
    const start = this.at
    let hash = 0
    let end = start
    let code = text.charCodeAt(end)
    while (nameCharacters[code]! > 0) {
      hash = hashed(hash, code)
      code = text.charCodeAt(++end)
    }
    if (nameCharacters[text.charCodeAt(start)] !== 2 || code >= 128) throw unusual
    this.at = end
    return this.recentNames.find(text, start, end, hash) ?? this.newName(start, end, hash)
  }

  /** A name that was not read of late, and perhaps never. */
  private newName(start: number, end: number, hash: number): string {
    const written = this.text.slice(start, end)
    let name = this.names.get(written)
    if (name === undefined) this.names.set(written, (name = asName(written)))
    this.recentNames.keep(name, hash)
    return name
  }

  private skipSpace(): void {
    while (isSpace(this.text.charCodeAt(this.at))) this.at++
  }

  private pass(code: number): void {
    if (this.text.charCodeAt(this.at) !== code) throw unusual
    this.at++
  }
}

/** The root of a document that stays within the part of XML that is read here; undefined for any other. */
export function readElements(text: string): XmlElement | undefined {
  if (disallowed.test(text)) return undefined
  return unlessUnusual(() => new ElementReader(text).read())
}
