/** Runs one act at a time and keeps what the server said against it. */
export function useAct() {
  const busy = ref(false)
  const refusal = ref<Refusal>()

  async function act<T>(work: () => Promise<T>): Promise<T | undefined> {
    if (busy.value) return undefined
    busy.value = true
    refusal.value = undefined
    try {
      return await work()
    } catch (error) {
      refusal.value = asRefusal(error)
      return undefined
    } finally {
      busy.value = false
    }
  }

  return { busy, refusal, act }
}
