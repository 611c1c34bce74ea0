interface Naming<T> {
  key: (row: T) => string
  /** The key that the address names; empty where it names none. Where no address does, the row that was selected stays so. */
  wanted?: () => string
}

/** The selected row of a list: by keyboard, by click, or the one the address names; it stays in range as the list changes. */
export function useRows<T>(
  rows: () => T[],
  { open = () => undefined, naming }: { open?: (row: T) => unknown; naming?: Naming<T> },
) {
  const selected = ref(0)
  let honoured = ''
  let held = ''
  watch(
    [rows, () => naming?.wanted?.() ?? ''] as const,
    ([list, name]) => {
      const at = (key: string) => list.findIndex((row) => naming?.key(row) === key)
      // A name is followed once; after that the keyboard may lead elsewhere.
      const asked = name === honoured ? -1 : at(name)
      if (asked !== -1) {
        honoured = name
        selected.value = asked
        return
      }
      // A list that is kept fresh must not put another row under somebody's hand.
      const still = naming && !naming.wanted && held !== '' ? at(held) : -1
      selected.value = still === -1 ? Math.min(selected.value, Math.max(0, list.length - 1)) : still
    },
    { immediate: true },
  )
  const current = computed<T | undefined>(() => rows()[selected.value])
  watch(
    current,
    (row) => {
      if (row !== undefined && naming) held = naming.key(row)
    },
    { immediate: true },
  )
  useKeys({
    rows: () => rows().length,
    selected,
    open: () => current.value !== undefined && open(current.value),
  })
  return { selected, current }
}
