/** Looks again every second and a half, as long as the component lives and there is something to wait for. */
export function useRepeating(waits: () => unknown, look: () => unknown): void {
  let again: ReturnType<typeof setInterval> | undefined
  onMounted(() => (again = setInterval(() => waits() && void look(), 1500)))
  onUnmounted(() => clearInterval(again))
}
