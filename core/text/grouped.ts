/** Things by what they have in common, in the order in which they came. */
export function grouped<T, K>(things: Iterable<T>, keyOf: (thing: T) => K): Map<K, T[]> {
  const groups = new Map<K, T[]>()
  for (const thing of things) {
    const key = keyOf(thing)
    const known = groups.get(key)
    if (known) known.push(thing)
    else groups.set(key, [thing])
  }
  return groups
}
