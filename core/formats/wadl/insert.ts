import { recommended } from '../xsd/builtin'
import { isObject } from '../../text/values'
import { readXml, type XmlElement } from '../../text/xml'
import {
  pathParameters,
  statusSays,
  taken,
  type BodyDraft,
  type OperationDraft,
} from '../../edit/draft'
import { endOf, escapeText, escapeValue, tagOf } from '../../edit/elements'
import { schemaFromExample } from '../../edit/example'
import { EditFault, eolOf } from '../../edit/tree'

/** An element to be written. */
interface Written {
  name: string
  attributes: Record<string, string>
  inside: Written[] | string
}

const types: Record<string, string> = {
  string: 'string',
  integer: 'integer',
  number: 'decimal',
  boolean: 'boolean',
}

/** The global elements that a WADL's representations speak of, as it calls them. */
export function representedElements(text: string): string[] {
  const found = new Set<string>()
  const visit = (element: XmlElement) => {
    const name = element.local === 'representation' ? element.attribute('element') : undefined
    if (name !== undefined) found.add(name)
    element.children.forEach(visit)
  }
  const { root } = readXml(text)
  if (root) visit(root)
  return [...found]
}

/** Writes an operation into a WADL: into the resource of its path, or into a new one below the nearest that stands. */
export function intoWadl(text: string, draft: OperationDraft): string {
  const { root, faults } = readXml(text)
  if (!root || faults.length > 0) {
    throw new EditFault('The text has to be readable before something can be written into it')
  }
  const resources = root.first(root.namespace, 'resources')
  if (!resources) {
    throw new EditFault('There is no "resources" element that an operation could be written into')
  }
  const { owner, rest } = nearest(resources, segmentsIn(draft.path))
  const method = draft.method.toUpperCase()
  const stands = owner
    .all(root.namespace, 'method')
    .some((child) => child.attribute('name') === method)
  if (rest.length === 0 && stands) throw taken(draft)
  return withLast(text, owner, new Writer(root, resources.prefix).operation(draft, rest))
}

const segmentsIn = (path: string) => path.split('/').filter((segment) => segment !== '')

/** The resource that stands for the most of a path, and what is left of the path below it. */
function nearest(resources: XmlElement, path: string[]): { owner: XmlElement; rest: string[] } {
  let owner = resources
  let rest = path
  for (;;) {
    const next = owner
      .all(resources.namespace, 'resource')
      .map((element) => ({ element, own: segmentsIn(element.attribute('path') ?? '') }))
      .filter(({ own }) => own.length > 0 && own.every((segment, i) => segment === rest[i]))
      .sort((a, b) => b.own.length - a.own.length)[0]
    if (!next) return { owner, rest }
    owner = next.element
    rest = rest.slice(next.own.length)
  }
}

/** Makes the elements of an operation with the prefixes of its document. */
class Writer {
  private readonly prefix: string
  private readonly schemaPrefix: string | undefined

  constructor({ scope }: XmlElement, prefix: string) {
    this.prefix = prefix === '' ? '' : `${prefix}:`
    this.schemaPrefix = Object.keys(scope).find(
      (name) => name !== '' && scope[name] === recommended,
    )
  }

  operation(draft: OperationDraft, rest: string[]): Written {
    const method = this.method(draft)
    if (rest.length === 0) return method
    const path = rest.join('/')
    const templates = pathParameters(path).map((name) =>
      this.param(name, 'template', typeIn(draft, name), true),
    )
    return this.element('resource', { path }, [...templates, method])
  }

  private method(draft: OperationDraft): Written {
    const { id, summary, body, answer } = draft
    const asked = draft.parameters
      .filter((parameter) => parameter.in === 'query' || parameter.in === 'header')
      .map(({ name, in: style, type, required }) => this.param(name, style, type, required))
    if (body) asked.push(this.representation(body))
    const answered = [this.element('doc', { title: statusSays(draft) })]
    if (answer) answered.push(this.representation(answer))
    const name = draft.method.toUpperCase()
    return this.element('method', id === '' ? { name } : { name, id }, [
      ...(summary === '' ? [] : [this.element('doc', { title: summary })]),
      ...(asked.length > 0 ? [this.element('request', {}, asked)] : []),
      this.element('response', { status: draft.status }, answered),
    ])
  }

  /** The fields of an example are parameters of its representation (WADL, section 2.11.3). */
  private representation(body: BodyDraft): Written {
    if (body.kind === 'schema') {
      return this.element('representation', { mediaType: 'application/xml', element: body.name })
    }
    const fields = isObject(body.value) ? Object.entries(body.value) : []
    return this.element('representation', { mediaType: 'application/json' }, [
      this.element('doc', { title: 'Example' }, JSON.stringify(body.value)),
      ...fields.map(([name, value]) =>
        this.param(name, 'plain', String(schemaFromExample(value)['type']), value !== null),
      ),
    ])
  }

  private param(name: string, style: string, type: string, required: boolean): Written {
    const prefix = this.schemaPrefix ?? 'xs'
    return this.element('param', {
      name,
      style,
      type: `${prefix}:${types[type] ?? 'string'}`,
      ...(required ? { required: 'true' } : {}),
      ...(this.schemaPrefix === undefined ? { [`xmlns:${prefix}`]: recommended } : {}),
    })
  }

  private element(
    name: string,
    attributes: Record<string, string>,
    inside: Written[] | string = [],
  ): Written {
    return { name: this.prefix + name, attributes, inside }
  }
}

const typeIn = ({ parameters }: OperationDraft, name: string) =>
  parameters.find((parameter) => parameter.in === 'path' && parameter.name === name)?.type ??
  'string'

function linesOf({ name, attributes, inside }: Written, indent: string, step: string): string[] {
  const tag = `${indent}<${name}${Object.entries(attributes)
    .map(([key, value]) => ` ${key}="${escapeValue(value)}"`)
    .join('')}`
  if (typeof inside === 'string') return [`${tag}>${escapeText(inside)}</${name}>`]
  if (inside.length === 0) return [`${tag}/>`]
  const below = inside.flatMap((child) => linesOf(child, indent + step, step))
  return [`${tag}>`, ...below, `${indent}</${name}>`]
}

/** Puts an element behind the last one inside of another, in lines of its own. */
function withLast(text: string, owner: XmlElement, written: Written): string {
  const eol = eolOf(text)
  const indent = indentAt(text, owner.start) ?? ''
  const first = owner.children.map((child) => indentAt(text, child.start)).find((own) => own)
  const inner = first?.startsWith(indent) && first.length > indent.length ? first : `${indent}  `
  const lines = linesOf(written, inner, inner.slice(indent.length)).join(eol)
  const tag = tagOf(text, owner.start)
  const end = endOf(text, owner)
  if (tag.endsWith('/>')) {
    const name = /^<([^\s/>]+)/.exec(tag)![1]!
    return `${text.slice(0, end - 2).trimEnd()}>${eol}${lines}${eol}${indent}</${name}>${text.slice(end)}`
  }
  const closing = text.lastIndexOf('</', end - 1)
  const lineStart = text.lastIndexOf('\n', closing - 1) + 1
  const isAlone = text.slice(lineStart, closing).trim() === ''
  return isAlone
    ? text.slice(0, lineStart) + lines + eol + text.slice(lineStart)
    : text.slice(0, closing) + eol + lines + eol + indent + text.slice(closing)
}

/** The white space before an offset where nothing else stands before it in its line. */
function indentAt(text: string, offset: number): string | undefined {
  const before = text.slice(text.lastIndexOf('\n', offset - 1) + 1, offset)
  return before.trim() === '' ? before : undefined
}
