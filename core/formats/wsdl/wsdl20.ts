import type {
  Contract,
  Operation,
  Parameter,
  QualifiedName,
  Response,
  Schema,
  SoapBinding,
} from '../../contract/model'
import { resolveSchema } from '../../contract/schemas'
import type { Documents } from '../../text/documents'
import { compact, isObject } from '../../text/values'
import type { XmlElement } from '../../text/xml'
import { WsdlReader, append, media, mediaTypesOf, uniqueIds, type Located } from './common'

export const wsdl20Namespaces = new Set([
  'http://www.w3.org/ns/wsdl',
  'http://www.w3.org/2006/01/wsdl',
])
const soap = 'http://www.w3.org/ns/wsdl/soap'
const http = 'http://www.w3.org/ns/wsdl/http'
const extensions = 'http://www.w3.org/ns/wsdl-extensions'

interface Bound {
  soap?: SoapBinding
  http?: { method: string; location: string | undefined; input: string; output: string }
}

/** Reads WSDL 2.0 (W3C Recommendation, parts 1 and 2), with its SOAP 1.2 and HTTP bindings. */
export class Wsdl20Reader extends WsdlReader {
  constructor(documents: Documents, root: XmlElement) {
    super(documents, root, root.namespace, ['interface', 'binding', 'service'])
  }

  read(): Contract {
    this.collect(this.root, this.documents.main.file)
    this.xsd.nameTypes()
    this.readServices()
    const interfaces = [...this.components.get('interface')!.values()]
    for (const binding of this.components.get('binding')!.values()) this.bind(binding, interfaces)
    const several =
      interfaces.filter(({ element }) => element.all(this.wsdl, 'operation').length > 0).length > 1
    const operations = interfaces.flatMap((item) => this.interface(item, several))
    uniqueIds(operations)
    const service = [...this.components.get('service')!.values()][0]
    const contract = this.contract('2.0', {
      title: service?.element.attribute('name') ?? interfaces[0]?.element.attribute('name') ?? '',
      description:
        this.documentation(this.root) ?? (service && this.documentation(service.element)),
      operations,
    })
    for (const operation of contract.operations) spreadPath(contract, operation)
    return contract
  }

  private readServices(): void {
    for (const service of this.components.get('service')!.values()) {
      for (const element of service.element.all(this.wsdl, 'endpoint')) {
        const here = { ...service, element }
        const name = element.attribute('binding')
        if (name === undefined) this.problem(here, 'An endpoint needs "binding"')
        const binding = name === undefined ? undefined : this.find('binding', name, here, 'binding')
        const url = element.attribute('address')
        if (url === undefined) continue
        this.addAddress(
          compact({ at: this.at(here), url, name: element.attribute('name'), variables: [] }),
          binding,
        )
      }
    }
  }

  /** A binding without an interface is for every interface (part 1, section 2.9). */
  private bind(binding: Located, interfaces: Located[]): void {
    const name = binding.element.attribute('interface')
    const found =
      name === undefined ? interfaces : [this.find('interface', name, binding, 'interface')]
    for (const target of found) {
      if (target) append(this.bindings, target, binding)
    }
  }

  /** The bindings of an interface and of those that extend it. */
  private bindingsOf(target: Located): Located[] {
    const found = [...(this.bindings.get(target) ?? [])]
    for (const [other, bindings] of this.bindings) {
      const bases = (other.element.attribute('extends') ?? '').split(/\s+/)
      const extended = bases.some(
        (base) =>
          base !== '' && other.element.qualify(base).local === target.element.attribute('name'),
      )
      if (extended) found.push(...bindings)
    }
    return [...new Set(found)]
  }

  private interface(target: Located, several: boolean): Operation[] {
    const bindings = this.bindingsOf(target)
    const prefix = several ? `/${target.element.attribute('name') ?? ''}` : ''
    return target.element.all(this.wsdl, 'operation').map((element) => {
      const here = { ...target, element }
      const name = element.attribute('name') ?? ''
      if (name === '') this.problem(here, 'An operation needs "name"')
      const bound = bindings.map((binding) => this.bound(binding, here, name))
      return this.operation(here, `${prefix}/${name}`, bound)
    })
  }

  private bound(binding: Located, operation: Located, portType: string): Bound {
    const name = operation.element.attribute('name') ?? ''
    const type = binding.element.attribute('type')
    const own = binding.element
      .all(this.wsdl, 'operation')
      .find((child) => child.attribute('ref')?.replace(/^.*:/, '') === name)
    if (type === soap) {
      return {
        soap: compact<SoapBinding>({
          portType,
          binding: binding.element.attribute('name') ?? '',
          version: binding.element.attributeOf(soap, 'version') === '1.1' ? '1.1' : '1.2',
          style: 'document',
          use: 'literal',
          action: own?.attributeOf(soap, 'action'),
          input: qualifiedIn(operation.element.first(this.wsdl, 'input')),
          output: qualifiedIn(operation.element.first(this.wsdl, 'output')),
          headers: this.soapHeaders(binding, own),
          addresses: this.addresses.get(binding) ?? [],
        }),
      }
    }
    if (type !== http) return {}
    const isSafe = operation.element.attributeOf(extensions, 'safe') === 'true'
    const method =
      own?.attributeOf(http, 'method') ??
      binding.element.attributeOf(http, 'methodDefault') ??
      (isSafe ? 'GET' : 'POST')
    return {
      http: {
        method,
        location: own?.attributeOf(http, 'location'),
        input:
          own?.attributeOf(http, 'inputSerialization') ??
          (/^(get|delete)$/i.test(method)
            ? 'application/x-www-form-urlencoded'
            : 'application/xml'),
        output: own?.attributeOf(http, 'outputSerialization') ?? 'application/xml',
      },
    }
  }

