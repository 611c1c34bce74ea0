import { useIntervalFn } from '@vueuse/core'

/** Looks again every second and a half, as long as the component lives and there is something to wait for. */
export function useRepeating(waits: () => unknown, look: () => unknown): void {
  useIntervalFn(() => void (waits() && look()), 1500)
}
