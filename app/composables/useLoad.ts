/**
 * Loads something for a screen and keeps it fresh; an error stays beside what was there. With `of` it is loaded again as
 * soon as that is another one.
 */
export function useLoad<T>(load: () => Promise<T>, topics?: string[], of?: () => unknown) {
  const data = shallowRef<T>()
  const refusal = ref<Refusal>()
  const busy = ref(false)

  async function reload() {
    busy.value = true
    try {
      data.value = await load()
      refusal.value = undefined
    } catch (error) {
      refusal.value = asRefusal(error)
    } finally {
      busy.value = false
    }
  }

  if (of) watch(of, reload)
  void reload()
  useChanges(reload, topics)
  return { data, refusal, busy, reload }
}
