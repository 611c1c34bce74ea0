import type { NamedSchema, Schema, SchemaObject } from '../../contract/model'
import { schemaReference } from '../../contract/schemas'
import type { Documents } from '../../text/documents'
import { freeName } from '../../text/names'
import type { XmlElement } from '../../text/xml'
import { builtIn, xsdNamespaces } from './builtin'
import {
  encodingNamespaces,
  isXsd,
  keyOf,
  kinds,
  SchemaComponents,
  wellKnown,
  type Component,
  type Named,
} from './components'
import { documentation } from './documentation'
import { facetsOf, valueOf } from './facets'

/** Elements of a group within a group within a group, no further than this. */
const deepestGroups = 40

/** What the content of a complex type comes to. */
interface Content {
  properties: Record<string, Schema>
  required: string[]
  /** Choices, of which each asks for one of its branches. */
  choices: SchemaObject[]
  open: boolean
}

const emptyContent = (): Content => ({ properties: {}, required: [], choices: [], open: false })

/** What the particles around an element come to: whether it may be left out, and whether it may repeat. */
interface Around {
  optional: boolean
  many: boolean
}

const arounds = [false, true].map((optional) =>
  [false, true].map((many): Around => Object.freeze({ optional, many })),
)

/** One of the four, since there is one for every element. */
const aroundOf = (optional: boolean, many: boolean): Around =>
  arounds[Number(optional)]![Number(many)]!

/**
 * Reads the schema documents of a definition (XML Schema 1.0, parts 1 and 2) and translates their types into JSON
 * Schema 2020-12. Imports, includes (chameleon ones too) and redefinitions are followed over the definition's files.
 */
export class XsdReader extends SchemaComponents {
  private readonly names = new Map<Component, Named>()
  private readonly byReference = new Map<string, Component>()
  private readonly references = new Map<Component, string>()
  /** What types are called in a scope of prefixes: a reference, or a schema of XML Schema's own. */
  private readonly inScope = new Map<object, Map<string, string | SchemaObject>>()
  private readonly undeclared: Named[] = []
  private groupDepth = 0

  /** Names that are `taken` in the contract are given to nothing else. */
  constructor(
    documents: Documents,
    private readonly taken = new Set<string>(),
  ) {
    super(documents)
  }

  /** Gives every named type its name, before anything else asks for one. */
  nameTypes(): void {
    for (const component of this.components.type.values()) this.nameFor(component)
  }

  /** Every named type as a schema of the contract; after all schema documents have been added. */
  schemas(): NamedSchema[] {
    const declared = [...this.components.type.values()].map((component) =>
      this.namedSchema(this.nameFor(component), true),
    )
    const undeclared: NamedSchema[] = []
    for (let next = this.undeclared.shift(); next; next = this.undeclared.shift()) {
      undeclared.push(this.namedSchema(next, false))
    }
    return [...declared, ...undeclared]
  }

  private namedSchema({ name, ...component }: Named, declared: boolean): NamedSchema {
    const { element, file, namespace } = component
    const body =
      element.local === 'element' ? this.elementContent(component) : this.typeSchema(component)
    const schema = isObjectSchema(body) ? body : { allOf: [body] }
    if (namespace !== '' && !('$ref' in schema)) {
      schema['xml'] = {
        ...(schema['xml'] as object | undefined),
        ...(element.local === 'element' ? { name: element.attribute('name') } : {}),
        namespace,
      }
    }
    return { name, schema, at: this.placeOf(element, file), declared }
  }

  /** The contract's reference to a named component; made once, since large schemas refer very often. */
  private referenceTo(component: Component): string {
    let reference = this.references.get(component)
    if (reference === undefined) {
      const named = this.nameFor(component)
      if (this.replaced.has(component)) this.undeclared.push(named)
      reference = schemaReference(named.name)
      this.references.set(component, reference)
    }
    return reference
  }

  private nameFor(component: Component): Named {
    let named = this.names.get(component)
    if (!named) {
      const { element, file, namespace } = component
      const name = freeName(element.attribute('name')!, (candidate) => this.taken.has(candidate))
      named = { element, file, namespace, name }
      this.taken.add(name)
      this.names.set(component, named)
      this.byReference.set(schemaReference(name), component)
    }
    return named
  }

