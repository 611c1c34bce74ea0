import type {
  Body,
  Contract,
  Encoding,
  MediaType,
  Operation,
  Parameter,
  QualifiedName,
  Response,
  Schema,
  SchemaObject,
  SoapBinding,
} from '../../contract/model'
import type { Documents } from '../../text/documents'
import { compact } from '../../text/values'
import type { XmlElement } from '../../text/xml'
import { WsdlReader, append, media, mediaTypesOf, uniqueIds, type Located } from './common'

export const wsdl11 = 'http://schemas.xmlsoap.org/wsdl/'
const http = 'http://schemas.xmlsoap.org/wsdl/http/'
const mime = 'http://schemas.xmlsoap.org/wsdl/mime/'
const soapVersions = new Map<string, SoapBinding['version']>([
  ['http://schemas.xmlsoap.org/wsdl/soap/', '1.1'],
  ['http://schemas.xmlsoap.org/wsdl/soap12/', '1.2'],
])

const kinds = ['message', 'portType', 'binding', 'service'] as const

/** How one operation is bound, by one binding of its port type. */
interface Bound {
  binding: Located
  operation: Located
  soap?: SoapBinding
  http?: { verb: string; location: string }
}

const childOfAny = (element: XmlElement, local: string) =>
  element.children.find((child) => child.local === local && soapVersions.has(child.namespace))

/** Reads WSDL 1.1 (W3C Note of 15 March 2001), with SOAP 1.1, SOAP 1.2, HTTP and MIME bindings. */
export class Wsdl11Reader extends WsdlReader {
  constructor(documents: Documents, root: XmlElement) {
    super(documents, root, wsdl11, kinds)
  }

  read(): Contract {
    this.collect(this.root, this.documents.main.file)
    this.xsd.nameTypes()
    this.readServices()
    this.readBindings()
    const portTypes = [...this.components.get('portType')!.values()]
    const several =
      portTypes.filter(({ element }) => element.all(wsdl11, 'operation').length > 0).length > 1
    const operations = portTypes.flatMap((portType) => this.portType(portType, several))
    uniqueIds(operations)
    const service = [...this.components.get('service')!.values()][0]
    return this.contract('1.1', {
      title:
        service?.element.attribute('name') ??
        this.root.attribute('name') ??
        portTypes[0]?.element.attribute('name') ??
        '',
      description:
        this.documentation(this.root) ?? (service && this.documentation(service.element)),
      operations,
    })
  }

  private readServices(): void {
    for (const service of this.components.get('service')!.values()) {
      for (const element of service.element.all(wsdl11, 'port')) {
        const port = { ...service, element }
        const name = element.attribute('binding')
        const binding = name === undefined ? undefined : this.find('binding', name, port, 'binding')
        if (name === undefined) this.problem(port, 'A port needs "binding"')
        for (const child of element.children) {
          const url = child.local === 'address' ? child.attribute('location') : undefined
          if (url === undefined) continue
          const portName = element.attribute('name')
          const at = this.at({ ...service, element: child })
          this.addAddress(compact({ at, url, name: portName, variables: [] }), binding)
        }
      }
    }
  }

  private readBindings(): void {
    for (const binding of this.components.get('binding')!.values()) {
      const name = binding.element.attribute('type')
      if (name === undefined) {
        this.problem(binding, 'A binding needs "type"')
        continue
      }
      const portType = this.find('portType', name, binding, 'type')
      if (portType) append(this.bindings, portType, binding)
    }
  }

  private portType(portType: Located, several: boolean): Operation[] {
    const seen = new Map<string, number>()
    return portType.element.all(wsdl11, 'operation').map((element) => {
      const here = { ...portType, element }
      const name = element.attribute('name') ?? ''
      if (name === '') this.problem(here, 'An operation needs "name"')
      const count = (seen.get(name) ?? 0) + 1
      seen.set(name, count)
      const prefix = several ? `/${portType.element.attribute('name') ?? ''}` : ''
      // Overloaded operations (section 2.5) share a name; their number keeps them apart.
      const path = `${prefix}/${name}${count > 1 ? `-${count}` : ''}`
      return this.operation(here, path, this.boundAs(portType, element, name))
    })
  }

