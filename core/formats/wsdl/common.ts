import type {
  Contract,
  MediaType,
  Operation,
  Schema,
  Server,
  SoapBinding,
} from '../../contract/model'
import type { Documents } from '../../text/documents'
import { absence, resolveName, type Location } from '../../text/location'
import type { PlacedDiagnostic } from '../../text/diagnostic'
import type { XmlElement } from '../../text/xml'
import { xsdNamespaces } from '../xsd/builtin'
import { wholeText } from '../xsd/documentation'
import { XsdReader } from '../xsd/read'

/** An element of a WSDL, with the file it stands in and the namespace its names belong to. */
export interface Located {
  element: XmlElement
  file: string
  namespace: string
}

export const nameKey = (namespace: string | undefined, local: string) =>
  `{${namespace ?? ''}}${local}`

/** What both versions of WSDL have in common: components over several files, types, and how problems are said. */
export abstract class WsdlReader {
  readonly diagnostics: PlacedDiagnostic[] = []
  protected readonly xsd: XsdReader
  protected readonly components = new Map<string, Map<string, Located>>()
  /** Bindings by what they bind, addresses by their binding, and where services are. */
  protected readonly bindings = new Map<Located, Located[]>()
  protected readonly addresses = new Map<Located, string[]>()
  protected readonly servers: Server[] = []
  private readonly loaded = new Set<string>()
  protected incomplete = false

  constructor(
    protected readonly documents: Documents,
    protected readonly root: XmlElement,
    /** The namespace of WSDL's own elements. */
    protected readonly wsdl: string,
    private readonly kinds: readonly string[],
  ) {
    this.xsd = new XsdReader(documents)
    for (const kind of kinds) this.components.set(kind, new Map())
  }

  protected collect(root: XmlElement, file: string): void {
    this.xsd.origins.locate(root, file)
    const namespace = root.attribute('targetNamespace') ?? ''
    for (const child of root.children) {
      if (child.namespace !== this.wsdl) continue
      if (child.local === 'import' || child.local === 'include') {
        this.load(child, child.attribute('location'), file)
      } else if (child.local === 'types') {
        for (const schema of child.children) {
          if (!xsdNamespaces.has(schema.namespace)) continue
          if (schema.local === 'schema') this.xsd.add(schema, file)
          // WSDL 2.0 lets a types element import a schema straight away.
          else this.load(schema, schema.attribute('schemaLocation'), file)
        }
      } else if (this.kinds.includes(child.local)) this.register(child, file, namespace)
    }
  }

  private register(element: XmlElement, file: string, namespace: string): void {
    const name = element.attribute('name')
    if (name === undefined) {
      this.problem({ element, file }, `A ${element.local} needs "name"`)
      return
    }
    const map = this.components.get(element.local)!
    const key = nameKey(namespace, name)
    if (map.has(key))
      this.problem({ element, file }, `The ${element.local} "${name}" is defined twice`)
    else map.set(key, { element, file, namespace })
  }

  private load(from: XmlElement, location: string | undefined, file: string): void {
    if (location === undefined) return
    const name = resolveName(file, location)
    if (this.loaded.has(name) || name === this.documents.main.file) return
    this.loaded.add(name)
    const document = this.documents.get(name)
    if (!document) {
      this.incomplete = true
      const { message, severity } = absence(name, location)
      this.problem({ element: from, file }, message, severity)
      return
    }
    if (!document.reading.readable || document.reading.syntax !== 'xml') {
      this.incomplete = true
      return
    }
    const { root } = document.reading
    if (root.namespace === this.wsdl) this.collect(root, name)
    else if (xsdNamespaces.has(root.namespace)) this.xsd.add(root, name)
    else
      this.problem(
        { element: from, file },
        `${location} is neither a WSDL of this version nor a schema`,
      )
  }

  protected problem(
    { element, file }: { element: XmlElement; file: string },
    message: string,
    severity: PlacedDiagnostic['severity'] = 'error',
  ): void {
    if (this.diagnostics.length < 1000)
      this.diagnostics.push({ at: this.at({ element, file }), severity, message })
  }

  protected at({ element, file }: { element: XmlElement; file: string }): Location {
    return this.documents.place(file, element.path)
  }