  /** The schema of a type by the QName that `from` gives it. */
  typeReference(qname: string, from: Component): Schema {
    const known = this.inScope.get(from.element.scope)?.get(qname)
    if (known !== undefined) return typeof known === 'string' ? { $ref: known } : { ...known }
    const { namespace, local } = from.element.qualify(qname)
    if (namespace === undefined) {
      this.problem(from.element, from.file, `The prefix of "${qname}" is not declared`)
      return true
    }
    if (xsdNamespaces.has(namespace)) {
      const schema = builtIn(local)
      if (!schema) this.problem(from.element, from.file, `XML Schema has no type "${local}"`)
      else this.remember(qname, from, schema)
      return schema ? { ...schema } : true
    }
    const component = this.find('type', namespace, local, from)
    if (component) {
      const reference = this.referenceTo(component)
      // Where nothing is redefined, a name means the same wherever its prefix does.
      if (namespace !== '' && this.redefined.size === 0) this.remember(qname, from, reference)
      return { $ref: reference }
    }
    if (encodingNamespaces.has(namespace)) return builtIn(local) ?? true
    this.missing('type', namespace, qname, from)
    return true
  }

  private remember(qname: string, { element }: Component, type: string | SchemaObject): void {
    let names = this.inScope.get(element.scope)
    if (!names) this.inScope.set(element.scope, (names = new Map<string, string | SchemaObject>()))
    names.set(qname, type)
  }

  /** The schema of a global element, and its name on the wire. */
  elementReference(
    qname: string,
    from: Component,
  ): { name: string; schema: Schema; component?: Component } {
    const { namespace, local } = from.element.qualify(qname)
    if (namespace === undefined) {
      this.problem(from.element, from.file, `The prefix of "${qname}" is not declared`)
      return { name: local, schema: true }
    }
    const component = this.find('element', namespace, local, from)
    if (!component) {
      if (xsdNamespaces.has(namespace)) return { name: local, schema: true }
      this.missing('element', namespace, qname, from)
      return { name: local, schema: true }
    }
    return { name: local, schema: this.globalElement(component, namespace, local), component }
  }

  /** The schema of a global element by its name, where there is one. */
  globalElementNamed(namespace: string, local: string): Schema | undefined {
    const component = this.components.element.get(keyOf(namespace, local))
    return component && this.globalElement(component, namespace, local)
  }

  private globalElement(component: Component, namespace: string, local: string): Schema {
    const own = this.oneElement(component)
    const members = this.members.get(keyOf(namespace, local))
    if (!members) return own
    const others = members.map((member) => ({
      title: member.element.attribute('name') ?? '',
      allOf: [this.oneElement(member)],
    }))
    const isAbstract = component.element.attribute('abstract') === 'true'
    return { anyOf: isAbstract ? others : [own, ...others] }
  }

  /** A global element's type where it has a name; a name of its own where the type is written in it. */
  private oneElement(component: Component): Schema {
    const { element } = component
    const type = element.attribute('type')
    if (type !== undefined) return this.nillable(this.typeReference(type, component), component)
    if (!element.children.some((child) => isXsd(child) && kinds[child.local] === 'type')) {
      return this.elementContent(component)
    }
    const known = this.names.has(component)
    const named = this.nameFor(component)
    if (!known) this.undeclared.push(named)
    return { $ref: schemaReference(named.name) }
  }

  /** The schema that an element declaration gives its content, whichever way it says it. */
  private elementContent(component: Component): Schema {
    const { element } = component
    const type = element.attribute('type')
    const inline = element.children.find((child) => isXsd(child) && kinds[child.local] === 'type')
    const head = element.attribute('substitutionGroup')
    const schema: Schema =
      type !== undefined
        ? this.typeReference(type, component)
        : inline
          ? this.typeSchema({ ...component, element: inline })
          : head !== undefined
            ? this.headType(head, component)
            : {}
    return this.nillable(this.described(schema, component), component)
  }

  /** Without a type of its own, an element has that of the head it may stand for. */
  private headType(head: string, component: Component): Schema {
    const { namespace, local } = component.element.qualify(head)
    const target = this.find('element', namespace ?? '', local, component)
    if (!target || target.element === component.element || this.groupDepth > deepestGroups)
      return {}
    this.groupDepth++
    const schema = this.oneElement(target)
    this.groupDepth--
    return schema
  }

  private nillable(schema: Schema, component: Component): Schema {
    if (component.element.attribute('nillable') !== 'true') return schema
    const whole = orNull(schema)
    if (isObjectSchema(whole)) this.origins.set(whole, component)
    return whole
  }

  /** The schema of a complexType or simpleType element. */
  private typeSchema(component: Component): SchemaObject {
    const { element } = component
    const schema =
      element.local === 'simpleType' ? this.simpleType(component) : this.complexType(component)
    const described = this.described(schema, component)
    const result = isObjectSchema(described) ? described : {}
    if (element.attribute('abstract') === 'true') result['x-abstract'] = true
    this.origins.set(result, component)
    return result
  }

