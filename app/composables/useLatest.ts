/** Acts of which only the latest one counts: an older one that answers late is not heard. */
export function useLatest() {
  const refusal = ref<Refusal>()
  let latest = 0
  async function act<T>(work: () => Promise<T>, heard: (value: T) => unknown): Promise<void> {
    const own = ++latest
    refusal.value = undefined
    try {
      const value = await work()
      if (own === latest) await heard(value)
    } catch (error) {
      if (own === latest) refusal.value = asRefusal(error)
    }
  }
  return { refusal, act }
}
