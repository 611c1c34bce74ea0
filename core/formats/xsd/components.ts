import { table } from '../../text/values'
import type { Documents } from '../../text/documents'
import { absence, resolveName, type Location } from '../../text/location'
import type { Pointer } from '../../text/pointer'
import type { PlacedDiagnostic } from '../../text/diagnostic'
import type { XmlElement } from '../../text/xml'
import { recommended, xsdNamespaces } from './builtin'
import { ElementOrigins } from './origins'

/** A schema document's part, with what it needs to be understood where it stands. */
export interface Component {
  element: XmlElement
  file: string
  /** The target namespace, which an included file without one takes from the file that includes it. */
  namespace: string
}

export interface Named extends Component {
  name: string
}

export type Kind = 'type' | 'element' | 'attribute' | 'group' | 'attributeGroup'
export const kinds = table<Kind>({
  complexType: 'type',
  simpleType: 'type',
  element: 'element',
  attribute: 'attribute',
  group: 'group',
  attributeGroup: 'attributeGroup',
})

/** Namespaces whose schemas nobody brings along: their meaning is known, or of no matter here. */
export const wellKnown = new Set([
  'http://www.w3.org/XML/1998/namespace',
  'http://schemas.xmlsoap.org/soap/encoding/',
  'http://www.w3.org/2003/05/soap-encoding',
  'http://schemas.xmlsoap.org/soap/envelope/',
  'http://www.w3.org/2003/05/soap-envelope',
  'http://schemas.xmlsoap.org/wsdl/',
  'http://www.w3.org/2005/05/xmlmime',
])

export const encodingNamespaces = new Set([
  'http://schemas.xmlsoap.org/soap/encoding/',
  'http://www.w3.org/2003/05/soap-encoding',
])

export const isXsd = ({ namespace }: XmlElement) =>
  namespace === recommended || xsdNamespaces.has(namespace)
export const keyOf = (namespace: string, local: string) => `{${namespace}}${local}`
/** The schema elements in a WSDL's types, for imports that lead to a WSDL instead of a schema. */
export const schemasInside = (root: XmlElement): XmlElement[] =>
  root.children
    .filter((child) => child.local === 'types')
    .flatMap((types) => types.children.filter((child) => isXsd(child) && child.local === 'schema'))

function isWithin(element: XmlElement, outer: XmlElement): boolean {
  let here: XmlElement | undefined = element
  while (here && here !== outer) here = here.parent
  return here === outer
}

/**
 * The components of a definition's schema documents by their names (XML Schema 1.0 part 1, sections 3 and 4). Imports,
 * includes (chameleon ones too) and redefinitions are followed over the definition's files.
 */
export abstract class SchemaComponents {
  readonly diagnostics: PlacedDiagnostic[] = []
  readonly origins: ElementOrigins
  protected readonly components: Record<Kind, Map<string, Component>> = {
    type: new Map(),
    element: new Map(),
    attribute: new Map(),
    group: new Map(),
    attributeGroup: new Map(),
  }
  /** What a redefinition stands in the place of, by the element that redefines it. */
  protected readonly redefined = new Map<XmlElement, Component>()
  /** What is known only through the one that redefines it. */
  protected readonly replaced = new Set<Component>()
  protected readonly loaded = new Set<string>()
  protected readonly present = new Set<string>()
  /** Namespaces of which something could not be loaded, so that a missing name proves nothing. */
  protected readonly incomplete = new Set<string>()
  protected readonly members = new Map<string, Component[]>()

  constructor(protected readonly documents: Documents) {
    this.origins = new ElementOrigins(documents)
  }

  /**
   * Takes in a schema element and everything it imports and includes. One that is a text inside of a file is `below` a
   * place there.
   */
  add(schema: XmlElement, file: string, below: Pointer = ''): void {
    this.origins.locate(schema, file, below)
    this.take(schema, file)
  }

  private take(schema: XmlElement, file: string, includedBy?: string): void {
    const own = schema.attribute('targetNamespace')
    const namespace = own ?? includedBy ?? ''
    if (includedBy !== undefined && own !== undefined && own !== includedBy) {
      this.problem(
        schema,
        file,
        `An include brings the namespace "${own}" into "${includedBy}"; only an import may`,
      )
    }
    this.present.add(namespace)
    for (const child of schema.children) {
      if (!isXsd(child)) continue
      const { local } = child
      if (local === 'include') this.load(child, file, namespace, true)
      else if (local === 'import') this.load(child, file, child.attribute('namespace') ?? '', false)
      else if (local === 'redefine' || local === 'override') {
        this.load(child, file, namespace, true)
        for (const change of child.children) this.register(change, file, namespace, true)
      } else this.register(child, file, namespace, false)
    }
  }

