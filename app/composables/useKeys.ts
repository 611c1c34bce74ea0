import { useEventListener } from '@vueuse/core'

interface Keys {
  /** How many rows there are. */
  rows: () => number
  selected: Ref<number>
  open: () => void
}

/** Whether what is typed goes into a field. */
export const isTyping = (target: EventTarget | null) =>
  target instanceof HTMLElement &&
  (target.isContentEditable || ['INPUT', 'TEXTAREA', 'SELECT'].includes(target.tagName))

/** Whether a key is one of the page's own, and nothing that is being written. */
export const isPlainKey = (event: KeyboardEvent) =>
  !isTyping(event.target) && !event.ctrlKey && !event.metaKey && !event.altKey

/** Keyboard rows: `j` and `k` move, `Enter` opens. */
export function useKeys({ rows, selected, open }: Keys) {
  const onKey = (event: KeyboardEvent) => {
    if (!isPlainKey(event)) return
    const step = { j: 1, ArrowDown: 1, k: -1, ArrowUp: -1 }[event.key]
    if (step !== undefined && rows() > 0) {
      selected.value = Math.max(0, Math.min(rows() - 1, selected.value + step))
      event.preventDefault()
    } else if (event.key === 'Enter' && event.target === document.body) open()
  }
  useEventListener(window, 'keydown', onKey)
}
