import { tryOnScopeDispose } from '@vueuse/core'
import { del, get, set } from 'idb-keyval'

/**
 * What somebody writes and has not sent yet, kept in this browser: `keepSoon` keeps it a moment later, once for all that
 * came in between, and at the latest when the component goes.
 */
export function useLocalDraft<T>(key: () => string, delay = 300) {
  let waiting: { timer: ReturnType<typeof setTimeout>; work: () => Promise<void> } | undefined

  function stop() {
    if (waiting) clearTimeout(waiting.timer)
    waiting = undefined
  }
  /** Keeps what `value` gives then; where that is undefined, what was kept is forgotten. */
  async function keep(value: () => T | undefined): Promise<void> {
    stop()
    const now = value()
    await (now === undefined ? del(key()) : set(key(), now))
  }
  function keepSoon(value: () => T | undefined) {
    stop()
    const work = () => keep(value)
    waiting = { work, timer: setTimeout(() => void work(), delay) }
  }
  async function forget(): Promise<void> {
    stop()
    await del(key())
  }
  tryOnScopeDispose(() => void waiting?.work())
  return { kept: () => get<T>(key()), keep, keepSoon, forget }
}
