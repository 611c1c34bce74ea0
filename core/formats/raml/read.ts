import type {
  Body,
  Contract,
  Example,
  Extensions,
  Flow,
  Header,
  MediaType,
  Operation,
  Parameter,
  Response,
  Schema,
  SecurityRequirement,
  SecurityScheme,
  Server,
} from '../../contract/model'
import { exampleName } from '../../contract/parts'
import type { Documents } from '../../text/documents'
import type { Location } from '../../text/location'
import type { PlacedDiagnostic } from '../../text/diagnostic'
import { compact, isObject, namesOf, textOf, type Node, table } from '../../text/values'
import type { RamlSources, Scope } from './sources'
import { fill, merge, type Filling } from './templates'
import { RamlTypes, annotationKey, examplesOf, wholeQuery } from './types'

const methods = [
  'get',
  'patch',
  'put',
  'post',
  'delete',
  'options',
  'head',
  'trace',
  'connect',
] as const
const isMethod = (key: string) => (methods as readonly string[]).includes(key)

/** The fields of a RAML document's root, of a resource and of a method (RAML 1.0, “The Root of the Document”, “Resources”, “Methods”). */
export const rootKeys = new Set([
  'title',
  'description',
  'version',
  'baseUri',
  'baseUriParameters',
  'protocols',
  'mediaType',
  'documentation',
  'schemas',
  'types',
  'traits',
  'resourceTypes',
  'annotationTypes',
  'securitySchemes',
  'securedBy',
  'uses',
  'extends',
  'usage',
])
export const resourceKeys = new Set([
  'displayName',
  'description',
  'is',
  'type',
  'securedBy',
  'uriParameters',
  'baseUriParameters',
  'usage',
])
export const methodKeys = new Set([
  'displayName',
  'description',
  'queryParameters',
  'headers',
  'queryString',
  'responses',
  'body',
  'protocols',
  'is',
  'securedBy',
  'baseUriParameters',
  'usage',
])

interface Around {
  path: string
  parameters: Parameter[]
  securedBy: unknown
  traits: unknown[]
  scope: Scope
}

/** Builds the contract of a RAML document whose includes and overlays are in place. */
export class RamlBuilder {
  readonly diagnostics: PlacedDiagnostic[] = []
  private readonly scope: Scope
  private readonly types: RamlTypes
  private readonly mediaTypes: string[]
  private readonly old: boolean

  constructor(
    documents: Documents,
    private readonly sources: RamlSources,
    private readonly root: Node,
    private readonly version: '0.8' | '1.0',
  ) {
    this.old = version === '0.8'
    this.scope = sources.scope(root, documents.main.file)
    this.types = new RamlTypes(documents, sources, this.scope, version)
    const media = root['mediaType']
    this.mediaTypes = typeof media === 'string' ? [media] : namesOf(media)
  }

  build(): Contract {
    const { root } = this
    const title = textOf(root['title'])
    if (title === undefined || title === '') this.problem(root, 'A RAML document needs "title"')
    this.unknownKeys(root, rootKeys, 'The document')
    const operations = this.resources(root, {
      path: '',
      parameters: [],
      securedBy: root['securedBy'],
      traits: [],
      scope: this.scope,
    })
    const schemes = Object.entries(this.scope.securitySchemes).map(([name, node]) =>
      this.securityScheme(name, node),
    )
    const schemas = this.types.schemas()
    this.diagnostics.push(...this.types.xsd.diagnostics)
    return compact({
      format: { name: 'RAML' as const, version: this.version },
      title: title ?? '',
      version: textOf(root['version']) ?? '',
      description: textOf(root['description']),
      servers: this.servers(),
      tags: [],
      paths: [],
      operations,
      webhooks: [],
      schemas,
      securitySchemes: schemes,
      extensions: this.rootExtensions(),
      origins: this.types,
    })
  }

  private problem(
    node: unknown,
    message: string,
    severity: PlacedDiagnostic['severity'] = 'error',
    key?: string,
  ): void {
    if (this.diagnostics.length < 1000) {
      this.diagnostics.push({
        at: key === undefined ? this.sources.place(node) : this.sources.place(undefined, node, key),
        severity,
        message,
      })
    }
  }

  private unknownKeys(node: Node, known: Set<string>, what: string): void {
    for (const key of Object.keys(node)) {
      if (known.has(key) || key.startsWith('/') || key.startsWith('(') || isMethod(key)) continue
      this.problem(node, `${what} has no field "${key}" in RAML ${this.version}`, 'warning', key)
    }
  }