  private described(schema: Schema, component: Component): Schema {
    const { element } = component
    const description = documentation(element)
    const given = element.attribute('default')
    const fixed = element.attribute('fixed')
    if (description === undefined && given === undefined && fixed === undefined) {
      if (isObjectSchema(schema)) this.origins.set(schema, component)
      return schema
    }
    const result: SchemaObject = isObjectSchema(schema) ? { ...schema } : {}
    if (description !== undefined) result['description'] = description
    if (given !== undefined) result['default'] = valueOf(given, result)
    if (fixed !== undefined) result['const'] = valueOf(fixed, result)
    this.origins.set(result, component)
    return result
  }

  private complexType(component: Component): SchemaObject {
    const { element } = component
    const simple = childOf(element, 'simpleContent')
    if (simple) return this.simpleContent({ ...component, element: simple })
    const complex = childOf(element, 'complexContent')
    const mixed =
      (complex ?? element).attribute('mixed') === 'true' || element.attribute('mixed') === 'true'
    const schema = complex
      ? this.complexContent({ ...component, element: complex })
      : objectOf(this.content(component))
    if (mixed) schema['x-xml-mixed'] = true
    return schema
  }

  private complexContent(component: Component): SchemaObject {
    const derivation =
      childOf(component.element, 'extension') ?? childOf(component.element, 'restriction')
    if (!derivation) return { type: 'object' }
    const here = { ...component, element: derivation }
    const base = derivation.attribute('base')
    if (base === undefined) {
      this.problem(derivation, component.file, `The ${derivation.local} needs "base"`)
      return objectOf(this.content(here))
    }
    const { namespace, local } = derivation.qualify(base)
    if (namespace !== undefined && encodingNamespaces.has(namespace) && local === 'Array') {
      return this.encodedArray(here)
    }
    const parent = this.typeReference(base, here)
    const own = objectOf(this.content(here))
    if (!isObjectSchema(parent) || Object.keys(parent).length === 0) return own
    return { allOf: [parent, own] }
  }

  /** An array as SOAP 1.1 section 5.4.2 has it: `wsdl:arrayType="ns:Reading[]"`. */
  private encodedArray(component: Component): SchemaObject {
    const { element } = component
    for (const attribute of element.children) {
      for (const [name, value] of attribute.attributes) {
        if (!name.endsWith(':arrayType')) continue
        const type = value.replace(/(\[[\d,]*\])+$/, '')
        return {
          type: 'array',
          items: this.typeReference(type, { ...component, element: attribute }),
        }
      }
    }
    const items = Object.values(this.content(component).properties)[0]
    return items !== undefined && isObjectSchema(items) && items['type'] === 'array'
      ? items
      : { type: 'array', items: items ?? true }
  }

  private simpleContent(component: Component): SchemaObject {
    const derivation =
      childOf(component.element, 'extension') ?? childOf(component.element, 'restriction')
    if (!derivation) return { type: 'string' }
    const here = { ...component, element: derivation }
    const content = emptyContent()
    this.attributes(derivation, here, content)
    const base = derivation.attribute('base')
    const value =
      derivation.local === 'restriction'
        ? this.restriction(here)
        : base === undefined
          ? {}
          : this.typeReference(base, here)
    const isComplex = base !== undefined && this.isComplexBase(base, here)
    if (isComplex) {
      const parent = this.typeReference(base, here)
      if (Object.keys(content.properties).length === 0)
        return isObjectSchema(parent) ? { allOf: [parent] } : {}
      return { allOf: [parent, objectOf(content)] }
    }
    if (Object.keys(content.properties).length === 0) return isObjectSchema(value) ? value : {}
    content.properties = {
      value: isObjectSchema(value) ? { ...value, xml: { nodeType: 'text' } } : value,
      ...content.properties,
    }
    content.required.unshift('value')
    return objectOf(content)
  }

  private isComplexBase(base: string, from: Component): boolean {
    const { namespace, local } = from.element.qualify(base)
    return this.find('type', namespace ?? '', local, from)?.element.local === 'complexType'
  }

  private content(component: Component): Content {
    const content = emptyContent()
    for (const child of component.element.children) {
      if (isXsd(child)) this.particle(child, component, content, aroundOf(false, false))
    }
    this.attributes(component.element, component, content)
    return content
  }

