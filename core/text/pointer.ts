/** A JSON Pointer (RFC 6901); the empty string is the whole document. */
export type Pointer = string

const escapeSegment = (segment: string) =>
  segment.includes('~')
    ? segment.replaceAll('~', '~0').replaceAll('/', '~1')
    : segment.includes('/')
      ? segment.replaceAll('/', '~1')
      : segment

/** Appends unescaped segments to a pointer. */
export function pointerTo(base: Pointer, ...segments: (string | number)[]): Pointer {
  let pointer = base
  for (const segment of segments) {
    pointer += `/${typeof segment === 'number' ? segment : escapeSegment(segment)}`
  }
  return pointer
}

/** Appends one unescaped segment; the quick form of {@link pointerTo} for long loops. */
export const pointerStep = (base: Pointer, segment: string): Pointer =>
  `${base}/${escapeSegment(segment)}`

/** A segment as it was before it was escaped. */
export const unescapeSegment = (segment: string) =>
  segment.includes('~') ? segment.replaceAll('~1', '/').replaceAll('~0', '~') : segment

/** Splits a pointer into its unescaped segments. */
export function segmentsOf(pointer: Pointer): string[] {
  if (pointer === '') return []
  return pointer.slice(1).split('/').map(unescapeSegment)
}

/** The value a pointer names, or `undefined` where the document has no such place. */
export function valueAt(document: unknown, pointer: Pointer): unknown {
  let value = document
  for (const segment of segmentsOf(pointer)) {
    if (typeof value !== 'object' || value === null || !Object.hasOwn(value, segment)) {
      return undefined
    }
    value = (value as Record<string, unknown>)[segment]
  }
  return value
}

/** Pointers as a tree, so that one pass over a text can find many places. */
export interface PointerTree {
  wanted: Pointer[]
  children: Map<string, PointerTree>
}

/** Builds the tree of a set of pointers. */
export function pointerTree(pointers: Iterable<Pointer>): PointerTree {
  const root: PointerTree = { wanted: [], children: new Map() }
  for (const pointer of new Set(pointers)) {
    let node = root
    for (const segment of segmentsOf(pointer)) {
      let child = node.children.get(segment)
      if (!child) node.children.set(segment, (child = { wanted: [], children: new Map() }))
      node = child
    }
    node.wanted.push(pointer)
  }
  return root
}

/** Gives every pointer at or below `tree` the offset of the nearest place that exists. */
export function assignOffset(
  tree: PointerTree,
  offset: number,
  found: Map<Pointer, number>,
  only?: Set<PointerTree>,
): void {
  for (const pointer of tree.wanted) if (!found.has(pointer)) found.set(pointer, offset)
  for (const child of tree.children.values()) {
    if (!only?.has(child)) assignOffset(child, offset, found)
  }
}
