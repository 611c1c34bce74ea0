import { limits } from './limits'
import type { Pointer } from './pointer'

/** The children of elements that have none, so that leaves cost nothing. */
const childless: readonly XmlElement[] = []

/** The prefixes in scope, each with its namespace. */
type Scope = Readonly<Record<string, string>>

/** A prefix may be called as what every object has. */
const namespaceIn = (scope: Scope, prefix: string): string | undefined =>
  Object.hasOwn(scope, prefix) ? scope[prefix] : undefined

/** An element of an XML document (XML 1.0, Namespaces in XML 1.0). `start` is the offset of its `<`. */
export class XmlElement {
  children: readonly XmlElement[] = childless
  text = ''
  /** The namespace name of the element, or the empty string. */
  readonly namespace: string
  /** Its number among the siblings of the same name, from 1; 0 until somebody asks for a path. */
  rank = 0

  constructor(
    readonly prefix: string,
    readonly local: string,
    /** Names and values in turn: a document has very many attributes, and few of them are asked for. */
    private readonly flat: readonly string[],
    readonly start: number,
    readonly parent: XmlElement | undefined,
    /** Prefixes in scope; shared with the parent where nothing is declared. */
    readonly scope: Scope,
  ) {
    const isAsParent = parent?.scope === scope && parent.prefix === prefix
    this.namespace = isAsParent ? parent.namespace : (namespaceIn(scope, prefix) ?? '')
  }

  /** Names and values of its attributes, as written and in their order. */
  get attributes(): [name: string, value: string][] {
    const pairs: [string, string][] = []
    for (let i = 0; i < this.flat.length; i += 2) pairs.push([this.flat[i]!, this.flat[i + 1]!])
    return pairs
  }

  /** The value of an attribute by its name as written. */
  attribute(name: string): string | undefined {
    const { flat } = this
    for (let i = 0; i < flat.length; i += 2) if (flat[i] === name) return flat[i + 1]
    return undefined
  }

  /** The value of an attribute of a namespace. */
  attributeOf(namespace: string, local: string): string | undefined {
    for (const [name, value] of this.attributes) {
      const colon = name.indexOf(':')
      if (colon === -1 || name.slice(colon + 1) !== local) continue
      if (namespaceIn(this.scope, name.slice(0, colon)) === namespace) return value
    }
    return undefined
  }

  /** Child elements of a namespace by local name. */
  all(namespace: string, local: string): XmlElement[] {
    return this.children.filter((child) => child.local === local && child.namespace === namespace)
  }

  /** The first child element of a namespace by local name. */
  first(namespace: string, local: string): XmlElement | undefined {
    return this.children.find((child) => child.local === local && child.namespace === namespace)
  }

  /** A QName in content (XML Schema part 2, section 3.2.18): the default namespace applies. */
  qualify(name: string): QName {
    const colon = name.indexOf(':')
    if (colon === -1) return { namespace: this.scope[''] ?? '', local: name }
    return {
      namespace: namespaceIn(this.scope, name.slice(0, colon)),
      local: name.slice(colon + 1),
    }
  }

  /** Where it stands, as a path of local names, numbered where siblings share one: `/definitions/message[2]`. */
  get path(): Pointer {
    if (!this.parent) return `/${this.local}`
    if (this.rank === 0) number(this.parent)
    return `${this.parent.path}/${this.rank === 1 ? this.local : `${this.local}[${this.rank}]`}`
  }
}

function number(parent: XmlElement): void {
  const counts = new Map<string, number>()
  for (const child of parent.children) {
    const rank = (counts.get(child.local) ?? 0) + 1
    counts.set(child.local, rank)
    child.rank = rank
  }
}

/** A qualified name; the namespace is undefined where its prefix is not declared. */
export interface QName {
  namespace: string | undefined
  local: string
}

const builtIn: Scope = {
  '': '',
  xml: 'http://www.w3.org/XML/1998/namespace',
}

/** The same text as the engine holds names of properties: such strings are equal only where they are one. */
export const asName = (text: string): string => Object.keys({ [text]: true })[0]!

/** Grows the elements of a document from its tags and texts in their order. */
export class ElementTree {
  root: XmlElement | undefined
  private current: XmlElement | undefined
  private depth = 0
  private content = ''
  private readonly names = new Map<string, { prefix: string; local: string }>()

  constructor(private readonly fault: (message: string, offset: number) => void) {}

  /** Whether text has come since the last tag. */
  get hasText(): boolean {
    return this.content !== ''
  }

  /** A start tag at an offset, with its attributes' names and values in turn, which the element keeps; says whether the document is not too deep. */
  open(written: string, attributes: readonly string[], start: number): boolean {
    this.keepText()
    if (++this.depth > limits.depth) {
      const message = `Nested deeper than ${limits.depth} levels; documents this deep are refused`
      this.fault(message, start)
      return false
    }
    const parent = this.current
    const scope = scopeWithin(parent?.scope ?? builtIn, attributes)
    // A document has few names, and very many elements that share them.
    let name = this.names.get(written)
    if (!name) this.names.set(written, (name = nameParts(written)))
    const { prefix, local } = name
    const element = new XmlElement(prefix, local, attributes, start, parent, scope)
    if (prefix !== '' && namespaceIn(scope, prefix) === undefined) {
      this.fault(`The prefix "${prefix}" is not declared`, start)
    }
    if (parent?.children === childless) parent.children = [element]
    else if (parent) (parent.children as XmlElement[]).push(element)
    else this.root ??= element
    this.current = element
    return true
  }

  close(): void {
    this.keepText()
    this.depth--
    if (this.depth < limits.depth) this.current = this.current?.parent
  }

  text(part: string): void {
    this.content += part
  }

  private keepText(): void {
    if (this.content === '') return
    if (this.current && /\S/.test(this.content)) this.current.text += this.content
    this.content = ''
  }
}

/** The prefixes in scope behind a tag (Namespaces in XML 1.0, section 6). */
function scopeWithin(outer: Scope, attributes: readonly string[]): Scope {
  let scope = outer
  for (let i = 0; i < attributes.length; i += 2) {
    const name = attributes[i]!
    if (!name.startsWith('xmlns')) continue
    if (name === 'xmlns') scope = { ...scope, '': asName(attributes[i + 1]!) }
    else if (name.charCodeAt(5) === 58)
      scope = { ...scope, [name.slice(6)]: asName(attributes[i + 1]!) }
  }
  return scope
}

function nameParts(name: string): { prefix: string; local: string } {
  const colon = name.indexOf(':')
  const prefix = colon === -1 ? '' : name.slice(0, colon)
  return { prefix: asName(prefix), local: asName(name.slice(colon + 1)) }
}
