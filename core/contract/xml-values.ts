import type { XmlElement } from '../text/xml'
import { isObject } from '../text/values'
import type { QualifiedName, Schema } from './model'
import type { WithSchemas } from './schemas'
import { invalidity } from './validate'
import { xmlShape, type XmlMember } from './xml-members'

const instance = 'http://www.w3.org/2001/XMLSchema-instance'

/** Text as it may stand in XML content and in an attribute in double quotes. */
export const escapeXml = (text: string) =>
  text.replace(
    /[&<>"]/g,
    (character) => ({ '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' })[character]!,
  )

/** Characters that XML has no way to write (XML 1.0, section 2.2), and halves of characters. */
const unwritable = /[^\t\n\r\u{20}-\u{d7ff}\u{e000}-\u{fffd}\u{10000}-\u{10ffff}]/u

/** Why a value cannot be written as XML, with its place; undefined where it can. */
export function whyNoXml(value: unknown, at = ''): string | undefined {
  if (typeof value === 'string')
    return unwritable.test(value) ? `${at || '/'} has a character that XML cannot carry` : undefined
  if (typeof value !== 'object' || value === null) return undefined
  for (const [name, inner] of Object.entries(value)) {
    const why = whyNoXml(inner, `${at}/${name}`)
    if (why !== undefined) return why
  }
  return undefined
}

/**
 * A value of a schema as an XML element, by the schema’s own hints (OpenAPI 3.1, section 4.8.26): names, namespaces,
 * attributes, and the order that the schema has. Lists repeat their element. Members that the schema does not have are
 * not written.
 */
export function xmlElement(
  contract: WithSchemas,
  schema: Schema | undefined,
  value: unknown,
  element: QualifiedName,
): string {
  return written(contract, schema, value, element, undefined)
}

const isName = (name: string) => /^[\p{L}_][\p{L}\p{N}._-]*$/u.test(name)
const textOf = (value: unknown) => (typeof value === 'string' ? value : JSON.stringify(value))

function written(
  contract: WithSchemas,
  given: Schema | undefined,
  value: unknown,
  element: QualifiedName,
  around: string | undefined,
): string {
  const { items, substitutes, membersIn } = xmlShape(contract, given)
  if (Array.isArray(value) && items !== undefined)
    return value.map((item) => written(contract, items, item, element, around)).join('')
  const other = substitutes.find(({ schema }) => invalidity(contract, value, schema) === undefined)
  if (other) return written(contract, other.schema, value, other.element, around)
  const { namespace, name } = element
  const declared = namespace === around ? '' : ` xmlns="${escapeXml(namespace)}"`
  if (value === null) return `<${name}${declared} xmlns:xsi="${instance}" xsi:nil="true"/>`
  // A list in one text: its items with a space between them (XML Schema part 2, section 2.5.1.2).
  if (Array.isArray(value))
    return `<${name}${declared}>${escapeXml(value.map(textOf).join(' '))}</${name}>`
  if (!isObject(value)) return `<${name}${declared}>${escapeXml(textOf(value))}</${name}>`
  let [attributes, content] = ['', '']
  for (const member of membersIn(namespace)) {
    const inner = Object.hasOwn(value, member.name) ? value[member.name] : undefined
    if (inner === undefined || !isName(member.element.name)) continue
    if (member.kind === 'attribute')
      attributes += ` ${member.element.name}="${escapeXml(textOf(inner))}"`
    else if (member.kind === 'text') content += escapeXml(textOf(inner))
    else content += written(contract, member.schema, inner, member.element, namespace)
  }
  return content === ''
    ? `<${name}${declared}${attributes}/>`
    : `<${name}${declared}${attributes}>${content}</${name}>`
}

/**
 * The value that an XML element stands for, by a schema: the inverse of {@link xmlElement}. Elements are known by their
 * names; what the schema does not have becomes members of those names, so that nothing gets lost on the way.
 */
export function xmlValue(
  contract: WithSchemas,
  given: Schema | undefined,
  element: XmlElement,
): unknown {
  if (/^(?:true|1)$/.test(element.attributeOf(instance, 'nil') ?? '')) return null
  const { types, scalarTypes, isTextList, membersIn } = xmlShape(contract, given)
  if (isTextList)
    return element.text
      .trim()
      .split(/\s+/)
      .filter(Boolean)
      .map((word) => scalar(word, scalarTypes))
  const members = membersIn(element.namespace)
  if (members.length > 0) return objectOf(contract, members, element)
  if (types.includes('object') && element.children.length === 0) return {}
  if (types.includes('object') || (types.length === 0 && element.children.length > 0))
    return plainOf(element)
  return scalar(element.text, scalarTypes)
}

function objectOf(
  contract: WithSchemas,
  members: readonly XmlMember[],
  element: XmlElement,
): Record<string, unknown> {
  const value: Record<string, unknown> = {}
  const byName = new Map<string, XmlElement[]>()
  for (const child of element.children) {
    const same = byName.get(child.local)
    if (same) same.push(child)
    else byName.set(child.local, [child])
  }
  for (const { name, kind, element: wanted, schema } of members) {
    const shape = xmlShape(contract, schema)
    if (kind === 'attribute') {
      const said = element.attribute(wanted.name)
      if (said !== undefined) put(value, name, scalar(said, shape.scalarTypes))
      continue
    }
    if (kind === 'text') {
      put(value, name, scalar(element.text, shape.scalarTypes))
      continue
    }
    const { items } = shape
    const { substitutes } = items === undefined ? shape : xmlShape(contract, items)
    const choices = [
      ...substitutes,
      ...(substitutes.some((one) => one.element.name === wanted.name)
        ? []
        : [{ element: wanted, schema: items ?? schema }]),
    ]
    const values = choices.flatMap(({ element: { name: local }, schema: own }) => {
      const found = byName.get(local) ?? []
      byName.delete(local)
      return found.map((child) => ({ child, value: xmlValue(contract, own, child) }))
    })
    // Elements of several names keep the order that they have.
    if (choices.length > 1) values.sort((a, b) => a.child.start - b.child.start)
    if (values.length === 0) continue
    put(value, name, items === undefined ? values[0]!.value : values.map((one) => one.value))
  }
  for (const left of byName.values())
    for (const child of left) add(value, child.local, plainOf(child))
  return value
}

/** What nothing is known of: text, or an object of its elements. */
function plainOf(element: XmlElement): unknown {
  if (element.children.length === 0) return element.text
  const value: Record<string, unknown> = {}
  for (const child of element.children) add(value, child.local, plainOf(child))
  return value
}

const put = (value: Record<string, unknown>, name: string, inner: unknown) =>
  void Object.defineProperty(value, name, {
    ...{ value: inner, enumerable: true, configurable: true, writable: true },
  })

function add(value: Record<string, unknown>, name: string, inner: unknown): void {
  if (!Object.hasOwn(value, name)) put(value, name, inner)
  else {
    const before = value[name]
    put(value, name, Array.isArray(before) ? [...(before as unknown[]), inner] : [before, inner])
  }
}

/** Whether JSON writes the number that was read from digits with the same digits; where it has as many as it takes an exponent for, it does not. */
const keepsDigits = (digits: string, n: number) =>
  Math.abs(n) < 1e21 && BigInt(digits) === BigInt(String(n))

/** Text as the type that a schema asks for, where it is one; a number that would change on the way stays text. */
function scalar(text: string, types: readonly string[]): unknown {
  const trimmed = text.trim()
  if (types.includes('integer') || types.includes('number')) {
    const plain = trimmed.replace(/^\+/, '')
    const n = Number(plain)
    if (/^-?\d+(?:\.\d+)?(?:[eE][+-]?\d+)?$/.test(plain) && Number.isFinite(n)) {
      if (!/^-?\d+$/.test(plain) || keepsDigits(plain, n)) return n
    }
  }
  if (types.includes('boolean')) {
    if (trimmed === 'true' || trimmed === '1') return true
    if (trimmed === 'false' || trimmed === '0') return false
  }
  return text
}
