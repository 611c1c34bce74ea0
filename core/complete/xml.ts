import { table } from '../text/values'
import type { XmlElement } from '../text/xml'
import type { Completion } from './index'

const schemaParts = ['element', 'complexType', 'simpleType', 'attribute', 'attributeGroup', 'group']
const particles = ['element', 'choice', 'sequence', 'group', 'any']
const attributes = ['attribute', 'attributeGroup', 'anyAttribute']

/** What may stand in an element, by its local name; for WSDL 1.1 and 2.0, WADL and XML Schema. */
const children = table<string[]>({
  definitions: ['types', 'message', 'portType', 'binding', 'service', 'import', 'documentation'],
  description: ['types', 'interface', 'binding', 'service', 'import', 'include', 'documentation'],
  types: ['schema'],
  message: ['part', 'documentation'],
  portType: ['operation', 'documentation'],
  interface: ['operation', 'fault', 'documentation'],
  operation: ['documentation', 'input', 'output', 'fault', 'infault', 'outfault'],
  binding: ['operation', 'documentation'],
  service: ['port', 'endpoint', 'documentation'],
  port: ['address', 'documentation'],
  input: ['body', 'header', 'documentation'],
  output: ['body', 'header', 'documentation'],
  schema: [...schemaParts, 'import', 'include', 'redefine', 'notation', 'annotation'],
  complexType: ['sequence', 'choice', 'all', 'complexContent', 'simpleContent', ...attributes],
  sequence: particles,
  choice: particles,
  all: ['element', 'annotation'],
  complexContent: ['extension', 'restriction'],
  simpleContent: ['extension', 'restriction'],
  extension: ['sequence', 'choice', 'all', ...attributes],
  restriction: [
    ...['enumeration', 'pattern', 'minLength', 'maxLength', 'length', 'minInclusive'],
    ...['maxInclusive', 'minExclusive', 'maxExclusive', 'totalDigits', 'fractionDigits'],
    ...['whiteSpace', 'sequence', 'attribute'],
  ],
  simpleType: ['restriction', 'list', 'union', 'annotation'],
  element: ['complexType', 'simpleType', 'annotation', 'key', 'unique', 'keyref'],
  annotation: ['documentation', 'appinfo'],
  application: ['doc', 'grammars', 'resources', 'method', 'representation', 'param'],
  resources: ['doc', 'resource'],
  resource: ['doc', 'param', 'method', 'resource'],
  method: ['doc', 'request', 'response'],
  request: ['doc', 'param', 'representation'],
  response: ['doc', 'param', 'representation'],
  param: ['doc', 'option', 'link'],
})

/** The declarations that an attribute may name, by its local name. */
const named = table<string[]>({
  type: ['complexType', 'simpleType', 'portType'],
  base: ['complexType', 'simpleType'],
  itemType: ['simpleType'],
  element: ['element'],
  ref: ['element', 'group', 'attributeGroup', 'attribute'],
  message: ['message'],
  binding: ['binding'],
  interface: ['interface'],
})
const builtin = [
  ...['string', 'boolean', 'decimal', 'integer', 'int', 'long', 'double', 'date', 'dateTime'],
  ...['time', 'duration', 'anyURI', 'base64Binary', 'token', 'positiveInteger'],
]

/** How far back an open tag, and the elements around it, are looked for. */
const farthest = 200_000

/** Suggestions in XML: elements that may stand here, and what the definition declares. */
export function completeXml(
  text: string,
  offset: number,
  root: XmlElement | undefined,
): Completion | undefined {
  const before = text.slice(Math.max(0, offset - farthest), offset)
  const tag = before.lastIndexOf('<')
  if (tag === -1) return undefined
  const inside = before.slice(tag)
  const element = /^<([\w.:-]*)$/.exec(inside)
  if (element) {
    const parent = openElements(before.slice(0, tag)).at(-1)
    const [prefix, local] = nameParts(parent ?? '')
    const own = prefixOf(text, local, prefix)
    return {
      from: offset - element[1]!.length,
      kind: 'element',
      suggestions: (children[local] ?? []).map((name) => ({ label: own(name) })),
    }
  }
  const value = /([\w.:-]+)\s*=\s*(?:"([^"<]*)|'([^'<]*))$/.exec(inside)
  if (!value || !root) return undefined
  const kinds = named[nameParts(value[1]!)[1]]
  if (!kinds) return undefined
  const written = value[2] ?? value[3] ?? ''
  return {
    from: offset - written.length,
    kind: 'value',
    suggestions: declared(root, kinds),
  }
}

const nameParts = (name: string): [prefix: string, local: string] => {
  const colon = name.indexOf(':')
  return colon === -1 ? ['', name] : [name.slice(0, colon + 1), name.slice(colon + 1)]
}

/** Elements take their parent's prefix, but for those of a namespace that begins below it. */
function prefixOf(text: string, parent: string, prefix: string): (name: string) => string {
  const bound = (pattern: RegExp) => {
    const found = pattern.exec(text)?.[1]
    return found === undefined ? '' : `${found}:`
  }
  const schema = bound(/xmlns:([\w.-]+)\s*=\s*["']http:\/\/www\.w3\.org\/2001\/XMLSchema["']/)
  const soap = bound(
    /xmlns:([\w.-]+)\s*=\s*["']http:\/\/schemas\.xmlsoap\.org\/wsdl\/soap(?:12)?\/["']/,
  )
  return (name) => {
    if (parent === 'types') return schema + name
    return /^(?:body|header|address)$/.test(name) && soap ? soap + name : prefix + name
  }
}

/** The names of elements that are open at the end of a text. */
function openElements(text: string): string[] {
  const open: string[] = []
  for (const [, closes, name, , empty] of text.matchAll(
    /<(?:!--[\s\S]*?-->|!\[CDATA\[[\s\S]*?\]\]>|\?[^>]*>|(\/?)([\w.:-]+)((?:[^<>"']|"[^"]*"|'[^']*')*?)(\/?)>)/g,
  )) {
    if (name === undefined) continue
    if (closes) {
      const last = open.lastIndexOf(name)
      if (last !== -1) open.length = last
    } else if (!empty) open.push(name)
  }
  return open
}

/** Qualified names of the declarations of some kinds, with the built-in types where those count. */
function declared(root: XmlElement, kinds: string[]): { label: string; detail: string }[] {
  const prefixes = new Map(Object.entries(root.scope).map(([prefix, name]) => [name, prefix]))
  const found = new Map<string, string>()
  const stack: { element: XmlElement; target: string }[] = [{ element: root, target: '' }]
  while (stack.length > 0) {
    const { element, target } = stack.pop()!
    const own = element.attribute('targetNamespace') ?? target
    const name = element.attribute('name')
    if (name !== undefined && kinds.includes(element.local)) {
      const prefix = prefixes.get(own)
      found.set(prefix ? `${prefix}:${name}` : name, element.local)
    }
    for (const child of element.children) stack.push({ element: child, target: own })
  }
  const result = [...found].map(([label, detail]) => ({ label, detail }))
  const schema = prefixes.get('http://www.w3.org/2001/XMLSchema')
  if (!kinds.includes('simpleType') || schema === undefined) return result
  return [...result, ...builtin.map((name) => ({ label: `${schema}:${name}`, detail: 'built in' }))]
}
