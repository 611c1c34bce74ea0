import type {
  Body,
  Contract,
  Header,
  MediaType,
  Operation,
  Parameter,
  Response,
  Schema,
  SchemaObject,
  Server,
} from '../../contract/model'
import { overridden } from '../../contract/parts'
import type { Documents } from '../../text/documents'
import { absence, resolveName, type Location } from '../../text/location'
import type { PlacedDiagnostic } from '../../text/diagnostic'
import { compact, table } from '../../text/values'
import type { XmlElement } from '../../text/xml'
import { versionOf } from '../wsdl/common'
import { xsdNamespaces } from '../xsd/builtin'
import { wholeText } from '../xsd/documentation'
import { valueOf } from '../xsd/facets'
import { XsdReader } from '../xsd/read'

/** The namespaces by which a WADL is known: the submission's, and the earlier one that tools still write. */
export const wadlNamespaces = new Set([
  'http://wadl.dev.java.net/2009/02',
  'http://research.sun.com/wadl/2006/10',
  'http://wadl.dev.java.net/2006/10',
])

interface Located {
  element: XmlElement
  file: string
}

/** Parameters that a resource has from the resources around it. */
interface Around {
  path: string
  parameters: Parameter[]
}

const styles = table<string>({
  template: 'path',
  matrix: 'path',
  query: 'query',
  header: 'header',
})

/** Reads a WADL document (W3C Member Submission of 31 August 2009). */
export function readWadl(
  documents: Documents,
  root: XmlElement,
): { contract: Contract; diagnostics: PlacedDiagnostic[] } {
  return new WadlReader(documents, root).read()
}

class WadlReader {
  private readonly diagnostics: PlacedDiagnostic[] = []
  private readonly xsd: XsdReader
  private readonly identified = new Map<string, Map<string, XmlElement>>()
  private readonly wadl: string
  private readonly schemaNames = new Map<string, Schema>()

  constructor(
    private readonly documents: Documents,
    private readonly root: XmlElement,
  ) {
    this.xsd = new XsdReader(documents)
    this.wadl = root.namespace
  }

  read(): { contract: Contract; diagnostics: PlacedDiagnostic[] } {
    const { root } = this
    const file = this.documents.main.file
    if (root.local !== 'application') {
      this.problem(
        { element: root, file },
        `A WADL begins with "application"; found "${root.local}"`,
      )
    }
    for (const grammars of this.all(root, 'grammars')) this.grammars({ element: grammars, file })
    this.xsd.nameTypes()
    const servers: Server[] = []
    const operations = this.all(root, 'resources').flatMap((resources) => {
      const base = resources.attribute('base')
      const here = { element: resources, file }
      if (base !== undefined) servers.push({ at: this.at(here), url: base, variables: [] })
      return this.all(resources, 'resource').flatMap((element) =>
        this.resource({ element, file }, { path: '', parameters: [] }, new Set()),
      )
    })
    const contract: Contract = compact({
      format: { name: 'WADL' as const, version: '2009' },
      title: this.title(root) ?? '',
      version: this.version(),
      description: this.documentation(root),
      servers,
      tags: [],
      paths: [],
      operations,
      webhooks: [],
      schemas: this.xsd.schemas(),
      securitySchemes: [],
      origins: this.xsd.origins,
    })
    return { contract, diagnostics: [...this.diagnostics, ...this.xsd.diagnostics] }
  }

  private problem(
    where: Located,
    message: string,
    severity: PlacedDiagnostic['severity'] = 'error',
  ): void {
    if (this.diagnostics.length < 1000)
      this.diagnostics.push({ at: this.at(where), severity, message })
  }

  private at({ element, file }: Located): Location {
    return this.documents.place(file, element.path)
  }

  private all(element: XmlElement, local: string): XmlElement[] {
    return element.all(this.wadl, local)
  }

  private title(element: XmlElement): string | undefined {
    return this.all(element, 'doc').flatMap((doc) => doc.attribute('title') ?? [])[0]
  }

  /** WADL says no version of its own: it is taken from its grammars, or from the end of its base address. */
  private version(): string {
    const base = this.all(this.root, 'resources')[0]?.attribute('base') ?? ''
    for (const { reading } of this.documents.files) {
      if (!reading.readable || reading.syntax !== 'xml') continue
      const version =
        reading.root.local === 'schema' ? reading.root.attribute('version') : undefined
      if (version !== undefined) return version
    }
    return versionOf(this.root) || (/\/v?(\d+(\.\d+)*)\/?$/.exec(base)?.[1] ?? '')
  }

