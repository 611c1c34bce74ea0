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

/** APIs of the register by their titles. */
export const choicesOfApis = (apis: readonly { api: string; title: string }[] = []): Choice[] =>
  choicesIn(
    apis,
    ({ api }) => api,
    ({ title }) => title,
  )

/** Filters that are reached by links alone: each is shown while it is set, to be taken away again. */
export const setFilters = <K extends string>(
  filters: Readonly<Record<K, string>>,
  names: readonly K[],
) =>
  names
    .filter((name) => filters[name] !== '')
    .map((name) => ({
      name,
      label: name.charAt(0).toUpperCase() + name.slice(1),
      options: choicesOf([filters[name]]),
    }))
