import { isSchema, schemaReference } from '../../contract/schemas'
import type { NamedSchema } from '../../contract/model'
import type { Documents } from '../../text/documents'
import { freeName } from '../../text/names'
import { partsOf, isRemote, resolveName, type Place } from '../../text/place'
import { pointerTo, segmentsOf, type Pointer } from '../../text/pointer'
import { isObject, type Node } from '../../text/values'

/** Whether a value is an object that stands for another one elsewhere. */
export const isReference = (value: unknown): value is Node & { $ref: string } =>
  isObject(value) && typeof value['$ref'] === 'string'

/** What a reference leads to, or why it leads nowhere. */
export type Target =
  | { found: true; value: unknown; file: string; pointer: Pointer; at: Place }
  | { found: false; why: string; remote: boolean }

/**
 * References of an OpenAPI document over all its files (RFC 3986, RFC 6901, JSON Schema 2020-12 section 8): resolves
 * each once, and gives every schema that something refers to a name in the contract.
 */
export class References {
  /** Targets by reference, for each file and base. */
  private readonly resolved = new Map<string, Map<string, Target>>()
  private readonly names = new Map<Place, string>()
  private readonly taken: Set<string>
  /** Schemas that have a name only because something refers to them. */
  readonly undeclared: NamedSchema[] = []
  /** Where `$id`, `$anchor` and `$dynamicAnchor` of any file are, by absolute reference. */
  private readonly identified = new Map<
    string,
    { file: string; pointer: Pointer; value: unknown }
  >()

  constructor(
    private readonly documents: Documents,
    /** The pointer below which the document declares schemas by name. */
    private readonly container: Pointer,
    private readonly declared: Record<string, unknown>,
  ) {
    this.taken = new Set(Object.keys(declared))
    const { main } = documents
    if (mayIdentify(main.text)) this.identify(main.file)
  }

  /** Where a reference written in `file` (or below an `$id`) leads. */
  resolve(reference: string, file: string, base = ''): Target {
    const from = base === '' ? file : `${base}\n${file}`
    let targets = this.resolved.get(from)
    if (!targets) this.resolved.set(from, (targets = new Map<string, Target>()))
    let target = targets.get(reference)
    if (!target) targets.set(reference, (target = this.find(reference, file, base)))
    return target
  }

  private find(reference: string, file: string, base: string): Target {
    const known = this.identified.size > 0 ? this.byIdentifier(reference, base) : undefined
    if (known) return this.found(known.value, known.file, known.pointer)
    const declared = file === this.documents.main.file && this.byName(reference)
    if (declared) return declared
    const hash = reference.indexOf('#')
    const name = hash === -1 ? reference : reference.slice(0, hash)
    const fragment = hash === -1 ? '' : reference.slice(hash + 1)
    const where = name === '' ? file : resolveName(file, name)
    const document = this.documents.get(where)
    if (!document) {
      const remote = isRemote(where)
      return {
        found: false,
        remote,
        why: remote
          ? `"${reference}" leads to another host, which was not asked`
          : `"${reference}" leads to ${where}, which is not among the files`,
      }
    }
    if (!document.reading.readable) {
      return {
        found: false,
        remote: false,
        why: `"${reference}" leads to ${where}, which cannot be read`,
      }
    }
    if (document.reading.syntax === 'xml') {
      return {
        found: false,
        remote: false,
        why: `"${reference}" leads to an XML file, which holds no such part`,
      }
    }
    const { value } = document.reading
    if (fragment === '') return this.found(value, where, '')
    if (!fragment.startsWith('/')) {
      return {
        found: false,
        remote: false,
        why: `"${reference}" leads nowhere: no part has that anchor`,
      }
    }
    return this.below(value, where, fragment, reference)
  }

  /** What most references lead to: a schema that the document declares under a name that needs no escapes. */
  private byName(reference: string): Target | undefined {
    const { container, declared } = this
    if (!reference.startsWith(`#${container}/`)) return undefined
    const name = reference.slice(container.length + 2)
    if (!/^[\w.-]+$/.test(name) || !Object.hasOwn(declared, name)) return undefined
    const pointer = reference.slice(1)
    this.names.set(pointer, name)
    return {
      found: true,
      value: declared[name],
      file: this.documents.main.file,
      pointer,
      at: pointer,
    }
  }

  private below(root: unknown, file: string, fragment: string, reference: string): Target {
    let pointer = fragment
    try {
      pointer = decodeURIComponent(fragment)
    } catch {
      // A fragment that is not percent-encoded is taken as it is.
    }
    let at: { value: unknown; file: string; pointer: Pointer } = { value: root, file, pointer: '' }
    for (const segment of segmentsOf(pointer)) {
      const next = this.step(at, segment)
      if (!next) {
        const place = file === this.documents.main.file ? 'this file' : file
        return {
          found: false,
          remote: false,
          why: `"${reference}" leads nowhere: ${place} has no such place`,
        }
      }
      at = next
    }
    return this.found(at.value, at.file, at.pointer)
  }