  private particle(element: XmlElement, from: Component, content: Content, around: Around): void {
    const here: Component = { element, file: from.file, namespace: from.namespace }
    const optional = around.optional || element.attribute('minOccurs') === '0'
    const most = element.attribute('maxOccurs')
    const many = around.many || (most !== undefined && most !== '1' && most !== '0')
    switch (element.local) {
      case 'element':
        if (most !== '0') this.elementParticle(here, content, aroundOf(optional, around.many))
        return
      case 'sequence':
      case 'all':
        for (const child of element.children) {
          if (isXsd(child)) this.particle(child, from, content, aroundOf(optional, many))
        }
        return
      case 'choice':
        return this.choice(here, content, aroundOf(optional, many))
      case 'group':
        return this.group(here, content, aroundOf(optional, many))
      case 'any':
        content.open = true
        return
    }
  }

  private choice(component: Component, content: Content, { optional, many }: Around): void {
    const particles = component.element.children.filter(
      (child) => isXsd(child) && child.local !== 'annotation',
    )
    if (many || particles.length < 2) {
      for (const child of particles) {
        this.particle(child, component, content, aroundOf(optional || particles.length > 1, many))
      }
      return
    }
    const branches = particles.map((child) => {
      const branch = emptyContent()
      this.particle(child, component, branch, aroundOf(false, false))
      content.open ||= branch.open
      return branch
    })
    for (const branch of branches) Object.assign(content.properties, branch.properties)
    const oneOf: SchemaObject[] = branches.map(({ required, choices }) => {
      const branch: SchemaObject = required.length > 0 ? { required } : {}
      if (choices.length > 0) branch['allOf'] = choices
      return branch
    })
    // Branches that ask for nothing cannot be told apart.
    const told = oneOf.every((branch) => Object.keys(branch).length > 0)
    if (!told) return
    content.choices.push(optional ? { anyOf: [{ oneOf }, { not: { anyOf: oneOf } }] } : { oneOf })
  }

  private group(component: Component, content: Content, around: Around): void {
    const reference = component.element.attribute('ref')
    const target = reference === undefined ? undefined : this.lookUp('group', reference, component)
    if (!target || this.groupDepth > deepestGroups) return
    this.groupDepth++
    for (const child of target.element.children) {
      if (isXsd(child)) this.particle(child, target, content, around)
    }
    this.groupDepth--
  }

  private elementParticle(component: Component, content: Content, around: Around): void {
    const { element, file } = component
    const reference = element.attribute('ref')
    let name = element.attribute('name')
    let schema: Schema
    if (reference !== undefined) {
      const target = this.elementReference(reference, component)
      name = target.name
      schema = this.described(target.schema, component)
    } else if (name !== undefined) schema = this.elementContent(component)
    else {
      this.problem(element, file, 'An element needs "name" or "ref"')
      return
    }
    if (schema === true) {
      // Whatever it may be, it is written here.
      schema = {}
      this.origins.set(schema, component)
    }
    const least = Number(element.attribute('minOccurs') ?? 1)
    const most = element.attribute('maxOccurs') ?? '1'
    const repeats = around.many || (most !== '1' && most !== '0')
    if (repeats || Object.hasOwn(content.properties, name))
      schema = this.repeated(schema, component, around.many ? 0 : least, most)
    content.properties[name] = schema
    if (!around.optional && least > 0 && !content.required.includes(name))
      content.required.push(name)
  }

  private repeated(items: Schema, component: Component, least: number, most: string): SchemaObject {
    const schema: SchemaObject = { type: 'array', items }
    if (least > 1) schema['minItems'] = least
    if (/^\d+$/.test(most) && Number(most) > 1) schema['maxItems'] = Number(most)
    this.origins.set(schema, component)
    return schema
  }

  private attributes(parent: XmlElement, from: Component, content: Content): void {
    for (const child of parent.children) {
      if (!isXsd(child)) continue
      const here = { ...from, element: child }
      if (child.local === 'attribute') this.attribute(here, content)
      else if (child.local === 'attributeGroup') this.attributeGroup(here, content)
      else if (child.local === 'anyAttribute') content.open = true
    }
  }

  private attributeGroup(component: Component, content: Content): void {
    const reference = component.element.attribute('ref')
    const target =
      reference === undefined ? undefined : this.lookUp('attributeGroup', reference, component)
    if (!target || this.groupDepth > deepestGroups) return
    this.groupDepth++
    this.attributes(target.element, target, content)
    this.groupDepth--
  }

  private attribute(component: Component, content: Content): void {
    const { element } = component
    if (element.attribute('use') === 'prohibited') return
    const reference = element.attribute('ref')
    const target = reference === undefined ? component : this.attributeTarget(reference, component)
    const name = target?.element.attribute('name') ?? reference?.replace(/^.*:/, '')
    if (name === undefined) return
    const schema = target ? this.described(this.attributeType(target), component) : {}
    const property = Object.hasOwn(content.properties, name) ? `@${name}` : name
    content.properties[property] = isObjectSchema(schema)
      ? { ...schema, xml: { attribute: true } }
      : { xml: { attribute: true } }
    this.origins.set(content.properties[property], component)
    if (element.attribute('use') === 'required') content.required.push(property)
  }

