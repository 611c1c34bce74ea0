/** Loads something for a screen and keeps it fresh; an error stays beside what was there. */
export function useLoad<T>(load: () => Promise<T>, topics?: string[]) {
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

  void reload()
  useChanges(reload, topics)
  return { data, refusal, busy, reload }
}
