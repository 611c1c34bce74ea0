import { SaxesParser } from 'saxes'
import { limits } from './limits'
import type { Pointer } from './pointer'
import type { TextFault } from './problem'

/** The children of elements that have none, so that leaves cost nothing. */
const childless: readonly XmlElement[] = []

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
    readonly scope: Readonly<Record<string, string>>,
  ) {
    const isAsParent = parent?.scope === scope && parent.prefix === prefix
    this.namespace = isAsParent ? parent.namespace : (scope[prefix] ?? '')
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
      if (this.scope[name.slice(0, colon)] === namespace) return value
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
    return { namespace: this.scope[name.slice(0, colon)], local: name.slice(colon + 1) }
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

const builtIn = { '': '', xml: 'http://www.w3.org/XML/1998/namespace' }
const mostFaults = 100

/**
 * Reads an XML document into elements with their offsets. No entity is expanded beyond the five of XML itself, and a
 * document type declaration fetches nothing. Reading goes on after a fault, to report all it can.
 */
export function readXml(text: string): { root: XmlElement | undefined; faults: TextFault[] } {
  const parser = new SaxesParser({ position: false })
  const faults: TextFault[] = []
  let root: XmlElement | undefined
  let current: XmlElement | undefined
  let depth = 0
  let start = 0
  let stopped = false
  let content = ''
  /** Names and values of the tag being read, so many of them as are counted. */
  const pending: string[] = []
  let count = 0
  const fault = (message: string, offset: number) => {
    if (faults.length < mostFaults && faults.at(-1)?.offset !== offset)
      faults.push({ message, offset })
  }
  const keepText = () => {
    if (content === '') return
    if (current && /\S/.test(content)) current.text += content
    content = ''
  }
  parser.on('error', (error) => {
    fault(sentence(error.message), Math.max(0, parser.position - 1))
  })
  parser.on('opentagstart', (tag) => {
    count = 0
    start = Math.max(0, text.lastIndexOf('<', parser.position - 1 - tag.name.length))
  })
  parser.on('attribute', ({ name, value }) => {
    pending[count++] = name
    pending[count++] = value
  })
  const names = new Map<string, { prefix: string; local: string }>()
  parser.on('opentag', (tag) => {
    keepText()
    if (++depth > limits.depth) {
      stopped = true
      fault(`Nested deeper than ${limits.depth} levels; documents this deep are refused`, start)
      return
    }
    const attributes = pending.slice(0, count)
    let scope: Record<string, string> = current?.scope ?? builtIn
    for (let i = 0; i < attributes.length; i += 2) {
      const name = attributes[i]!
      if (!name.startsWith('xmlns')) continue
      if (name === 'xmlns') scope = { ...scope, '': attributes[i + 1]! }
      else if (name.charCodeAt(5) === 58) scope = { ...scope, [name.slice(6)]: attributes[i + 1]! }
    }
    // A document has few names, and very many elements that share them.
    let name = names.get(tag.name)
    if (!name) names.set(tag.name, (name = nameParts(tag.name)))
    const { prefix, local } = name
    const element = new XmlElement(prefix, local, attributes, start, current, scope)
    if (prefix !== '' && scope[prefix] === undefined) {
      fault(`The prefix "${prefix}" is not declared`, start)
    }
    if (current?.children === childless) current.children = [element]
    else if (current) (current.children as XmlElement[]).push(element)
    else root ??= element
    current = element
  })
  parser.on('closetag', () => {
    keepText()
    depth--
    if (depth < limits.depth) current = current?.parent
  })
  parser.on('text', (part) => (content += part))
  parser.on('cdata', (part) => (content += part))
  const chunk = 1 << 16
  for (let at = 0; at < text.length && !stopped; at += chunk)
    parser.write(text.slice(at, at + chunk))
  if (!stopped) parser.close()
  return { root, faults }
}

function nameParts(name: string): { prefix: string; local: string } {
  const colon = name.indexOf(':')
  return { prefix: colon === -1 ? '' : name.slice(0, colon), local: name.slice(colon + 1) }
}

/** Turns the XML reader's note into a sentence of its own, without the position in front. */
function sentence(message: string): string {
  const plain = message.replace(/^(?:[^:]*:)?\d+:\d+:\s*/, '')
  return plain.charAt(0).toUpperCase() + plain.slice(1).replace(/\.$/, '')
}

/** Offsets of element paths in an XML text; one that does not exist gets its nearest ancestor's. */
export function locateInXml(
  root: XmlElement | undefined,
  paths: Iterable<Pointer>,
): Map<Pointer, number> {
  const found = new Map<Pointer, number>()
  for (const path of paths) found.set(path, root ? elementAt(root, path).start : 0)
  return found
}

function elementAt(root: XmlElement, path: Pointer): XmlElement {
  let element = root
  for (const step of path.split('/').slice(2)) {
    const [, local, rank] = /^([^[]*)(?:\[(\d+)\])?$/.exec(step) ?? []
    const next = element.children.filter((child) => child.local === local)[Number(rank ?? 1) - 1]
    if (!next) break
    element = next
  }
  return element
}