  private rootExtensions(): Extensions | undefined {
    const documentation = this.root['documentation']
    const found: Extensions = { ...annotationsOf(this.root) }
    if (Array.isArray(documentation)) found['x-documentation'] = documentation
    return Object.keys(found).length > 0 ? found : undefined
  }

  private servers(): Server[] {
    const base = this.root['baseUri']
    const written =
      typeof base === 'string' ? base : isObject(base) ? textOf(base['value']) : undefined
    if (written === undefined) return []
    const described = isObject(this.root['baseUriParameters']) ? this.root['baseUriParameters'] : {}
    const url = written.replaceAll('{version}', textOf(this.root['version']) ?? '{version}')
    const variables = [...url.matchAll(/\{([^}]+)\}/g)].map(([, name]) => {
      const node = isObject(described[name!]) ? (described[name!] as Node) : {}
      const options = Array.isArray(node['enum']) ? node['enum'].map(String) : undefined
      return compact({
        name: name!,
        default: textOf(node['default']) ?? textOf(node['example']) ?? options?.[0] ?? '',
        enum: options,
        description: textOf(node['description']),
      })
    })
    const at = this.sources.place(undefined, this.root, 'baseUri')
    const schemes = namesOf(this.root['protocols']).map((protocol) => protocol.toLowerCase())
    const urls =
      schemes.length > 0 ? schemes.map((scheme) => url.replace(/^[a-z]+:/i, `${scheme}:`)) : [url]
    return [...new Set(urls)].map((address) => ({ at, url: address, variables }))
  }

  private resources(parent: Node, around: Around): Operation[] {
    return Object.entries(parent).flatMap(([key, value]) =>
      key.startsWith('/') ? this.resource(key, isObject(value) ? value : {}, around) : [],
    )
  }

  private resource(segment: string, written: Node, around: Around): Operation[] {
    const path = around.path + (segment === '/' && around.path !== '' ? '' : segment)
    const given = { resourcePath: path, resourcePathName: pathName(path) }
    const node = this.withType(
      written,
      written['type'],
      given,
      this.sources.scopeOf(written, around.scope),
      0,
    )
    this.unknownKeys(node, resourceKeys, 'A resource')
    const inside: Around = {
      path,
      parameters: [...around.parameters, ...this.uriParameters(segment, node, around.scope)],
      securedBy: node['securedBy'] ?? around.securedBy,
      traits: listOf(node['is']),
      scope: around.scope,
    }
    const own = methods.flatMap((method) =>
      method in node ? [this.method(method, node[method], node, inside, given)] : [],
    )
    return [...own, ...this.resources(node, { ...inside, traits: [] })]
  }

  /** A resource with its type merged in, and that type's own type (RAML 1.0, "Applying Resource Types and Traits"). */
  private withType(
    node: Node,
    type: unknown,
    given: Node,
    scope: Scope,
    depth: number,
    author = node,
  ): Node {
    const call = callOf(type)
    if (!call || depth > 20) return node
    const found = this.sources.find('resourceTypes', call.name, scope)
    if (!found) {
      this.problem(node, `No resource type is called "${call.name}"`, 'error', 'type')
      return node
    }
    if (!isObject(found.value)) return node
    const template = this.filled(
      found.value,
      { ...call.given, ...given },
      { author, caller: node },
      (key, level) => this.old || (level === 0 && isMethod(key)),
    ) as Node
    const parent = this.withType(
      template,
      template['type'],
      given,
      this.sources.scopeOf(found.value, found.scope),
      depth + 1,
      merge(author, template, this.sources) as Node,
    )
    const { type: _, usage: __, displayName: ___, ...rest } = parent
    this.sources.inherit(rest, parent)
    return merge(node, rest, this.sources) as Node
  }

  private filled(
    template: unknown,
    given: Node,
    { author, caller }: { author: Node; caller: Node },
    optional: Filling['optional'],
  ): unknown {
    const missing = (name: string) =>
      this.problem(caller, `The parameter "${name}" of what is applied here is not given`)
    return fill(template, author, { given, sources: this.sources, missing, optional })
  }

  private withTraits(method: Node, traits: unknown[], given: Node, scope: Scope): Node {
    let node = method
    const applied = new Set<string>()
    for (const trait of traits) {
      const call = callOf(trait)
      if (!call || applied.has(call.name)) continue
      applied.add(call.name)
      const found =
        this.sources.find('traits', call.name, this.sources.scopeOf(traits, scope)) ??
        this.sources.find('traits', call.name, scope)
      if (!found) {
        this.problem(method, `No trait is called "${call.name}"`)
        continue
      }
      const { usage: _, ...template } = (this.filled(
        found.value,
        { ...call.given, ...given },
        { author: node, caller: method },
        () => this.old,
      ) ?? {}) as Node
      this.sources.inherit(template, found.value)
      const nested = listOf(template['is'])
      const whole =
        nested.length > 0 ? this.withTraits(template, nested, given, found.scope) : template
      node = merge(node, whole, this.sources) as Node
    }
    return node
  }

  private method(
    method: string,
    written: unknown,
    resource: Node,
    around: Around,
    given: Node,
  ): Operation {
    const own: Node = isObject(written) ? written : {}
    if (!isObject(written)) this.sources.inherit(own, resource)
    const traits = [...listOf(own['is']), ...around.traits]
    const node = this.withTraits(own, traits, { ...given, methodName: method }, around.scope)
    this.unknownKeys(node, methodKeys, 'A method')
    const at = this.sources.place(written, resource, method)
    const security = this.security(node['securedBy'] ?? around.securedBy, around.scope)
    const operation: Operation = compact({
      at,
      method,
      path: around.path,
      id: textOf(node['(operationId)']),
      summary: textOf(node['displayName']),
      description: textOf(node['description']),
      tags: namesOf(node['(tags)']),
      deprecated: node['(deprecated)'] === true,
      parameters: [
        ...around.parameters,
        ...this.parameters(node['queryParameters'], 'query', around.scope),
        ...this.queryString(node, around.scope),
        ...this.parameters(node['headers'], 'header', around.scope),
      ],
      body: this.body(node['body'], node, around.scope),
      responses: this.withSchemes(
        this.responses(node['responses'], around.scope),
        security,
        around.scope,
      ),
      callbacks: [],
      security,
      extensions: annotationsOf(node, known),
    })
    return operation
  }

  private uriParameters(segment: string, node: Node, scope: Scope): Parameter[] {
    const described = isObject(node['uriParameters']) ? node['uriParameters'] : {}
    const names = new Set(Array.from(segment.matchAll(/\{([^}]+)\}/g), ([, name]) => name!))
    return [...names].flatMap((name) => {
      const value = described[name]
      // The ending of a media type is no parameter of its own, unless somebody describes it.
      if (value === undefined && (name === 'ext' || name === 'mediaTypeExtension')) return []
      const parameter = this.parameter(name, value, 'path', described, scope)
      return [
        {
          ...parameter,
          at: value === undefined ? this.sources.place(node) : parameter.at,
          required: true,
        },
      ]
    })
  }

  private parameters(value: unknown, place: string, scope: Scope): Parameter[] {
    if (!isObject(value)) return []
    return Object.entries(value).map(([name, node]) =>
      this.parameter(name, node, place, value, scope),
    )
  }

  private parameter(
    written: string,
    value: unknown,
    place: string,
    parent: Node,
    scope: Scope,
  ): Parameter {
    // RAML 0.8 lets a parameter be one of several declarations; the first one speaks.
    const node: unknown = Array.isArray(value) && this.old ? value[0] : value
    const said = isObject(node) ? node['required'] : undefined
    const isOptional = written.endsWith('?') && said === undefined && !this.old
    const name = isOptional ? written.slice(0, -1) : written
    const declared = this.schemaOf(node, scope, this.sources.place(node, parent, written))
    const repeats = this.old && isObject(node) && node['repeat'] === true
    const schema: Schema = repeats ? { type: 'array', items: declared } : declared
    const { description, examples, rest } = spoken(schema, isObject(node) ? node : {})
    return compact({
      at: this.sources.place(node, parent, written),
      name,
      in: place,
      required: typeof said === 'boolean' ? said : !isOptional && !this.old,
      deprecated: false,
      description,
      schema: rest,
      examples,
      extensions: isObject(node) ? annotationsOf(node) : undefined,
    })
  }

  private schemaOf(node: unknown, scope: Scope, place: Location): Schema {
    if (isObject(node) && 'required' in node) {
      const { required: _, ...rest } = node
      this.sources.inherit(rest, node)
      return this.types.schema(rest, scope)
    }
    return this.types.schemaAt(node, scope, place)
  }

  private queryString(node: Node, scope: Scope): Parameter[] {
    const value = node['queryString']
    if (value === undefined) return []
    const at = this.sources.place(value, node, 'queryString')
    const media: MediaType = {
      at,
      type: wholeQuery.type,
      schema: this.types.schema(value, scope),
      examples: [],
      encoding: [],
    }
    return [
      {
        at,
        name: wholeQuery.name,
        in: 'querystring',
        required: false,
        deprecated: false,
        content: [media],
        examples: [],
      },
    ]
  }

  private body(value: unknown, parent: Node, scope: Scope): Body | undefined {
    if (value === undefined) return undefined
    const content = this.content(value, parent, scope)
    return content.length === 0
      ? undefined
      : { at: this.sources.place(value, parent, 'body'), required: true, content }
  }

  /** A body by media types, or one declaration for the default media types. */
  private content(value: unknown, parent: Node, scope: Scope): MediaType[] {
    const at = this.sources.place(value, parent, 'body')
    if (isObject(value)) {
      const types = Object.keys(value).filter((key) => key.includes('/') || key === '*')
      if (types.length > 0) {
        return types.map((type) =>
          this.mediaType(type, value[type], this.sources.place(value[type], value, type), scope),
        )
      }
      if (Object.keys(value).length === 0) return []
    } else if (value === null) return []
    const types = this.mediaTypes.length > 0 ? this.mediaTypes : ['application/json']
    return types.map((type) => this.mediaType(type, value, at, scope))
  }

  private mediaType(type: string, node: unknown, at: Location, scope: Scope): MediaType {
    const media: MediaType = { at, type, examples: [], encoding: [] }
    if (node === null || node === undefined) return media
    if (isObject(node)) {
      const form = node['formParameters']
      if (isObject(form)) media.schema = this.form(form, scope)
      media.examples = examplesOf(node).map(({ value, ...example }) => ({
        ...example,
        value: parsedExample(value, type),
      }))
      const extensions = annotationsOf(node)
      if (extensions) media.extensions = extensions
      if (isObject(form)) return media
      const declaration = Object.fromEntries(
        Object.entries(node).filter(
          ([key]) => !key.startsWith('(') && key !== 'example' && key !== 'examples',
        ),
      )
      this.sources.inherit(declaration, node)
      if (Object.keys(declaration).length === 0) return media
      media.schema = this.types.schema(declaration, scope)
    } else media.schema = this.types.schemaAt(node, scope, at)
    return media
  }

  private form(form: Node, scope: Scope): Schema {
    const parameters = this.parameters(form, 'form', scope)
    const properties = Object.fromEntries(
      parameters.map(({ name, schema, description, at }) => {
        const said = isObject(schema) && description !== undefined
        const property: Schema = said ? { ...schema, description } : (schema ?? {})
        this.types.place(property, at)
        return [name, property]
      }),
    )
    const required = parameters.filter((parameter) => parameter.required).map(({ name }) => name)
    return required.length > 0
      ? { type: 'object', properties, required }
      : { type: 'object', properties }
  }

  private responses(value: unknown, scope: Scope): Response[] {
    if (!isObject(value)) return []
    return Object.entries(value).map(([status, item]) => {
      const node = isObject(item) ? item : {}
      return compact({
        at: this.sources.place(item, value, status),
        status,
        description: textOf(node['description']),
        headers: this.parameters(node['headers'], 'header', scope).map(asHeader),
        content: node['body'] === undefined ? [] : this.content(node['body'], node, scope),
        links: [],
        extensions: annotationsOf(node),
      })
    })
  }

  private security(value: unknown, scope: Scope): SecurityRequirement[] {
    if (value === undefined || value === null) return []
    return listOf(value).map((item) => {
      const call = callOf(item)
      if (!call) return {}
      if (!this.sources.find('securitySchemes', call.name, scope)) {
        this.problem(value, `No security scheme is called "${call.name}"`)
      }
      return { [call.name]: namesOf(call.given['scopes']) }
    })
  }

  private readonly schemeResponses = new Map<unknown, Response[]>()

  /** What the security schemes of a method answer, where it does not say so itself ("describedBy"). */
  private withSchemes(own: Response[], security: SecurityRequirement[], scope: Scope): Response[] {
    const found = [...own]
    for (const name of security.flatMap((requirement) => Object.keys(requirement))) {
      const scheme = this.sources.find('securitySchemes', name, scope)
      if (!scheme || !isObject(scheme.value) || !isObject(scheme.value['describedBy'])) continue
      const { describedBy } = scheme.value
      let responses = this.schemeResponses.get(describedBy)
      if (!responses) {
        responses = this.responses(describedBy['responses'], scheme.scope)
        this.schemeResponses.set(describedBy, responses)
      }
      for (const response of responses)
        if (!found.some(({ status }) => status === response.status)) found.push(response)
    }
    return found
  }

  private securityScheme(name: string, value: unknown): SecurityScheme {
    const node = isObject(value) ? value : {}
    const settings = isObject(node['settings']) ? node['settings'] : {}
    // What it answers stands with the methods that ask for it.
    const { responses: _, ...described } = isObject(node['describedBy']) ? node['describedBy'] : {}
    const type = textOf(node['type']) ?? ''
    const base = {
      at: this.sources.place(value, this.scope.securitySchemes, name),
      name,
      description: textOf(node['description']),
      extensions: Object.keys(described).length > 0 ? { 'x-described-by': described } : undefined,
    }
    if (type === 'Basic Authentication')
      return compact({ ...base, type: 'http', scheme: 'basic', flows: [] })
    if (type === 'Digest Authentication')
      return compact({ ...base, type: 'http', scheme: 'digest', flows: [] })
    if (type === 'OAuth 2.0') return compact({ ...base, type: 'oauth2', flows: flowsOf(settings) })
    const [place, names] = isObject(described['headers'])
      ? ['header', described['headers']]
      : ['query', isObject(described['queryParameters']) ? described['queryParameters'] : {}]
    const parameterName = Object.keys(names)[0]
    if (parameterName !== undefined)
      return compact({ ...base, type: 'apiKey', in: place, parameterName, flows: [] })
    return compact({ ...base, type: type === 'OAuth 1.0' ? 'oauth1' : type, flows: [] })
  }
}