  private attributeTarget(reference: string, component: Component): Component | undefined {
    const { namespace, local } = component.element.qualify(reference)
    if (namespace === undefined || wellKnown.has(namespace)) {
      return this.find('attribute', namespace ?? '', local, component)
    }
    return this.lookUp('attribute', reference, component)
  }

  private attributeType(component: Component): Schema {
    const type = component.element.attribute('type')
    if (type !== undefined) return this.typeReference(type, component)
    const inline = childOf(component.element, 'simpleType')
    return inline ? this.typeSchema({ ...component, element: inline }) : {}
  }

  private simpleType(component: Component): SchemaObject {
    const { element } = component
    const restriction = childOf(element, 'restriction')
    if (restriction) {
      const schema = this.restriction({ ...component, element: restriction })
      return isObjectSchema(schema) ? schema : {}
    }
    const list = childOf(element, 'list')
    if (list) {
      const items = this.itemType(list, 'itemType', component)
      return { type: 'array', items: items[0] ?? true, 'x-xml-list': true }
    }
    const union = childOf(element, 'union')
    if (union) return { anyOf: this.itemType(union, 'memberTypes', component) }
    return {}
  }

  private itemType(element: XmlElement, attribute: string, component: Component): Schema[] {
    const here = { ...component, element }
    const named = (element.attribute(attribute) ?? '').split(/\s+/).filter((name) => name !== '')
    return [
      ...named.map((name) => this.typeReference(name, here)),
      ...element.children
        .filter((child) => isXsd(child) && child.local === 'simpleType')
        .map((child) => this.typeSchema({ ...component, element: child })),
    ]
  }

  private restriction(component: Component): Schema {
    const { element } = component
    const base = element.attribute('base')
    const inline = childOf(element, 'simpleType')
    const parent: Schema =
      base !== undefined
        ? this.typeReference(base, component)
        : inline
          ? this.typeSchema({ ...component, element: inline })
          : {}
    const kind = this.basicKind(parent)
    const facets = facetsOf(element, kind)
    if (!isObjectSchema(parent)) return facets
    if (Object.keys(facets).length === 0) return parent
    if ('$ref' in parent || 'allOf' in parent) return { allOf: [parent], ...facets }
    return { ...parent, ...facets }
  }

  private readonly kindsBeingFound = new Set<unknown>()

  /** The JSON type at the bottom of a chain of restrictions, which says how facet values are written. */
  private basicKind(schema: Schema): string {
    if (!isObjectSchema(schema)) return 'string'
    if (typeof schema['type'] === 'string') return schema['type']
    const first = (schema['allOf'] as Schema[] | undefined)?.[0]
    if (first !== undefined) return this.basicKind(first)
    const reference = schema['$ref']
    if (typeof reference !== 'string' || this.kindsBeingFound.has(reference)) return 'string'
    this.kindsBeingFound.add(reference)
    let kind = 'string'
    const component = this.byReference.get(reference)
    const restriction = component && childOf(component.element, 'restriction')
    const base = restriction?.attribute('base')
    if (restriction && base !== undefined) {
      kind = this.basicKind(this.typeReference(base, { ...component, element: restriction }))
    } else if (component && childOf(component.element, 'list')) kind = 'array'
    this.kindsBeingFound.delete(reference)
    return kind
  }
}

const isObjectSchema = (schema: Schema): schema is SchemaObject => typeof schema === 'object'

const childOf = (element: XmlElement, local: string) =>
  element.children.find((child) => child.local === local && isXsd(child))

/** A schema that also takes null. */
export function orNull(schema: Schema): Schema {
  if (typeof schema === 'boolean') return schema
  if (typeof schema['type'] === 'string') return { ...schema, type: [schema['type'], 'null'] }
  if (Object.keys(schema).length === 0) return schema
  return { anyOf: [schema, { type: 'null' }] }
}

function objectOf({ properties, required, choices, open }: Content): SchemaObject {
  const schema: SchemaObject = { type: 'object' }
  if (Object.keys(properties).length > 0) schema['properties'] = properties
  if (required.length > 0) schema['required'] = required
  if (choices.length === 1) Object.assign(schema, choices[0])
  else if (choices.length > 1) schema['allOf'] = choices
  if (open) schema['additionalProperties'] = true
  return schema
}
