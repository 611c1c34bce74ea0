import {
  operationName,
  type Contact,
  type Contract,
  type Example,
  type Extensions,
  type ExternalDocs,
  type License,
  type NamedSchema,
  type PathItem,
  type Schema,
  type SecurityRequirement,
  type Tag,
} from '../../contract/model'
import { isSchema } from '../../contract/schemas'
import type { Location } from '../../text/location'
import { pointerStep } from '../../text/pointer'
import type { PlacedDiagnostic } from '../../text/diagnostic'
import { compact, isObject, namesOf, none, textOf, type Node } from '../../text/values'
import { isReference, type References } from './references'

/** A part of the document, and where it is written. */
export interface At {
  value: Node
  at: Location
}

/** The `x-…` members of an object, or undefined where there are none. */
export function extensionsOf(node: Node): Extensions | undefined {
  let found: Extensions | undefined
  for (const key in node) {
    if (key.charCodeAt(0) === 120 && key.charCodeAt(1) === 45) (found ??= {})[key] = node[key]
  }
  return found
}

/**
 * Builds a contract's parts from values whose faults a {@link Walk} has reported already: what has the wrong shape is
 * left out without another word.
 */
export class Builder {
  readonly diagnostics: PlacedDiagnostic[] = []

  constructor(
    protected readonly references: References,
    protected readonly root: Node,
  ) {}

  protected resolved(value: unknown, at: Location): At | undefined {
    if (!isReference(value)) return isObject(value) ? { value, at } : undefined
    const target = this.references.follow(value, at)
    if (!target || !isObject(target.value)) return undefined
    const { description, summary } = value
    // Beside a reference, these two speak for the place that refers (OpenAPI 3.1, section 4.8.23).
    if (typeof description === 'string' || typeof summary === 'string') {
      const spoken = compact({ description, summary })
      return { value: { ...target.value, ...spoken }, at: target.at }
    }
    return { value: target.value, at: target.at }
  }

  protected node(value: unknown, at: Location): Node {
    return this.resolved(value, at)?.value ?? {}
  }

  /** What `make` makes of each object of a list, its references followed. */
  protected list<T>(value: unknown, at: Location, make: (node: Node, at: Location) => T): T[] {
    const target = this.references.follow(value, at)
    if (!target || !Array.isArray(target.value)) return none
    const found: T[] = []
    for (let i = 0; i < target.value.length; i++) {
      const item = this.resolved(target.value[i], `${target.at}/${i}`)
      if (item) found.push(make(item.value, item.at))
    }
    return found
  }

  /** What `make` makes, if anything, of each object that is named in another, its references followed. */
  protected entries<T>(
    value: unknown,
    at: Location,
    make: (key: string, node: Node, at: Location) => T | undefined,
  ): T[] {
    if (value === undefined) return none
    const target = this.references.follow(value, at)
    if (!target || !isObject(target.value)) return none
    const found: T[] = []
    for (const key in target.value) {
      const item = this.resolved(target.value[key], pointerStep(target.at, key))
      const made = item && make(key, item.value, item.at)
      if (made !== undefined) found.push(made)
    }
    return found
  }

  protected schema(value: unknown): Schema | undefined {
    return isSchema(value) ? value : undefined
  }

  protected info() {
    const info = this.node(this.root['info'], '/info')
    const version = info['version']
    if (typeof version === 'number') {
      this.diagnostics.push({
        at: '/info/version',
        severity: 'warning',
        message: `The version ${version} is a number; put it in quotes`,
      })
    }
    return compact({
      title: textOf(info['title']) ?? '',
      version: textOf(version) ?? '',
      summary: textOf(info['summary']),
      description: textOf(info['description']),
      termsOfService: textOf(info['termsOfService']),
      contact: this.contact(info['contact']),
      license: this.license(info['license']),
    })
  }

  private contact(value: unknown): Contact | undefined {
    if (!isObject(value)) return undefined
    return compact({
      name: textOf(value['name']),
      email: textOf(value['email']),
      url: textOf(value['url']),
    })
  }

  private license(value: unknown): License | undefined {
    if (!isObject(value)) return undefined
    return compact({
      name: textOf(value['name']) ?? '',
      identifier: textOf(value['identifier']),
      url: textOf(value['url']),
    })
  }

  protected externalDocs(value: unknown): ExternalDocs | undefined {
    if (!isObject(value)) return undefined
    return compact({ url: textOf(value['url']) ?? '', description: textOf(value['description']) })
  }

  protected tags(): Tag[] {
    return this.list(this.root['tags'], '/tags', (value, at) =>
      compact({
        at,
        name: textOf(value['name']) ?? '',
        summary: textOf(value['summary']),
        description: textOf(value['description']),
        parent: textOf(value['parent']),
        kind: textOf(value['kind']),
        externalDocs: this.externalDocs(value['externalDocs']),
        extensions: extensionsOf(value),
      }),
    )
  }