const grants = table<Flow['kind']>({
  authorization_code: 'authorizationCode',
  code: 'authorizationCode',
  implicit: 'implicit',
  token: 'implicit',
  password: 'password',
  owner: 'password',
  client_credentials: 'clientCredentials',
  credentials: 'clientCredentials',
})

function flowsOf(settings: Node): Flow[] {
  const scopes = Object.fromEntries(namesOf(settings['scopes']).map((scope) => [scope, '']))
  const kinds = listOf(settings['authorizationGrants']).flatMap(
    (grant) => grants[String(grant)] ?? [],
  )
  return [...new Set(kinds)].map((kind) =>
    compact({
      kind,
      authorizationUrl:
        kind === 'password' || kind === 'clientCredentials'
          ? undefined
          : textOf(settings['authorizationUri']),
      tokenUrl: kind === 'implicit' ? undefined : textOf(settings['accessTokenUri']),
      scopes,
    }),
  )
}

const listOf = (value: unknown): unknown[] =>
  value === undefined || value === null ? [] : Array.isArray(value) ? value : [value]

/** A trait, resource type or security scheme as it is applied: by name, or by name with parameters. */
function callOf(value: unknown): { name: string; given: Node } | undefined {
  if (typeof value === 'string' && value !== '') return { name: value, given: {} }
  if (!isObject(value)) return undefined
  const [name] = Object.keys(value)
  if (name === undefined) return undefined
  const given = value[name]
  return { name, given: isObject(given) ? given : {} }
}