  private documentation(element: XmlElement): string | undefined {
    const texts = this.all(element, 'doc')
      .map(wholeText)
      .filter((text) => text !== '')
    return texts.length > 0 ? texts.join('\n\n') : undefined
  }

  private grammars(grammars: Located): void {
    for (const child of grammars.element.children) {
      const here = { element: child, file: grammars.file }
      if (xsdNamespaces.has(child.namespace) && child.local === 'schema')
        this.xsd.add(child, grammars.file)
      if (child.namespace !== this.wadl || child.local !== 'include') continue
      const href = child.attribute('href')
      if (href === undefined) {
        this.problem(here, 'An include needs "href"')
        continue
      }
      const name = resolveName(grammars.file, href)
      const document = this.documents.get(name)
      if (!document) {
        const { message, severity } = absence(name, href)
        this.problem(here, message, severity)
      } else if (document.reading.readable && document.reading.syntax === 'xml') {
        const { root } = document.reading
        if (xsdNamespaces.has(root.namespace)) this.xsd.add(root, name)
      } else if (document.reading.readable) {
        const { value } = document.reading
        if (typeof value === 'object' && value !== null)
          this.schemaNames.set(href, value as SchemaObject)
      }
    }
  }

  /** The element that an `href` or `type` names (section 2.1): `#id`, or `other.wadl#id`. */
  private target(reference: string, from: Located): Located | undefined {
    const hash = reference.indexOf('#')
    const id = reference.slice(hash + 1)
    const file = hash > 0 ? resolveName(from.file, reference.slice(0, hash)) : from.file
    let index = this.identified.get(file)
    if (!index) {
      const document = this.documents.get(file)
      const root =
        document?.reading.readable && document.reading.syntax === 'xml'
          ? document.reading.root
          : undefined
      index = new Map()
      const visit = (element: XmlElement) => {
        const name = element.attribute('id')
        if (name !== undefined && !index!.has(name)) index!.set(name, element)
        element.children.forEach(visit)
      }
      if (root) visit(root)
      this.identified.set(file, index)
    }
    const element = hash === -1 ? undefined : index.get(id)
    if (!element) this.problem(from, `"${reference}" leads nowhere`)
    return element && { element, file }
  }

  /** An element, or what its `href` stands for. */
  private followed(element: XmlElement, file: string): Located | undefined {
    const href = element.attribute('href')
    if (href === undefined) return { element, file }
    return this.target(href, { element, file })
  }

  private resource(here: Located, around: Around, open: Set<XmlElement>): Operation[] {
    const { element, file } = here
    if (open.has(element)) return []
    open.add(element)
    const own = (element.attribute('path') ?? '').replace(/^\/+|\/+$/g, '')
    const path = own === '' ? around.path : `${around.path}/${own}`
    const parameters = overridden(around.parameters, this.parameters(here))
    const inside: Around = { path, parameters }
    const found: Operation[] = this.methods(here, inside)
    for (const type of (element.attribute('type') ?? '').split(/\s+/)) {
      if (type === '') continue
      const target = this.target(type, here)
      if (target?.element.local !== 'resource_type') continue
      const typed = { path, parameters: overridden(parameters, this.parameters(target)) }
      found.push(...this.methods(target, typed))
      for (const child of this.all(target.element, 'resource')) {
        found.push(...this.resource({ element: child, file: target.file }, typed, open))
      }
    }
    for (const child of this.all(element, 'resource')) {
      found.push(...this.resource({ element: child, file }, inside, open))
    }
    open.delete(element)
    return found
  }

  private methods({ element, file }: Located, around: Around): Operation[] {
    return this.all(element, 'method').flatMap((child) => {
      const target = this.followed(child, file)
      return target ? [this.method(target, around)] : []
    })
  }

  private method(here: Located, { path, parameters }: Around): Operation {
    const { element, file } = here
    const name = element.attribute('name')
    if (name === undefined) this.problem(here, 'A method needs "name"')
    const requests = this.all(element, 'request').map((request) => ({ element: request, file }))
    const own = requests.flatMap((request) => this.parameters(request))
    const all = overridden(parameters, own)
    const responses = this.all(element, 'response').flatMap((response) =>
      this.responses({ element: response, file }),
    )
    const operation: Operation = compact({
      at: this.at(here),
      method: (name ?? 'get').toLowerCase(),
      path: withTemplates(path === '' ? '/' : path, all),
      id: element.attribute('id'),
      summary: this.title(element),
      description: this.documentation(element),
      tags: [],
      deprecated: false,
      parameters: all,
      responses,
      callbacks: [],
      security: [],
    })
    const body = this.body(requests)
    if (body) operation.body = body
    return operation
  }

