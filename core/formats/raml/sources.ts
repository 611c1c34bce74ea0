import type { Documents } from '../../text/documents'
import { absence, resolveName, type Location } from '../../text/location'
import { pointerTo, type Pointer } from '../../text/pointer'
import type { PlacedDiagnostic } from '../../text/diagnostic'
import { isObject, type Node } from '../../text/values'
import { Include } from '../../text/yaml'

/** Whose names apply where a node was written: a document's own, and those of the libraries it uses. */
export interface Scope {
  file: string
  types: Node
  traits: Node
  resourceTypes: Node
  securitySchemes: Node
  libraries: Map<string, Scope>
}

interface Origin {
  place: Location
  file: string
}

/** The kind of a RAML document by its first line: `API` where the line says nothing more. */
export function ramlHeader(text: string): { version: '0.8' | '1.0'; kind: string } | undefined {
  const header = /^\uFEFF?#%RAML (0\.8|1\.0)(?:[ \t]+(\w+))?/.exec(text)
  return header ? { version: header[1] as '0.8' | '1.0', kind: header[2] ?? 'API' } : undefined
}

const parsed = /\.(raml|ya?ml)$/i

/**
 * The files of a RAML definition with every `!include` in place. Each object remembers the place it was written at and
 * the names that applied there, through everything that is merged afterwards.
 */
export class RamlSources {
  readonly diagnostics: PlacedDiagnostic[] = []
  private readonly origins = new WeakMap<object, Origin>()
  private readonly scopes = new Map<string, Scope>()
  private readonly open = new Set<string>()
  private readonly loaded = new Map<string, unknown>()

  constructor(private readonly documents: Documents) {}

  /** The values of a file, or undefined where it cannot be read. */
  load(file: string): unknown {
    if (this.loaded.has(file)) return this.loaded.get(file)
    const reading = this.documents.get(file)?.reading
    if (!reading?.readable || reading.syntax === 'xml') return undefined
    this.open.add(file)
    const value = this.expanded(reading.value, file, '')
    this.open.delete(file)
    this.loaded.set(file, value)
    return value
  }

  private expanded(value: unknown, file: string, at: Pointer): unknown {
    if (value instanceof Include) return this.included(value.name, file, at)
    if (Array.isArray(value)) {
      const list = value.map((item, i) => this.expanded(item, file, pointerTo(at, i)))
      this.origins.set(list, { place: this.documents.place(file, at), file })
      return list
    }
    if (!isObject(value)) return value
    const node: Node = {}
    for (const [key, item] of Object.entries(value))
      node[key] = this.expanded(item, file, pointerTo(at, key))
    this.origins.set(node, { place: this.documents.place(file, at), file })
    return node
  }

  private included(name: string, file: string, at: Pointer): unknown {
    const [path = '', fragment] = name.split('#')
    const target = resolveName(file, path)
    const report = (problem: Pick<PlacedDiagnostic, 'severity' | 'message'>) => {
      this.diagnostics.push({ at: this.documents.place(file, at), ...problem })
      return undefined
    }
    if (this.open.has(target)) {
      return report({ severity: 'error', message: `${name} includes itself in a circle` })
    }
    const text = this.documents.text(target)
    if (text === undefined) return report(absence(target, name))
    if (!parsed.test(path) && !ramlHeader(text)) {
      this.texts.set(text, { file: target, fragment })
      return text
    }
    return this.load(target)
  }

  /** Where a text that stands in a value was included from. */
  readonly texts = new Map<string, { file: string; fragment: string | undefined }>()

  /** The place a value was written at, or a step below its parent. */
  place(value: unknown, parent?: unknown, key?: string | number): Location {
    const own = typeof value === 'object' && value !== null ? this.origins.get(value) : undefined
    if (own) return own.place
    const owner = this.written(parent, key)
    const above = owner && this.origins.get(owner)
    if (!above) return ''
    return key === undefined ? above.place : pointerTo(above.place, key)
  }

  /** Lets a value made from another be taken for it. */
  inherit(made: object, from: unknown): void {
    const origin = typeof from === 'object' && from !== null ? this.origins.get(from) : undefined
    if (origin) this.origins.set(made, origin)
  }

  /** The names that apply where a value was written. */
  scopeOf(value: unknown, otherwise: Scope): Scope {
    const origin = typeof value === 'object' && value !== null ? this.origins.get(value) : undefined
    return (origin && this.scopes.get(origin.file)) ?? otherwise
  }

  /** The names that a document declares and uses. */
  scope(root: Node, file: string): Scope {
    const known = this.scopes.get(file)
    if (known) return known
    const scope: Scope = {
      file,
      types: this.declared(root['types'] ?? root['schemas']),
      traits: this.declared(root['traits']),
      resourceTypes: this.declared(root['resourceTypes']),
      securitySchemes: this.declared(root['securitySchemes']),
      libraries: new Map(),
    }
    this.scopes.set(file, scope)
    const uses = isObject(root['uses']) ? root['uses'] : {}
    for (const [prefix, name] of Object.entries(uses)) {
      if (typeof name !== 'string') continue
      const target = resolveName(file, name)
      const library = this.load(target)
      if (isObject(library)) scope.libraries.set(prefix, this.scope(library, target))
      else if (this.documents.get(target) === undefined) {
        this.diagnostics.push({ at: this.place(undefined, uses, prefix), ...absence(target, name) })
      }
    }
    return scope
  }

  /** Declarations that were written as a list of maps: each name with the map it stands in. */
  private readonly lists = new WeakMap<object, Map<string, Node>>()

  /** Declarations by name; RAML 0.8 also writes them as a list of maps. */
  private declared(value: unknown): Node {
    if (isObject(value)) return value
    if (!Array.isArray(value)) return {}
    const maps = value.filter(isObject)
    const all: Node = Object.assign({}, ...maps) as Node
    this.inherit(all, value)
    this.lists.set(all, new Map(maps.flatMap((map) => Object.keys(map).map((key) => [key, map]))))
    return all
  }

  /** What a key was written in. */
  private written(parent: unknown, key: string | number | undefined): object | undefined {
    if (typeof parent !== 'object' || parent === null) return undefined
    return this.lists.get(parent)?.get(String(key)) ?? parent
  }

  /** A declaration by its name, which may lead into libraries: `common.paged`. */
  find(
    kind: 'types' | 'traits' | 'resourceTypes' | 'securitySchemes',
    name: string,
    scope: Scope,
  ): { value: unknown; scope: Scope; name: string } | undefined {
    if (Object.hasOwn(scope[kind], name)) return { value: scope[kind][name], scope, name }
    const dot = name.indexOf('.')
    const library = dot === -1 ? undefined : scope.libraries.get(name.slice(0, dot))
    return library && this.find(kind, name.slice(dot + 1), library)
  }
}
