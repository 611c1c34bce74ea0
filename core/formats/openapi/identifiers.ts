import type { Documents } from '../../text/documents'
import { resolveName } from '../../text/location'
import { pointerTo, type Pointer } from '../../text/pointer'
import { isObject } from '../../text/values'

/** A part of a file that an identifier leads to. */
export interface Identified {
  file: string
  pointer: Pointer
  value: unknown
}

/** A part of a file whose references are resolved against an identifier of its own. */
interface Resource {
  pointer: Pointer
  base: string
}

const none: readonly Resource[] = []

/**
 * Where `$id`, `$anchor` and `$dynamicAnchor` of schemas (JSON Schema 2020-12, section 8.2) and `$self` of documents
 * (OpenAPI 3.2, section 4.1.1) are. Without an identifier, the main file's base is empty and another file's is its name.
 */
export class Identifiers {
  private readonly byAddress = new Map<string, Identified>()
  /** The resources in each file that has been noted, outer ones first. */
  private readonly resources = new Map<string, readonly Resource[]>()

  constructor(private readonly documents: Documents) {}

  /** Takes in what a file identifies, once. */
  note(file: string): void {
    if (this.resources.has(file)) return
    this.resources.set(file, none)
    const document = this.documents.get(file)
    if (!document?.reading.readable || document.reading.syntax === 'xml') return
    if (mayIdentify(document.text)) this.collect(file, document.reading.value)
  }

  private collect(file: string, root: unknown): void {
    const resources: Resource[] = []
    this.resources.set(file, resources)
    const queue: { value: unknown; pointer: Pointer; base: string }[] = [
      { value: root, pointer: '', base: this.homeOf(file) },
    ]
    // It grows while it is gone through: outer resources come first.
    for (const { value, pointer, base } of queue) {
      if (typeof value !== 'object' || value === null) continue
      let here = base
      if (isObject(value)) {
        const id = value[pointer === '' && 'openapi' in value ? '$self' : '$id']
        if (typeof id === 'string') {
          here = absolute(id, base).replace(/#$/, '')
          resources.push({ pointer, base: here })
          this.byAddress.set(here, { file, pointer, value })
        }
        for (const keyword of ['$anchor', '$dynamicAnchor']) {
          const anchor = value[keyword]
          if (typeof anchor === 'string')
            this.byAddress.set(`${here}#${anchor}`, { file, pointer, value })
        }
      }
      for (const [key, child] of Object.entries(value)) {
        if (key === 'example' || key === 'examples' || key === 'default') continue
        queue.push({ value: child, pointer: pointerTo(pointer, key), base: here })
      }
    }
  }

  private homeOf(file: string): string {
    return file === this.documents.main.file ? '' : file
  }

  /** What the references written at a place of a file are resolved against. */
  baseOf(file: string, pointer: Pointer): string {
    const around = this.resources
      .get(file)
      ?.findLast(
        (resource) => pointer === resource.pointer || pointer.startsWith(`${resource.pointer}/`),
      )
    return around ? around.base : this.homeOf(file)
  }

  /** What an identifier or an anchor leads to; a pointer below an identifier comes back as the `rest` of it. */
  find(reference: string, base: string): (Identified & { rest: string }) | undefined {
    if (this.byAddress.size === 0) return undefined
    const whole = absolute(reference, base)
    const exact = this.byAddress.get(whole.replace(/#$/, ''))
    if (exact) return { ...exact, rest: '' }
    const hash = whole.indexOf('#/')
    const resource = hash === -1 ? undefined : this.byAddress.get(whole.slice(0, hash))
    return resource && { ...resource, rest: whole.slice(hash + 1) }
  }
}

/** Whether a text may identify anything; dollars are few, so that it is gone through fast. */
function mayIdentify(text: string): boolean {
  for (let at = text.indexOf('$'); at !== -1; at = text.indexOf('$', at + 1)) {
    if (['id', 'anchor', 'dynamicAnchor', 'self'].some((word) => text.startsWith(word, at + 1)))
      return true
  }
  return false
}

/** A reference against a base that may itself be relative: an address, or the name of a file. */
export function absolute(reference: string, base: string): string {
  if (base === '' || /^[a-z][a-z0-9+.-]*:/i.test(reference)) return reference
  const [name = '', ...fragment] = reference.split('#')
  const behind = fragment.map((part) => `#${part}`).join('')
  const home = base.replace(/#.*$/, '')
  if (name === '') return home + behind
  const url = URL.parse(name, home)
  return (url ? url.href : resolveName(home, name)) + behind
}