  private boundAs(portType: Located, operation: XmlElement, name: string): Bound[] {
    const input = operation.first(wsdl11, 'input')?.attribute('name')
    return (this.bindings.get(portType) ?? []).flatMap((binding) => {
      const candidates = binding.element
        .all(wsdl11, 'operation')
        .filter((child) => child.attribute('name') === name)
      const element =
        candidates.length > 1 && input !== undefined
          ? (candidates.find(
              (child) => child.first(wsdl11, 'input')?.attribute('name') === input,
            ) ?? candidates[0])
          : candidates[0]
      if (!element) return []
      const bound: Bound = { binding, operation: { ...binding, element } }
      const soap = this.soap({ ...portType, element: operation }, portType, binding, element)
      if (soap) bound.soap = soap
      const verb = binding.element.first(http, 'binding')?.attribute('verb')
      const location = element.first(http, 'operation')?.attribute('location')
      if (verb !== undefined) bound.http = { verb, location: location ?? `/${name}` }
      return [bound]
    })
  }

  private soap(
    declared: Located,
    portType: Located,
    binding: Located,
    operation: XmlElement,
  ): SoapBinding | undefined {
    const general = childOfAny(binding.element, 'binding')
    const version = general && soapVersions.get(general.namespace)
    if (!version) return undefined
    const own = childOfAny(operation, 'operation')
    const input = operation.first(wsdl11, 'input')
    const body = soapBody(input)
    const style =
      (own?.attribute('style') ?? general.attribute('style')) === 'rpc' ? 'rpc' : 'document'
    return compact<SoapBinding>({
      portType: portType.element.attribute('name') ?? '',
      binding: binding.element.attribute('name') ?? '',
      version,
      style,
      use: body?.attribute('use') === 'encoded' ? 'encoded' : 'literal',
      action: own?.attribute('soapAction'),
      input: this.firstElement(declared, operation, style, 'input'),
      output: this.firstElement(declared, operation, style, 'output'),
      headers: input ? this.soapHeaders(binding, input) : [],
      addresses: this.addresses.get(binding) ?? [],
    })
  }

  /** The first element of a message’s body: that of its part, or with rpc one that is called as the operation (3.5). */
  private firstElement(
    declared: Located,
    bound: XmlElement,
    style: SoapBinding['style'],
    direction: 'input' | 'output',
  ): QualifiedName | undefined {
    const name = bound.attribute('name') ?? ''
    const body = soapBody(bound.first(wsdl11, direction))
    if (style === 'rpc')
      return {
        namespace: body?.attribute('namespace') ?? '',
        name: direction === 'input' ? name : `${name}Response`,
      }
    const message = declared.element.first(wsdl11, direction)?.attribute('message')
    // That it is missing is said where the operation is read.
    const found = message === undefined ? undefined : this.lookUp('message', message, declared)
    const chosen = body?.attribute('parts')?.trim().split(/\s+/)[0]
    const parts = found?.element.all(wsdl11, 'part') ?? []
    const part =
      chosen === undefined ? parts[0] : parts.find((one) => one.attribute('name') === chosen)
    const element = part?.attribute('element')
    if (part === undefined || element === undefined) return undefined
    const { namespace, local } = part.qualify(element)
    return { namespace: namespace ?? '', name: local }
  }

  private soapHeaders(binding: Located, input: XmlElement): SoapBinding['headers'] {
    return everyChild(input)
      .filter((child) => child.local === 'header' && soapVersions.has(child.namespace))
      .flatMap((element) => {
        const here = { ...binding, element }
        const name = element.attribute('message')
        const message = name === undefined ? undefined : this.find('message', name, here, 'message')
        const part = message?.element
          .all(wsdl11, 'part')
          .find((child) => child.attribute('name') === element.attribute('part'))
        if (!message || !part) return []
        return [
          {
            name: part.attribute('name') ?? '',
            schema: this.partSchema({ ...message, element: part }),
          },
        ]
      })
  }

