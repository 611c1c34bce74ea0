interface Naming<T> {
  key: (row: T) => string
  /** The key that the address names; empty where it names none. */
  wanted: () => string
}

/** The selected row of a list: by keyboard, by click, or the one the address names; it stays in range as the list changes. */
export function useRows<T>(
  rows: () => T[],
  { open = () => undefined, naming }: { open?: (row: T) => unknown; naming?: Naming<T> },
) {
  const selected = ref(0)
  let honoured = ''
  watch(
    [rows, () => naming?.wanted() ?? ''] as const,
    ([list, name]) => {
      // A name is followed once; after that the keyboard may lead elsewhere.
      const index = name === honoured ? -1 : list.findIndex((row) => naming?.key(row) === name)
      if (index !== -1) {
        honoured = name
        selected.value = index
      } else selected.value = Math.min(selected.value, Math.max(0, list.length - 1))
    },
    { immediate: true },
  )
  const current = computed<T | undefined>(() => rows()[selected.value])
  useKeys({
    rows: () => rows().length,
    selected,
    open: () => current.value !== undefined && open(current.value),
  })
  return { selected, current }
}
