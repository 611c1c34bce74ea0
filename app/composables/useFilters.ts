import { watchDebounced } from '@vueuse/core'

/** Filters kept in the address bar; an empty one is left out of it. */
export function useFilters<K extends string>(names: readonly K[]) {
  const route = useRoute()
  const router = useRouter()
  const filters = computed(() => recordOf(names, (name) => String(route.query[name] ?? '')))

  function set(changes: Partial<Record<K, string>>) {
    // Who has gone on to another page meanwhile has an address there that is none of this one's.
    if (router.currentRoute.value.path !== route.path) return Promise.resolve()
    const query = { ...route.query, ...changes }
    for (const [name, value] of Object.entries(query)) if (!value) delete query[name]
    return router.replace({ query })
  }

  /** Sets a filter, or clears it where it has this value already. */
  const toggle = (name: K, value: string) =>
    set(entry(name, filters.value[name] === value ? '' : value))
  const clear = () => set(recordOf(names, () => ''))
  const any = computed(() => names.some((name) => filters.value[name] !== ''))

  /** A filter for typing into: what is typed stands at once, and reaches the address a moment later. */
  function typed(name: K) {
    const text = ref(filters.value[name])
    watchDebounced(text, (value) => void set(entry(name, value)), {
      debounce: 150,
    })
    watch(
      () => filters.value[name],
      (value, before) => {
        if (text.value === before || value === '') text.value = value
      },
    )
    return text
  }

  return { filters, set, toggle, clear, any, typed }
}
