/**
 * Loads something for a screen and keeps it fresh; an error stays beside what was there. With `of` it is loaded again as
 * soon as that is another one. Only the latest load is heard: one that answers late overwrites nothing.
 */
export function useLoad<T>(load: () => Promise<T>, topics?: string[], of?: () => unknown) {
  const data = shallowRef<T>()
  const refusal = ref<Refusal>()
  const busy = ref(false)
  let latest = 0

  async function reload() {
    const own = ++latest
    busy.value = true
    try {
      const loaded = await load()
      if (own !== latest) return
      data.value = loaded
      refusal.value = undefined
    } catch (error) {
      if (own === latest) refusal.value = asRefusal(error)
    } finally {
      if (own === latest) busy.value = false
    }
  }

  if (of) watch(of, reload)
  void reload()
  useChanges(reload, topics)
  return { data, refusal, busy, reload }
}