  /** A component by the QName that `from` gives it, or none. */
  protected lookUp(kind: string, qname: string, from: Located): Located | undefined {
    const { namespace, local } = from.element.qualify(qname)
    const map = this.components.get(kind)!
    // Names without a prefix and without a default namespace are meant for the file's own.
    return map.get(nameKey(namespace, local)) ?? map.get(nameKey(from.namespace, local))
  }

  /** The same; that there is none is said. */
  protected find(
    kind: string,
    qname: string,
    from: Located,
    attribute: string,
  ): Located | undefined {
    const found = this.lookUp(kind, qname, from)
    if (!found && !this.incomplete) {
      this.problem(from, `"${attribute}" names the ${kind} "${qname}", which does not exist`)
    }
    return found
  }

  /** Notes an address of a service, and of the binding it is reached by. */
  protected addAddress(server: Server, binding: Located | undefined): void {
    this.servers.push(server)
    if (binding) append(this.addresses, binding, server.url)
  }

  protected documentation(element: XmlElement): string | undefined {
    const texts = element
      .all(this.wsdl, 'documentation')
      .map(wholeText)
      .filter((text) => text !== '')
    return texts.length > 0 ? texts.join('\n\n') : undefined
  }

  protected contract(
    version: string,
    parts: {
      title: string
      operations: Operation[]
      description?: string | undefined
    },
  ): Contract {
    const { description, ...rest } = parts
    const contract: Contract = {
      format: { name: 'WSDL', version },
      version: versionOf(this.root),
      ...rest,
      servers: uniqueServers(this.servers),
      tags: [],
      paths: [],
      webhooks: [],
      schemas: this.xsd.schemas(),
      securitySchemes: [],
      origins: this.xsd.origins,
    }
    if (description !== undefined) contract.description = description
    this.diagnostics.push(...this.xsd.diagnostics)
    return contract
  }
}

/** WSDL says no version of its own: it is taken from its schema's, or from the end of its namespace. */
export function versionOf(root: XmlElement): string {
  const version = root.attribute('version')
  if (version !== undefined) return version
  for (const types of root.children) {
    for (const schema of types.children) {
      const own = schema.local === 'schema' ? schema.attribute('version') : undefined
      if (own !== undefined) return own
    }
  }
  const namespace = root.attribute('targetNamespace') ?? ''
  return (
    /[/:._-]v?(\d{4}[-/]\d{2}([-/]\d{2})?|\d+(\.\d+)*)(\.wsdl|\/|#)?$/i.exec(namespace)?.[1] ?? ''
  )
}

export const media = (type: string, at: Location, schema: Schema | undefined): MediaType =>
  schema === undefined
    ? { at, type, examples: [], encoding: [] }
    : { at, type, schema, examples: [], encoding: [] }

/** Servers by address, each once. */
function uniqueServers(servers: Server[]): Server[] {
  return [...new Map(servers.map((server) => [server.url, server])).values()]
}

/** Adds to the list that a map keeps under a key. */
export function append<K, V>(map: Map<K, V[]>, key: K, value: V): void {
  const list = map.get(key)
  if (list) list.push(value)
  else map.set(key, [value])
}

const soapTypes = { '1.1': 'text/xml', '1.2': 'application/soap+xml' }

/** The media types of what travels by some bindings; `otherwise` where none of them is of SOAP. */
export function mediaTypesOf(bound: { soap?: SoapBinding }[], otherwise: string): string[] {
  const versions = new Set(bound.flatMap(({ soap }) => soap?.version ?? []))
  return versions.size === 0 ? [otherwise] : [...versions].map((version) => soapTypes[version])
}

/** Where several port types have an operation of one name, the port type tells them apart. */
export function uniqueIds(operations: Operation[]): void {
  const counts = new Map<string, number>()
  for (const { id = '' } of operations) counts.set(id, (counts.get(id) ?? 0) + 1)
  for (const operation of operations) {
    const { id, path } = operation
    if (id !== undefined && counts.get(id)! > 1)
      operation.id = path.slice(1).replace(/[^A-Za-z0-9]+/g, '_')
  }
}