  private soapHeaders(binding: Located, operation: XmlElement | undefined): SoapBinding['headers'] {
    return (operation?.all(this.wsdl, 'input') ?? []).flatMap((input) =>
      input.all(soap, 'header').flatMap((element) => {
        const name = element.attribute('element')
        if (name === undefined) return []
        const reference = this.xsd.elementReference(name, { ...binding, element })
        return [{ name: reference.name, schema: reference.schema }]
      }),
    )
  }

  private operation(here: Located, path: string, bound: Bound[]): Operation {
    const { element } = here
    const web = bound.find((item) => item.http)?.http
    const soapBindings = bound.flatMap((item) => item.soap ?? [])
    const types = mediaTypesOf(bound, 'application/xml')
    const input = element.first(this.wsdl, 'input')
    const output = element.first(this.wsdl, 'output')
    const at = this.at(here)
    const operation: Operation = compact({
      at,
      method: web?.method.toLowerCase() ?? 'post',
      path: web?.location === undefined ? path : `/${web.location.replace(/^\/+/, '')}`,
      id: element.attribute('name'),
      description: this.documentation(element),
      tags: [],
      deprecated: false,
      parameters: [],
      responses: [
        this.response(here, output, web ? [web.output] : types),
        ...this.faults(here, types),
      ],
      callbacks: [],
      security: [],
      soap: soapBindings.length > 0 ? soapBindings : undefined,
    })
    const schema = input && this.messageSchema({ ...here, element: input })
    if (schema !== undefined) {
      const inputAt = this.at({ ...here, element: input! })
      operation.body = {
        at: inputAt,
        required: true,
        content: (soapBindings.length > 0 || !web ? types : [web.input]).map((type) =>
          media(type, inputAt, schema),
        ),
      }
    }
    return operation
  }

  private response(here: Located, output: XmlElement | undefined, types: string[]): Response {
    const element = output ?? here.element
    const at = this.at({ ...here, element })
    const schema = output && this.messageSchema({ ...here, element: output })
    return {
      at,
      status: output ? '200' : '202',
      description:
        (output && this.documentation(output)) ??
        (output ? 'The answer' : 'Taken; no answer is sent'),
      headers: [],
      content: schema === undefined ? [] : types.map((type) => media(type, at, schema)),
      links: [],
    }
  }

  private faults(here: Located, types: string[]): Response[] {
    const references = here.element.children.filter(
      (child) => child.local === 'outfault' || child.local === 'infault',
    )
    const schemas: Schema[] = []
    const names: string[] = []
    for (const element of references) {
      const name = element.attribute('ref')
      const fault = name === undefined ? undefined : this.faultNamed(name)
      if (name === undefined) this.problem({ ...here, element }, `An ${element.local} needs "ref"`)
      else if (!fault)
        this.problem({ ...here, element }, `"ref" names the fault "${name}", which does not exist`)
      else {
        names.push(fault.element.attribute('name') ?? '')
        const schema = this.messageSchema(fault)
        if (schema !== undefined) schemas.push(schema)
      }
    }
    if (names.length === 0) return []
    const at = this.at({ ...here, element: references[0]! })
    const schema = schemas.length === 1 ? schemas[0] : { anyOf: schemas }
    return [
      {
        at,
        status: '500',
        description: `Fault: ${names.join('; ')}`,
        headers: [],
        content: schemas.length === 0 ? [] : types.map((type) => media(type, at, schema)),
        links: [],
      },
    ]
  }

  private faultNamed(qname: string): Located | undefined {
    const local = qname.replace(/^.*:/, '')
    for (const target of this.components.get('interface')!.values()) {
      const element = target.element
        .all(this.wsdl, 'fault')
        .find((child) => child.attribute('name') === local)
      if (element) return { ...target, element }
    }
    return undefined
  }

  /** The schema of a message (part 1, section 2.5.1); `#none` has none, `#any` and `#other` any. */
  private messageSchema(message: Located): Schema | undefined {
    const name = message.element.attribute('element')
    if (name === undefined || name === '#none') return undefined
    if (name.startsWith('#')) return true
    return this.xsd.elementReference(name, message).schema
  }
}

/** The element that a message reference names (part 1, section 2.5); `#none` and its like name none. */
function qualifiedIn(message: XmlElement | undefined): QualifiedName | undefined {
  const name = message?.attribute('element')
  if (!message || name === undefined || name.startsWith('#')) return undefined
  const { namespace, local } = message.qualify(name)
  return { namespace: namespace ?? '', name: local }
}

/** Fields that an address template cites, and with GET all others too, leave the body (part 2, section 6.8). */
function spreadPath(contract: Contract, operation: Operation): void {
  if (operation.soap || !operation.body) return
  const schema = resolveSchema(contract, operation.body.content[0]?.schema)
  const properties = isObject(schema) && isObject(schema['properties']) ? schema['properties'] : {}
  const inPath = new Set([...operation.path.matchAll(/\{(\w+)\}/g)].map(([, name]) => name!))
  const whole = operation.method === 'get' || operation.method === 'delete'
  const { at } = operation.body
  for (const [name, value] of Object.entries(properties)) {
    if (!whole && !inPath.has(name)) continue
    const parameter: Parameter = {
      at,
      name,
      in: inPath.has(name) ? 'path' : 'query',
      required: inPath.has(name),
      deprecated: false,
      schema: value as Schema,
      examples: [],
    }
    operation.parameters.push(parameter)
  }
  if (whole) delete operation.body
}