/** The last part of a path that is no parameter, without an extension. */
const pathName = (path: string) =>
  path
    .split('/')
    .findLast((segment) => segment !== '' && !segment.startsWith('{'))
    ?.replace(/\{[^}]*\}.*$/, '') ?? ''

/** Annotations by which RAML says what other formats have fields for. */
const known = new Set(['(operationId)', '(tags)', '(deprecated)'])

function annotationsOf(node: Node, apart?: Set<string>): Extensions | undefined {
  let found: Extensions | undefined
  for (const [key, value] of Object.entries(node)) {
    if (apart?.has(key)) continue
    const name = /^\(([^)]+)\)$/.exec(key)?.[1]
    if (name !== undefined) (found ??= {})[annotationKey(name)] = value
  }
  return found
}

/** What a parameter's type says about the parameter: its description and examples are the parameter's. */
function spoken(
  schema: Schema,
  node: Node,
): { description: string | undefined; examples: Example[]; rest: Schema } {
  if (!isObject(schema)) return { description: undefined, examples: [], rest: schema }
  const { description, examples, ...rest } = schema
  for (const key of Object.keys(annotationsOf(node) ?? {})) Reflect.deleteProperty(rest, key)
  return {
    description: textOf(description),
    examples: Array.isArray(examples)
      ? examples.map((value: unknown, i) => ({
          name: exampleName(i),
          value,
        }))
      : [],
    rest,
  }
}

const asHeader = ({ in: _, ...header }: Parameter): Header => header

/** An example written as text is the value it holds where its media type is JSON. */
function parsedExample(value: unknown, type: string): unknown {
  if (typeof value !== 'string' || !/[/+]json\b/.test(type)) return value
  try {
    return JSON.parse(value) as unknown
  } catch {
    return value
  }
}
