interface Page<T> {
  items: T[]
  nextCursor?: string
}

/** What is asked of a list: where a page begins, and how much is in it. */
interface Asked {
  cursor?: string
  limit: number
}

/** The server gives out no more at once. */
const most = 1000

/**
 * A list that comes in pages: `load` begins anew, `more` goes on, and `refresh` asks again for as much as is shown. Only the
 * latest question is heard.
 */
export function usePages<P extends Page<unknown>>(size: number, ask: (asked: Asked) => Promise<P>) {
  const page = shallowRef<P>()
  const items = shallowRef<P['items']>([])
  const { refusal, act } = useLatest()
  const begin = (limit: number) =>
    act(
      () => ask({ limit }),
      (found) => {
        items.value = found.items
        page.value = found
      },
    )
  const more = () => {
    const cursor = page.value?.nextCursor
    if (cursor === undefined) return Promise.resolve()
    return act(
      () => ask({ cursor, limit: size }),
      (found) => {
        items.value = [...items.value, ...found.items]
        page.value = found
      },
    )
  }
  return {
    page,
    items,
    refusal,
    load: () => begin(size),
    refresh: () => begin(Math.min(most, Math.max(size, items.value.length))),
    more,
  }
}