  private operation(here: Located, path: string, bound: Bound[]): Operation {
    const { element } = here
    const soap = bound.flatMap((item) => item.soap ?? [])
    const web = bound.find((item) => item.http)
    const input = this.message(here, 'input')
    const output = this.message(here, 'output')
    const operation: Operation = compact({
      at: this.at(here),
      method: web?.http?.verb.toLowerCase() ?? 'post',
      path: web?.http
        ? `/${web.http.location.replace(/^\/+/, '').replace(/\((\w+)\)/g, '{$1}')}`
        : path,
      id: element.attribute('name'),
      description: this.documentation(element),
      tags: [],
      deprecated: false,
      parameters: web && input ? this.httpParameters(web, input) : [],
      responses: this.responses(here, output, bound),
      callbacks: [],
      security: [],
      soap: soap.length > 0 ? soap : undefined,
    })
    const body =
      input && !(operation.parameters.length > 0) ? this.body(here, input, bound) : undefined
    if (body) operation.body = body
    return operation
  }

  private message(operation: Located, direction: 'input' | 'output'): Located | undefined {
    const element = operation.element.first(wsdl11, direction)
    const name = element?.attribute('message')
    if (!element) return undefined
    if (name === undefined) {
      this.problem({ ...operation, element }, `An ${direction} needs "message"`)
      return undefined
    }
    return this.find('message', name, { ...operation, element }, 'message')
  }

  /** With an HTTP binding, parts are put into the address (sections 4.3 to 4.5). */
  private httpParameters(bound: Bound, message: Located): Parameter[] {
    const input = bound.operation.element.first(wsdl11, 'input')
    const inPath = input?.first(http, 'urlReplacement') !== undefined
    if (!inPath && input?.first(http, 'urlEncoded') === undefined) return []
    if (bound.http!.verb.toUpperCase() !== 'GET' && !inPath) return []
    return message.element.all(wsdl11, 'part').map((element) => ({
      at: this.at({ ...message, element }),
      name: element.attribute('name') ?? '',
      in: inPath ? 'path' : 'query',
      required: inPath,
      deprecated: false,
      schema: this.partSchema({ ...message, element }),
      examples: [],
    }))
  }

  private body(here: Located, message: Located, bound: Bound[]): Body {
    return {
      at: this.at(message),
      required: true,
      content: this.content(message, bound, 'input', here.element.attribute('name') ?? ''),
    }
  }

  private responses(here: Located, output: Located | undefined, bound: Bound[]): Response[] {
    const name = here.element.attribute('name') ?? ''
    const responses: Response[] = []
    const element = here.element.first(wsdl11, 'output')
    if (output && element) {
      responses.push({
        ...plainResponse('200', this.at({ ...here, element })),
        description:
          this.documentation(element) ?? this.documentation(output.element) ?? 'The answer',
        content: this.content(output, bound, 'output', `${name}Response`),
      })
    } else
      responses.push({
        ...plainResponse('202', this.at(here)),
        description: 'Taken; no answer is sent',
      })
    const faults = here.element.all(wsdl11, 'fault')
    if (faults.length > 0) responses.push(this.faults(here, faults, bound))
    return responses
  }

  /** All faults arrive as one status (SOAP 1.1, section 6.2); each says its own schema. */
  private faults(here: Located, faults: XmlElement[], bound: Bound[]): Response {
    const schemas: Schema[] = []
    const descriptions: string[] = []
    for (const element of faults) {
      const fault = { ...here, element }
      const name = element.attribute('message')
      const message = name === undefined ? undefined : this.find('message', name, fault, 'message')
      if (!message) continue
      const parts = message.element.all(wsdl11, 'part')
      const schema = parts[0] ? this.partSchema({ ...message, element: parts[0] }) : true
      schemas.push(schema)
      const said = this.documentation(element)
      descriptions.push(
        `${element.attribute('name') ?? ''}${said === undefined ? '' : `: ${said}`}`,
      )
    }
    const at = this.at({ ...here, element: faults[0]! })
    const schema = schemas.length === 1 ? schemas[0] : { anyOf: schemas }
    return {
      ...plainResponse('500', at),
      description: `Fault: ${descriptions.join('; ')}`,
      content: mediaTypesOf(bound, 'text/xml').map((type) => media(type, at, schema)),
    }
  }

