/**
 * Bounds on what is read from strangers. Sizes in bytes, depth in levels, nodes after aliases are followed, files and
 * bytes of one definition with everything it refers to.
 */
export const limits = {
  bytes: 64 * 1024 * 1024,
  depth: 150,
  nodes: 8_000_000,
  files: 2000,
  allBytes: 128 * 1024 * 1024,
} as const

/** What is said of a file that is larger than is read. */
export const tooLargeSays = (bytes: number): string =>
  `The file has ${(bytes / 1024 / 1024).toFixed(1)} MB; up to ${limits.bytes / 1024 / 1024} MB are read`

export type Measure =
  { fits: true } | { fits: false; why: 'depth' | 'nodes' | 'circle'; at: (string | number)[] }

interface Frame {
  value: object
  keys: string[]
  next: number
  size: number
}

/**
 * Measures a value as if every alias were written out, visiting each shared part once, so that a text whose aliases
 * multiply is refused before anything walks it.
 */
export function measure(root: unknown): Measure {
  if (typeof root !== 'object' || root === null) return { fits: true }
  const sizes = new Map<object, number>()
  const open = new Set<object>()
  const stack: Frame[] = []
  const path = () =>
    stack.map((frame) => frame.keys[frame.next - 1]!).filter((k) => k !== undefined)
  const enter = (value: object) => {
    open.add(value)
    stack.push({ value, keys: Object.keys(value), next: 0, size: 1 })
  }
  enter(root)
  while (stack.length > 0) {
    const frame = stack[stack.length - 1]!
    if (frame.size > limits.nodes) return { fits: false, why: 'nodes', at: path() }
    if (frame.next === frame.keys.length) {
      stack.pop()
      open.delete(frame.value)
      sizes.set(frame.value, frame.size)
      const parent = stack[stack.length - 1]
      if (parent) parent.size += frame.size
      continue
    }
    const child = (frame.value as Record<string, unknown>)[frame.keys[frame.next++]!]
    if (typeof child !== 'object' || child === null) {
      frame.size += 1
      continue
    }
    const known = sizes.get(child)
    if (known !== undefined) frame.size += known
    else if (open.has(child)) return { fits: false, why: 'circle', at: path() }
    else if (stack.length >= limits.depth) return { fits: false, why: 'depth', at: path() }
    else enter(child)
  }
  return { fits: true }
}
