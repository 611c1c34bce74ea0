interface Keys {
  /** How many rows there are. */
  rows: () => number
  selected: Ref<number>
  open: () => void
}

const isTyping = (target: EventTarget | null) =>
  target instanceof HTMLElement &&
  (target.isContentEditable || ['INPUT', 'TEXTAREA', 'SELECT'].includes(target.tagName))

/** Keyboard rows: `j` and `k` move, `Enter` opens, `m` goes to the margin. */
export function useKeys({ rows, selected, open }: Keys) {
  const onKey = (event: KeyboardEvent) => {
    if (isTyping(event.target) || event.ctrlKey || event.metaKey || event.altKey) return
    const step = { j: 1, ArrowDown: 1, k: -1, ArrowUp: -1 }[event.key]
    if (step !== undefined && rows() > 0) {
      selected.value = Math.max(0, Math.min(rows() - 1, selected.value + step))
      event.preventDefault()
    } else if (event.key === 'Enter' && event.target === document.body) open()
    else if (event.key === 'm') document.getElementById('margin')?.focus()
  }
  onMounted(() => window.addEventListener('keydown', onKey))
  onUnmounted(() => window.removeEventListener('keydown', onKey))
}
