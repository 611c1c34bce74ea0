import type { Examination } from '~~/core/definition'
import type { Circumstances, Edition } from '~~/core/rules/model'
import type { CheckReply, CheckRequest } from '~/workers/check'

/** Checks a text while it is being typed, in a worker; only the newest answer counts. */
export function useCheck() {
  const examination = shallowRef<Examination>()
  const checking = ref(false)
  let worker: Worker | undefined
  let waiting: ReturnType<typeof setTimeout> | undefined
  let number = 0

  onMounted(() => {
    worker = new Worker(new URL('../workers/check.ts', import.meta.url), { type: 'module' })
    worker.onmessage = ({ data }: MessageEvent<CheckReply>) => {
      if (data.number !== number) return
      examination.value = data.examination
      checking.value = false
    }
  })
  onUnmounted(() => {
    clearTimeout(waiting)
    worker?.terminate()
  })

  function check(
    files: () => { file: string; text: string; others: Map<string, string> },
    edition: Edition,
    circumstances: Circumstances,
    delay = 250,
  ) {
    clearTimeout(waiting)
    checking.value = true
    number++
    waiting = setTimeout(() => {
      const { team, audience } = circumstances
      const request: CheckRequest = {
        number,
        ...files(),
        edition: toRaw(edition),
        circumstances: { team, audience },
      }
      worker?.postMessage(request)
    }, delay)
  }

  return { examination, checking, check }
}
