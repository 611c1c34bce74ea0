import { segmentsOf, valueAt, type Pointer } from '../text/pointer'

/** The pointer a same-document reference names (RFC 6901 fragment), or undefined for any other reference. */
export function localPointer(reference: string): Pointer | undefined {
  if (reference === '#') return ''
  if (!reference.startsWith('#/')) return undefined
  try {
    return decodeURIComponent(reference.slice(1))
  } catch {
    return undefined
  }
}

const referenceOf = (value: unknown): string | undefined => {
  if (typeof value !== 'object' || value === null) return undefined
  const reference = (value as Record<string, unknown>)['$ref']
  return typeof reference === 'string' ? reference : undefined
}

/** Follows references from a value to where it is written; circles and missing targets give undefined. */
export function follow(
  document: unknown,
  value: unknown,
  at: Pointer,
): { value: unknown; at: Pointer } | undefined {
  const seen = new Set<string>()
  let current = { value, at }
  for (;;) {
    const reference = referenceOf(current.value)
    if (reference === undefined) return current
    const target = localPointer(reference)
    if (target === undefined || seen.has(target)) return undefined
    seen.add(target)
    const next = valueAt(document, target)
    if (next === undefined) return undefined
    current = { value: next, at: target }
  }
}

/** The last segment of a reference: the name it is known by. */
export function referenceName(reference: string): string {
  const pointer = localPointer(reference)
  return (pointer === undefined ? undefined : segmentsOf(pointer).at(-1)) ?? reference
}

/** Keys whose values are data, not definition: a `$ref` inside them is only text. */
const dataKeys = new Set(['example', 'default', 'const', 'enum', 'value'])

/**
 * Every reference of a document, grouped by target, found without recursion. `at` lists the pointers of the `$ref`s.
 */
export function referencesOf(document: unknown): Map<string, Pointer[]> {
  const found = new Map<string, Pointer[]>()
  const visited = new Set<object>()
  const stack: { value: object; at: Pointer; names: boolean }[] = []
  if (typeof document === 'object' && document !== null) {
    stack.push({ value: document, at: '', names: false })
  }
  while (stack.length > 0) {
    const { value, at, names } = stack.pop()!
    if (visited.has(value)) continue
    visited.add(value)
    for (const [key, child] of Object.entries(value as Record<string, unknown>)) {
      const here = `${at}/${key.replaceAll('~', '~0').replaceAll('/', '~1')}`
      if (key === '$ref' && typeof child === 'string' && !names) {
        const places = found.get(child)
        if (places) places.push(here)
        else found.set(child, [here])
      } else if (typeof child === 'object' && child !== null) {
        if (!names && (dataKeys.has(key) || key.startsWith('x-'))) continue
        stack.push({ value: child, at: here, names: !names && key === 'properties' })
      }
    }
  }
  return found
}
