let source: EventSource | undefined
const listeners = new Set<(topic: string) => void>()

/** Calls back, while the component lives, whenever the server announces a change; bursts are answered once. */
export function useChanges(look: (topic: string) => unknown, topics?: string[]) {
  let waiting: ReturnType<typeof setTimeout> | undefined
  const listener = (topic: string) => {
    if (topics && topic !== 'reconnected' && !topics.includes(topic)) return
    clearTimeout(waiting)
    waiting = setTimeout(() => void look(topic), 120)
  }
  onMounted(() => {
    listeners.add(listener)
    if (source) return
    source = new EventSource('/api/v1/events')
    source.onmessage = ({ data }) => listeners.forEach((call) => call(String(data)))
  })
  onUnmounted(() => {
    clearTimeout(waiting)
    listeners.delete(listener)
    if (listeners.size > 0) return
    source?.close()
    source = undefined
  })
}