  private register(element: XmlElement, file: string, namespace: string, replaces: boolean): void {
    const kind = isXsd(element) ? kinds[element.local] : undefined
    const name = element.attribute('name')
    if (!kind) return
    if (name === undefined) {
      this.problem(element, file, `A ${element.local} at the top of a schema needs "name"`)
      return
    }
    const key = keyOf(namespace, name)
    const known = this.components[kind].get(key)
    if (known && !replaces) {
      // The same file may come in by two ways; anything else is a clash.
      if (known.file !== file) return
      if (known.element !== element) {
        this.problem(element, file, `The ${element.local} "${name}" is defined twice`, 'warning')
      }
      return
    }
    const component = { element, file, namespace }
    this.components[kind].set(key, component)
    if (known && element.parent?.local === 'redefine') {
      this.redefined.set(element, known)
      this.replaced.add(known)
    }
    const head = kind === 'element' ? element.attribute('substitutionGroup') : undefined
    if (head !== undefined) {
      const { namespace: headNamespace, local } = element.qualify(head)
      const headKey = keyOf(headNamespace ?? namespace, local)
      const list = this.members.get(headKey)
      if (list) list.push(component)
      else this.members.set(headKey, [component])
    }
  }

  private load(from: XmlElement, file: string, namespace: string, include: boolean): void {
    const location = from.attribute('schemaLocation')
    if (location === undefined) {
      if (include) this.problem(from, file, `An ${from.local} needs "schemaLocation"`)
      return
    }
    const name = resolveName(file, location)
    const key = include ? `${name} ${namespace}` : name
    if (this.loaded.has(key) || name === this.documents.main.file) return
    this.loaded.add(key)
    const document = this.documents.get(name)
    if (!document) {
      this.incomplete.add(namespace)
      if (wellKnown.has(namespace)) return
      const { message, severity } = absence(name, location)
      this.problem(from, file, message, severity)
      return
    }
    if (!document.reading.readable || document.reading.syntax !== 'xml') {
      this.incomplete.add(namespace)
      if (document.reading.readable) this.problem(from, file, `${location} is not an XML document`)
      return
    }
    const { root } = document.reading
    if (!isXsd(root) || root.local !== 'schema') {
      const schemas = schemasInside(root)
      this.incomplete.add(namespace)
      if (schemas.length === 0)
        this.problem(from, file, `${location} is not an XML Schema document`)
      for (const schema of schemas) this.add(schema, name)
      return
    }
    this.origins.locate(root, name)
    this.take(root, name, include ? namespace : undefined)
  }

  protected problem(
    element: XmlElement,
    file: string,
    message: string,
    severity: PlacedDiagnostic['severity'] = 'error',
  ): void {
    if (this.diagnostics.length < 1000) {
      this.diagnostics.push({ at: this.placeOf(element, file), severity, message })
    }
  }

  protected placeOf(element: XmlElement, file: string): Location {
    return this.origins.placeOf(element) ?? this.documents.place(file, element.path)
  }

  protected find(
    kind: Kind,
    namespace: string,
    local: string,
    from: Component,
  ): Component | undefined {
    const map = this.components[kind]
    const found =
      map.get(keyOf(namespace, local)) ??
      // In a file that takes its namespace from the one that includes it, names without one mean that.
      (namespace === '' ? map.get(keyOf(from.namespace, local)) : undefined)
    // Within its redefinition a name means what it was before (XML Schema part 1, section 4.2.2).
    const before = found && this.redefined.get(found.element)
    return before && isWithin(from.element, found.element) ? before : found
  }

  protected missing(
    kind: string,
    namespace: string,
    qname: string,
    { element, file }: Component,
  ): void {
    if (wellKnown.has(namespace) || this.incomplete.has(namespace)) return
    const unknown = !this.present.has(namespace)
    this.problem(
      element,
      file,
      unknown
        ? `"${qname}" is of the namespace "${namespace}", whose schema is not among the files`
        : `The schema has no ${kind} "${qname}"`,
      unknown ? 'warning' : 'error',
    )
  }

  protected lookUp(kind: Kind, qname: string, from: Component): Component | undefined {
    const { namespace, local } = from.element.qualify(qname)
    const found = this.find(kind, namespace ?? '', local, from)
    if (!found) this.missing(kind, namespace ?? '', qname, from)
    return found
  }
}
