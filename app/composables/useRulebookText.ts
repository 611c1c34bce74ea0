import type { RulebookReply, RulebookRequest } from '~/workers/rulebook'

/** Reads a rulebook's text in a worker while it is being written; only the newest answer counts. */
export function useRulebookText() {
  const answer = shallowRef<Omit<RulebookReply, 'number'>>()
  const reading = ref(false)
  let worker: Worker | undefined
  let waiting: ReturnType<typeof setTimeout> | undefined
  let number = 0

  onMounted(() => {
    worker = new Worker(new URL('../workers/rulebook.ts', import.meta.url), { type: 'module' })
    worker.onmessage = ({ data }: MessageEvent<RulebookReply>) => {
      if (data.number !== number) return
      answer.value = data
      reading.value = false
    }
  })
  onUnmounted(() => {
    clearTimeout(waiting)
    worker?.terminate()
  })

  function read(request: Omit<RulebookRequest, 'number'>, delay = 150) {
    clearTimeout(waiting)
    reading.value = true
    number++
    waiting = setTimeout(
      () => worker?.postMessage({ number, ...request } satisfies RulebookRequest),
      delay,
    )
  }

  return { answer, reading, read }
}
