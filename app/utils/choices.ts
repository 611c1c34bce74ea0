/** One of the values that a filter or a field may have, as it is shown. */
export interface Choice {
  value: string
  label: string
}

/** Values that are shown as they are, each once. */
export const choicesOf = (values: Iterable<string>): Choice[] =>
  Array.from(new Set(values), (value) => ({ value, label: value }))

/** The values that things have, shown by names of theirs; each once. */
export const choicesIn = <T>(
  things: readonly T[],
  valueOf: (thing: T) => string,
  labelOf: (thing: T) => string,
): Choice[] => [
  ...new Map(
    things.map((thing) => [valueOf(thing), { value: valueOf(thing), label: labelOf(thing) }]),
  ).values(),
]