  private content(
    message: Located,
    bound: Bound[],
    direction: 'input' | 'output',
    wrapper: string,
  ): MediaType[] {
    const at = this.at(message)
    const direct = bound.flatMap(
      ({ operation }) => operation.element.first(wsdl11, direction) ?? [],
    )
    const multipart = direct.flatMap((element) => element.first(mime, 'multipartRelated') ?? [])[0]
    if (multipart) return [this.multipart(message, multipart)]
    const web = bound.find((item) => item.http)
    const types = bound.some((item) => item.soap)
      ? mediaTypesOf(bound, 'text/xml')
      : ((web && this.mimeTypes(web, direction)) ?? ['text/xml'])
    const style = bound.find((item) => item.soap)?.soap?.style
    const schema = this.messageSchema(message, style ?? 'document', wrapper)
    return types.map((type) => media(type, at, schema))
  }

  private mimeTypes({ operation }: Bound, direction: 'input' | 'output'): string[] {
    const element = operation.element.first(wsdl11, direction)
    const types =
      element?.all(mime, 'content').flatMap((child) => child.attribute('type') ?? []) ?? []
    return types.length > 0 ? types : ['text/xml']
  }

  /** MIME multipart/related (section 5.4): one part of the message in each part of the body. */
  private multipart(message: Located, multipart: XmlElement): MediaType {
    const at = this.at(message)
    const encoding: Encoding[] = multipart.all(mime, 'part').flatMap((part) => {
      const contents = part.all(mime, 'content')
      const property = contents[0]?.attribute('part')
      if (property === undefined) return []
      const contentType = contents.flatMap((content) => content.attribute('type') ?? []).join(', ')
      return [{ at, property, contentType, headers: [] }]
    })
    return { ...media('multipart/related', at, this.partsSchema(message)), encoding }
  }

  private messageSchema(message: Located, style: SoapBinding['style'], wrapper: string): Schema {
    const parts = message.element.all(wsdl11, 'part')
    const [only] = parts
    if (style === 'document' && parts.length === 1 && only)
      return this.partSchema({ ...message, element: only })
    const schema = this.partsSchema(message)
    if (style === 'rpc') schema['xml'] = { name: wrapper }
    return schema
  }

  private partsSchema(message: Located): SchemaObject {
    const parts = message.element.all(wsdl11, 'part')
    const schema: SchemaObject = { type: 'object' }
    if (parts.length === 0) return schema
    schema['properties'] = Object.fromEntries(
      parts.map((element) => {
        const known = this.partSchema({ ...message, element })
        const part = typeof known === 'object' ? known : {}
        this.xsd.origins.set(part, { element })
        return [element.attribute('name') ?? '', part]
      }),
    )
    schema['required'] = parts.map((element) => element.attribute('name') ?? '')
    return schema
  }

  private partSchema(part: Located): Schema {
    const element = part.element.attribute('element')
    if (element !== undefined) return this.xsd.elementReference(element, part).schema
    const type = part.element.attribute('type')
    if (type !== undefined) return this.xsd.typeReference(type, part)
    this.problem(part, 'A part needs "element" or "type"')
    return true
  }
}

const everyChild = (element: XmlElement): XmlElement[] => [
  ...element.children,
  ...element.children.flatMap((child) => everyChild(child)),
]

/** How SOAP writes the body of a message that is bound. */
const soapBody = (bound: XmlElement | undefined): XmlElement | undefined =>
  bound &&
  everyChild(bound).find((child) => child.local === 'body' && soapVersions.has(child.namespace))

const plainResponse = (status: string, at: string): Response => ({
  at,
  status,
  headers: [],
  content: [],
  links: [],
})
