import type { ComparisonChange, ComparisonItem } from '~~/shared/api/comparisons'

interface Wanted {
  /** Begins it, or reads one that there is; undefined where there is nothing to compare. */
  begin: (() => Promise<ComparisonItem>) | undefined
  /** Changes with another key are other changes. */
  filters: { effect: string; operation: string; client: string; q: string }
}

const mostAtOnce = 200

/** A comparison with as many of its changes as were asked for; it is read until it is done. */
export function useComparison(wanted: () => Wanted) {
  const item = shallowRef<ComparisonItem>()
  const changes = shallowRef<ComparisonChange[]>([])
  const cursor = ref<string>()
  const loaded = ref(false)
  // What is asked of the old comparison does not keep a new one from being begun.
  const beginning = useLatest()
  const looking = useLatest()
  const listing = useLatest()

  const begin = () =>
    beginning.act(
      () => wanted().begin?.() ?? Promise.resolve(undefined),
      async (found) => {
        item.value = found
        await list()
      },
    )
  const look = () => {
    const { comparison, state } = item.value ?? {}
    if (comparison === undefined || state === 'done' || state === 'failed') return
    void looking.act(
      () => api.getComparison({ comparison }),
      async (found) => {
        if (item.value?.comparison !== comparison) return
        item.value = found
        if (found.state === 'done') await list()
      },
    )
  }
  const isGoing = computed(() => ['waiting', 'running'].includes(item.value?.state ?? ''))
  useChanges(look, ['comparison'])
  useRepeating(() => isGoing.value, look)

  async function list() {
    changes.value = []
    cursor.value = undefined
    loaded.value = false
    await more()
  }

  async function more() {
    const { comparison, state } = item.value ?? {}
    if (comparison === undefined || state !== 'done') return
    const given = Object.entries(wanted().filters).filter(([, value]) => value !== '')
    const query = { ...Object.fromEntries(given), limit: mostAtOnce }
    const at = cursor.value
    await listing.act(
      () => api.listComparisonChanges({ comparison, ...query, ...(at && { cursor: at }) }),
      (page) => {
        if (item.value?.comparison !== comparison) return
        changes.value = at ? [...changes.value, ...page.items] : page.items
        cursor.value = page.nextCursor
        loaded.value = true
      },
    )
  }

  return {
    item,
    changes,
    loaded,
    hasMore: computed(() => cursor.value !== undefined),
    refusal: computed(
      () => beginning.refusal.value ?? looking.refusal.value ?? listing.refusal.value,
    ),
    begin,
    list,
    more,
  }
}
