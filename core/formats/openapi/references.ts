import { isSchema, schemaReference } from '../../contract/schemas'
import type { NamedSchema } from '../../contract/model'
import type { Documents } from '../../text/documents'
import { freeName } from '../../text/names'
import { partsOf, isRemote, resolveName, type Location } from '../../text/location'
import { pointerTo, segmentsOf, type Pointer } from '../../text/pointer'
import { isObject, type Node } from '../../text/values'
import { Identifiers, type Identified } from './identifiers'

/** Whether a value is an object that stands for another one elsewhere. */
export const isReference = (value: unknown): value is Node & { $ref: string } =>
  isObject(value) && typeof value['$ref'] === 'string'

/** What a reference leads to. */
export interface FoundTarget extends Identified {
  found: true
  at: Location
}

/** What a reference leads to, or why it leads nowhere. */
export type Target = FoundTarget | { found: false; why: string; remote: boolean }

/**
 * References of an OpenAPI document over all its files (RFC 3986, RFC 6901, JSON Schema 2020-12 section 8): resolves
 * each once, and gives every schema that something refers to a name in the contract.
 */
export class References {
  /** Targets by reference, for each file and base. */
  private readonly resolved = new Map<string, Map<string, Target>>()
  private readonly names = new Map<Location, string>()
  private readonly taken: Set<string>
  /** Schemas that have a name only because something refers to them. */
  readonly undeclared: NamedSchema[] = []
  private readonly identifiers: Identifiers

  constructor(
    private readonly documents: Documents,
    /** The pointer below which the document declares schemas by name. */
    private readonly container: Pointer,
    private readonly declared: Record<string, unknown>,
  ) {
    this.taken = new Set(Object.keys(declared))
    this.identifiers = new Identifiers(documents)
    this.identifiers.note(documents.main.file)
  }

  /** What references at a place are resolved against; see {@link Identifiers}. */
  baseOf(file: string, pointer: Pointer): string {
    return this.identifiers.baseOf(file, pointer)
  }

  /** Where a reference written in `file` leads, against the base of the place. */
  resolve(reference: string, file: string, base = this.baseOf(file, '')): Target {
    const from = base === '' ? file : `${base}\n${file}`
    let targets = this.resolved.get(from)
    if (!targets) this.resolved.set(from, (targets = new Map<string, Target>()))
    const known = targets.get(reference)
    if (known) return known
    // The way to a target may lead through the reference itself.
    targets.set(reference, {
      found: false,
      remote: false,
      why: `"${reference}" goes in a circle and never reaches a definition`,
    })
    const target = this.find(reference, file, base)
    targets.set(reference, target)
    return target
  }

  private find(reference: string, file: string, base: string): Target {
    const known = this.identified(reference, base)
    if (known) return known
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
    this.identifiers.note(where)
    if (fragment === '') return this.found(value, where, '')
    if (!fragment.startsWith('/')) {
      const anchored = this.identified(`#${fragment}`, this.baseOf(where, ''))
      if (anchored) return anchored
      return {
        found: false,
        remote: false,
        why: `"${reference}" leads nowhere: no part has that anchor`,
      }
    }
    return this.below({ value, file: where, pointer: '' }, fragment, reference)
  }

  /** The part that an identifier or an anchor names, or a place below it. */
  private identified(reference: string, base: string): Target | undefined {
    const known = this.identifiers.find(reference, base)
    if (!known) return undefined
    const { value, file, pointer, rest } = known
    if (rest === '') return this.found(value, file, pointer)
    const target = this.below({ value, file, pointer }, rest, reference)
    return target.found ? target : undefined
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

  private below(root: Identified, fragment: string, reference: string): Target {
    let pointer = fragment
    try {
      pointer = decodeURIComponent(fragment)
    } catch {
      // A fragment that is not percent-encoded is taken as it is.
    }
    let at = root
    for (const segment of segmentsOf(pointer)) {
      const next = this.step(at, segment)
      if (!next) {
        const place = root.file === this.documents.main.file ? 'this file' : root.file
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
  private step(at: Identified, segment: string): Identified | undefined {
    for (let hops = 0; hops < 20; hops++) {
      const { value, file, pointer } = at
      if (typeof value !== 'object' || value === null) return undefined
      if (Object.hasOwn(value, segment)) {
        const next = (value as Record<string, unknown>)[segment]
        return { value: next, file, pointer: pointerTo(pointer, segment) }
      }
      const reference = (value as Record<string, unknown>)['$ref']
      if (typeof reference !== 'string') return undefined
      const target = this.resolve(reference, file, this.baseOf(file, pointer))
      if (!target.found) return undefined
      at = target
    }
    return undefined
  }

  private found(value: unknown, file: string, pointer: Pointer): Target {
    return { found: true, value, file, pointer, at: this.documents.place(file, pointer) }
  }

  /** Follows a value's references to where it is written; circles and missing targets give undefined. */
  follow(value: unknown, at: Location): { value: unknown; at: Location } | undefined {
    if (!isReference(value)) return { value, at }
    const seen = new Set<unknown>()
    let current: { value: unknown; at: Location } = { value, at }
    while (isReference(current.value)) {
      if (seen.has(current.value)) return undefined
      seen.add(current.value)
      const { file = this.documents.main.file, pointer } = partsOf(current.at)
      const target = this.resolve(current.value.$ref, file, this.baseOf(file, pointer))
      if (!target.found) return undefined
      current = target
    }
    return current
  }

  /** The contract's own reference to the schema at a target, which gets a name where it has none. */
  schemaAt(target: FoundTarget): string {
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

  private newName(target: FoundTarget): string {
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
}
