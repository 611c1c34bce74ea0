import { tryOnScopeDispose, useDebounceFn } from '@vueuse/core'

let source: EventSource | undefined
const listeners = new Set<(topic: string) => void>()

/** Calls back, while the component lives, whenever the server announces a change; bursts are answered once. */
export function useChanges(look: (topic: string) => unknown, topics?: string[]) {
  let isOver = false
  const soon = useDebounceFn((topic: string) => {
    if (!isOver) void look(topic)
  }, 120)
  const listener = (topic: string) => {
    if (!topics || topic === 'reconnected' || topics.includes(topic)) void soon(topic)
  }
  listeners.add(listener)
  if (!source) {
    source = new EventSource('/api/v1/events')
    source.onmessage = ({ data }) => listeners.forEach((call) => call(String(data)))
  }
  tryOnScopeDispose(() => {
    isOver = true
    listeners.delete(listener)
    if (listeners.size > 0) return
    source?.close()
    source = undefined
  })
}