  protected namedSchemas(value: unknown, at: Location): NamedSchema[] {
    const target = this.references.follow(value, at)
    if (!target || !isObject(target.value)) return []
    const found: NamedSchema[] = []
    for (const name in target.value) {
      const schema = this.schema(target.value[name])
      if (schema !== undefined)
        found.push({ at: pointerStep(target.at, name), name, schema, declared: true })
    }
    return found
  }

  /** Names of schemes with their scopes; undefined where nothing is said. */
  protected security(value: unknown): SecurityRequirement[] | undefined {
    if (!Array.isArray(value)) return undefined
    return value
      .filter(isObject)
      .map((item) =>
        Object.fromEntries(Object.entries(item).map(([name, scopes]) => [name, namesOf(scopes)])),
      )
  }

  protected pathItem(path: string, value: Node, at: Location): PathItem | undefined {
    const item: PathItem = compact({
      at,
      path,
      summary: textOf(value['summary']),
      description: textOf(value['description']),
      extensions: extensionsOf(value),
    })
    return (item.summary ?? item.description ?? item.extensions) ? item : undefined
  }

  /** What an operation says of itself, the same in every version. */
  protected aboutOperation(node: Node) {
    return {
      id: textOf(node['operationId']),
      summary: textOf(node['summary']),
      description: textOf(node['description']),
      tags: namesOf(node['tags']),
      deprecated: node['deprecated'] === true,
      externalDocs: this.externalDocs(node['externalDocs']),
      extensions: extensionsOf(node),
    }
  }

  /**
   * The value of an example. One that is nothing but a reference to another example is what its author took for it: the
   * specification takes it for the value, so it is followed and warned of.
   */
  private exampleValue(example: Node, at: Location): unknown {
    const value = example['value'] ?? example['dataValue'] ?? example['serializedValue']
    if (!isObject(value) || Object.keys(value).length !== 1) return value
    const { $ref } = value
    if (typeof $ref !== 'string' || !$ref.includes('#/components/examples/')) return value
    const target = this.references.follow(value, pointerStep(at, 'value'))
    if (!target || !isObject(target.value) || !('value' in target.value)) return value
    this.diagnostics.push({
      at: pointerStep(at, 'value'),
      severity: 'warning',
      message: `The value of this example is a reference to ${$ref}; refer to it in place of the example`,
    })
    return target.value['value']
  }

  protected examples(node: Node, at: Location): Example[] {
    if (node['example'] !== undefined) return [{ name: 'example', value: node['example'] }]
    if (node['examples'] === undefined) return none
    return this.entries(node['examples'], pointerStep(at, 'examples'), (key, value, valueAt) =>
      compact({
        name: key,
        summary: textOf(value['summary']),
        description: textOf(value['description']),
        value: this.exampleValue(value, valueAt),
        externalValue: textOf(value['externalValue']),
      }),
    )
  }
}

/** Warns of what a valid text may hold and a careful author would not: places that contradict one another. */
export function contradictions({ operations, securitySchemes }: Contract): PlacedDiagnostic[] {
  const schemes = new Set(securitySchemes.map(({ name }) => name))
  const judged = new Set<SecurityRequirement[]>()
  const diagnostics: PlacedDiagnostic[] = []
  const ids = new Map<string, { method: string; path: string }>()
  const shapes = new Map<string, string>()
  let previous = ''
  let templates: string[] = []
  for (const { at, method, path, id, parameters, security } of operations) {
    if (!judged.has(security)) {
      judged.add(security)
      for (const name of security.flatMap((requirement) => Object.keys(requirement))) {
        if (schemes.has(name)) continue
        const message = `No security scheme is called "${name}"`
        diagnostics.push({ at: pointerStep(at, 'security'), severity: 'warning', message })
      }
    }
    if (id !== undefined) {
      const twin = ids.get(id)
      if (twin) {
        const message = `The operationId "${id}" is also that of ${operationName(twin)}`
        diagnostics.push({ at: pointerStep(at, 'operationId'), severity: 'warning', message })
      } else ids.set(id, { method, path })
    }
    if (path !== previous) {
      previous = path
      templates = path.includes('{') ? (path.match(/\{[^}]+\}/g) ?? []) : []
      const shape = templates.length > 0 ? path.replace(/\{[^}]*\}/g, '{}') : path
      const known = shapes.get(shape)
      if (known === undefined) shapes.set(shape, path)
      else if (known !== path) {
        const message = `"${path}" and "${known}" answer the same addresses`
        diagnostics.push({ at: at.slice(0, at.lastIndexOf('/')), severity: 'warning', message })
      }
    }
    for (const template of templates) {
      const name = template.slice(1, -1)
      if (!parameters.some((p) => p.in === 'path' && p.name === name)) {
        const message = `${operationName({ method, path })} does not describe its path parameter "${name}"`
        diagnostics.push({ at, severity: 'warning', message })
      }
    }
  }
  return diagnostics
}