  private body(requests: Located[]): Body | undefined {
    const content = requests.flatMap((request) => this.content(request))
    if (content.length === 0) return undefined
    return { at: this.at(requests[0]!), required: true, content }
  }

  private responses(here: Located): Response[] {
    const statuses = (here.element.attribute('status') ?? '200')
      .split(/\s+/)
      .filter((status) => status !== '')
    const content = this.content(here)
    return statuses.map((status) => ({
      at: this.at(here),
      status,
      description: this.documentation(here.element) ?? this.title(here.element) ?? '',
      headers: this.parameters(here)
        .filter((parameter) => parameter.in === 'header')
        .map(asHeader),
      content,
      links: [],
    }))
  }

  /** Representations; faults of the 2006 namespace are representations too. */
  private content(here: Located): MediaType[] {
    return here.element.children
      .filter(
        (child) =>
          child.namespace === this.wadl &&
          (child.local === 'representation' || child.local === 'fault'),
      )
      .flatMap((child) => {
        // A reference is empty but for its href (section 2.11.2); what says more speaks for itself.
        const speaks =
          child.attribute('mediaType') !== undefined || child.attribute('element') !== undefined
        const target = speaks
          ? { element: child, file: here.file }
          : this.followed(child, here.file)
        return target ? [this.representation(target)] : []
      })
  }

  private representation(here: Located): MediaType {
    const { element } = here
    const type = element.attribute('mediaType') ?? '*/*'
    const name = element.attribute('element')
    const media: MediaType = { at: this.at(here), type, examples: [], encoding: [] }
    if (name !== undefined) {
      const known = this.schemaNames.get(name)
      media.schema = known ?? this.xsd.elementReference(name, { ...here, namespace: '' }).schema
    } else {
      const fields = this.all(element, 'param')
      if (fields.length > 0) media.schema = this.form(here, fields)
    }
    return media
  }

  /** The parameters of a representation are the fields of a form (section 2.11.3). */
  private form(here: Located, fields: XmlElement[]): SchemaObject {
    const properties: Record<string, Schema> = {}
    const required: string[] = []
    for (const child of fields) {
      const target = this.followed(child, here.file)
      if (!target) continue
      const name = target.element.attribute('name') ?? ''
      const schema = this.parameterSchema(target)
      const description = this.documentation(target.element)
      properties[name] = description === undefined ? schema : { ...schema, description }
      if (target.element.attribute('required') === 'true') required.push(name)
    }
    return required.length > 0
      ? { type: 'object', properties, required }
      : { type: 'object', properties }
  }

  private parameters(here: Located): Parameter[] {
    return this.all(here.element, 'param').flatMap((child) => {
      const target = this.followed(child, here.file)
      const style = target?.element.attribute('style')
      if (!target) return []
      const name = target.element.attribute('name')
      if (name === undefined) {
        this.problem(target, 'A param needs "name"')
        return []
      }
      const place = styles[style ?? 'query']
      if (place === undefined) return []
      return [
        compact({
          at: this.at(target),
          name,
          in: place,
          required: place === 'path' || target.element.attribute('required') === 'true',
          deprecated: false,
          description: this.documentation(target.element),
          schema: this.parameterSchema(target),
          style: style === 'matrix' ? 'matrix' : undefined,
          examples: [],
        }),
      ]
    })
  }

  private parameterSchema(here: Located): SchemaObject {
    const { element } = here
    const type = element.attribute('type')
    const read =
      type === undefined
        ? { type: 'string' }
        : this.xsd.typeReference(type, { ...here, namespace: '' })
    const schema: SchemaObject = typeof read === 'object' ? { ...read } : { type: 'string' }
    const options = this.all(element, 'option').flatMap((option) => option.attribute('value') ?? [])
    if (options.length > 0) schema['enum'] = options.map((option) => valueOf(option, schema))
    const given = element.attribute('default')
    if (given !== undefined) schema['default'] = valueOf(given, schema)
    const fixed = element.attribute('fixed')
    if (fixed !== undefined) schema['const'] = valueOf(fixed, schema)
    return element.attribute('repeating') === 'true' ? { type: 'array', items: schema } : schema
  }
}

function asHeader({
  at,
  name,
  required,
  deprecated,
  description,
  schema,
  examples,
}: Parameter): Header {
  return compact({ at, name, required, deprecated, description, schema, examples })
}

/** A matrix parameter stands in the address without being written in its path (section 2.12). */
function withTemplates(path: string, parameters: Parameter[]): string {
  const missing = parameters.filter((p) => p.style === 'matrix' && !path.includes(`{${p.name}}`))
  return path + missing.map((p) => `{${p.name}}`).join('')
}
