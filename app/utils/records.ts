/** One member by a name that is known when it runs; the type checker loses computed names otherwise. */
export const entry = <K extends string, V>(name: K, value: V): Partial<Record<K, V>> =>
  recordOf<K, V>([name], () => value)

/** A record with each of the names. */
export function recordOf<K extends string, V>(
  names: readonly K[],
  value: (name: K) => V,
): Record<K, V> {
  const entries = names.map((name) => [name, value(name)] as const)
  return Object.fromEntries(entries) as Record<K, V>
}