  /** One step down; a reference in the middle of a way is followed. */
  private step(at: { value: unknown; file: string; pointer: Pointer }, segment: string) {
    for (let hops = 0; hops < 20; hops++) {
      const { value, file, pointer } = at
      if (typeof value !== 'object' || value === null) return undefined
      if (Object.hasOwn(value, segment)) {
        const next = (value as Record<string, unknown>)[segment]
        return { value: next, file, pointer: pointerTo(pointer, segment) }
      }
      const reference = (value as Record<string, unknown>)['$ref']
      if (typeof reference !== 'string') return undefined
      const target = this.resolve(reference, file)
      if (!target.found) return undefined
      at = target
    }
    return undefined
  }

  private found(value: unknown, file: string, pointer: Pointer): Target {
    return { found: true, value, file, pointer, at: this.documents.place(file, pointer) }
  }

  /** Follows a value's references to where it is written; circles and missing targets give undefined. */
  follow(value: unknown, at: Place): { value: unknown; at: Place } | undefined {
    if (!isReference(value)) return { value, at }
    const seen = new Set<unknown>()
    let current: { value: unknown; at: Place; file?: string } = { value, at }
    while (isReference(current.value)) {
      if (seen.has(current.value)) return undefined
      seen.add(current.value)
      const file = current.file ?? partsOf(current.at).file ?? this.documents.main.file
      const target = this.resolve(current.value.$ref, file)
      if (!target.found) return undefined
      current = target
    }
    return current
  }

  /** The contract's own reference to the schema at a target, which gets a name where it has none. */
  schemaAt(target: Extract<Target, { found: true }>): string {
    let name = this.names.get(target.at)
    if (name === undefined) {
      name = this.declaredName(target) ?? this.newName(target)
      this.names.set(target.at, name)
    }
    return schemaReference(name)
  }

  private declaredName({ file, pointer }: { file: string; pointer: Pointer }): string | undefined {
    if (file !== this.documents.main.file || !pointer.startsWith(`${this.container}/`))
      return undefined
    const rest = pointer.slice(this.container.length + 1)
    return rest.includes('/') ? undefined : segmentsOf(`/${rest}`)[0]
  }

  private newName(target: Extract<Target, { found: true }>): string {
    const file = target.file.split(/[/?]/).findLast((part) => part !== '') ?? 'Schema'
    const base =
      segmentsOf(target.pointer).findLast(
        (segment) =>
          !/^(\d+|schema|items|properties|allOf|anyOf|oneOf|definitions|\$defs)$/.test(segment),
      ) ?? file.replace(/\.\w+$/, '')
    const clean = base.replace(/[^A-Za-z0-9._-]+/g, '_').replace(/^_+|_+$/g, '') || 'Schema'
    const name = freeName(clean, (candidate) => this.taken.has(candidate))
    this.taken.add(name)
    const schema = isSchema(target.value) ? target.value : {}
    this.undeclared.push({ name, schema, at: target.at, declared: false })
    return name
  }

  /** Registers the identifiers of a file's schemas (JSON Schema 2020-12, sections 8.2.1 and 8.2.2). */
  private identify(file: string): void {
    const document = this.documents.get(file)
    if (!document?.reading.readable || document.reading.syntax === 'xml') return
    const stack: { value: unknown; pointer: Pointer; base: string }[] = [
      { value: document.reading.value, pointer: '', base: '' },
    ]
    while (stack.length > 0) {
      const { value, pointer, base } = stack.pop()!
      if (typeof value !== 'object' || value === null) continue
      let here = base
      if (isObject(value)) {
        const id = value['$id']
        if (typeof id === 'string') {
          here = absolute(id, base)
          this.identified.set(here.replace(/#$/, ''), { file, pointer, value })
        }
        for (const keyword of ['$anchor', '$dynamicAnchor']) {
          const anchor = value[keyword]
          if (typeof anchor === 'string')
            this.identified.set(`${here}#${anchor}`, { file, pointer, value })
        }
      }
      for (const [key, child] of Object.entries(value)) {
        if (key === 'example' || key === 'examples' || key === 'default') continue
        stack.push({ value: child, pointer: pointerTo(pointer, key), base: here })
      }
    }
  }

  private byIdentifier(reference: string, base: string) {
    const whole = absolute(reference, base)
    const exact = this.identified.get(whole.replace(/#$/, ''))
    if (exact) return exact
    const hash = whole.indexOf('#/')
    const resource = hash === -1 ? undefined : this.identified.get(whole.slice(0, hash))
    if (!resource) return undefined
    const target = this.below(resource.value, resource.file, whole.slice(hash + 1), reference)
    if (!target.found) return undefined
    return { file: target.file, pointer: resource.pointer + target.pointer, value: target.value }
  }
}

/** Whether a text may hold `$id`, `$anchor` or `$dynamicAnchor`; dollars are few, so that it is gone through fast. */
function mayIdentify(text: string): boolean {
  for (let at = text.indexOf('$'); at !== -1; at = text.indexOf('$', at + 1)) {
    if (['id', 'anchor', 'dynamicAnchor'].some((word) => text.startsWith(word, at + 1))) return true
  }
  return false
}

/** A reference against a base that may itself be relative. */
export function absolute(reference: string, base: string): string {
  if (/^[a-z][a-z0-9+.-]*:/i.test(reference)) return reference
  if (base === '') return reference
  const url = URL.parse(reference, base)
  return url
    ? url.href
    : base.replace(/#.*$/, '') + (reference.startsWith('#') ? reference : `/${reference}`)
}
