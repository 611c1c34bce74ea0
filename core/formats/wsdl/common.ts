import type { Contract, MediaType, Operation, Schema, Server } from '../../contract/model'
import type { Documents } from '../../text/documents'
import { isRemote, resolveName, type Place } from '../../text/place'
import type { PlacedProblem } from '../../text/problem'
import type { XmlElement } from '../../text/xml'
import { xsdNamespaces } from '../xsd/builtin'
import { XsdReader, wholeText } from '../xsd/read'

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
  readonly problems: PlacedProblem[] = []
  protected readonly xsd: XsdReader
  protected readonly components = new Map<string, Map<string, Located>>()
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
      const remote = isRemote(name)
      this.problem(
        { element: from, file },
        remote
          ? `${location} is on another host, which was not asked`
          : `${location} is not among the files`,
        remote ? 'warning' : 'error',
      )
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
    level: PlacedProblem['level'] = 'error',
  ): void {
    if (this.problems.length < 1000)
      this.problems.push({ at: this.at({ element, file }), level, message })
  }

  protected at({ element, file }: { element: XmlElement; file: string }): Place {
    return this.documents.place(file, element.path)
  }

  /** A component by the QName that `from` gives it. */
  protected find(
    kind: string,
    qname: string,
    from: Located,
    attribute: string,
  ): Located | undefined {
    const { namespace, local } = from.element.qualify(qname)
    const map = this.components.get(kind)!
    // Names without a prefix and without a default namespace are meant for the file's own.
    const found = map.get(nameKey(namespace, local)) ?? map.get(nameKey(from.namespace, local))
    if (!found && !this.incomplete) {
      this.problem(from, `"${attribute}" names the ${kind} "${qname}", which does not exist`)
    }
    return found
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
      servers: Server[]
      operations: Operation[]
      description?: string | undefined
    },
  ): Contract {
    const { description, ...rest } = parts
    const contract: Contract = {
      format: { name: 'WSDL', version },
      version: versionOf(this.root),
      ...rest,
      tags: [],
      paths: [],
      webhooks: [],
      schemas: this.xsd.schemas(),
      securitySchemes: [],
      origins: this.xsd.origins,
    }
    if (description !== undefined) contract.description = description
    this.problems.push(...this.xsd.problems)
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

export const media = (type: string, at: Place, schema: Schema | undefined): MediaType =>
  schema === undefined
    ? { at, type, examples: [], encoding: [] }
    : { at, type, schema, examples: [], encoding: [] }

/** Servers by address, each once. */
export function uniqueServers(servers: Server[]): Server[] {
  return [...new Map(servers.map((server) => [server.url, server])).values()]
}
