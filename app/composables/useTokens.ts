/** The look's tokens as values, for what cannot read them from the style sheet; follows light and dark. */
export function useTokens() {
  const theme = ref('')
  const read = () => (theme.value = document.documentElement.dataset['theme'] ?? '')
  let observer: MutationObserver | undefined
  onMounted(() => {
    read()
    observer = new MutationObserver(read)
    observer.observe(document.documentElement, { attributeFilter: ['data-theme'] })
  })
  onUnmounted(() => observer?.disconnect())
  const token = (name: string) =>
    getComputedStyle(document.documentElement).getPropertyValue(name).trim()
  return { token, theme }
}
