import type { Examination } from '~~/core/definition'
import type { EstatePart } from '~~/core/rules/estate'
import type { ApiFacts, Edition, Fix } from '~~/core/rules/model'
import type { CheckedText, CheckReply, CheckRequest, FixReply, FixRequest } from '~/workers/check'

interface Texts {
  file: string
  text: string
  others: Map<string, string>
}

/** Checks a text while it is being typed, and works out fixes, in a worker; only the newest answer counts. */
export function useCheck() {
  const examination = shallowRef<Examination>()
  const checking = ref(false)
  let worker: Worker | undefined
  let waiting: ReturnType<typeof setTimeout> | undefined
  let number = 0
  const fixes = new Map<number, (reply: FixReply) => void>()

  onMounted(() => {
    worker = new Worker(new URL('../workers/check.ts', import.meta.url), { type: 'module' })
    worker.onmessage = ({ data }: MessageEvent<CheckReply | FixReply>) => {
      if (data.answer === 'fix') {
        fixes.get(data.number)?.(data)
        fixes.delete(data.number)
      } else if (data.number === number) {
        examination.value = data.examination
        checking.value = false
      }
    }
  })
  onUnmounted(() => {
    clearTimeout(waiting)
    worker?.terminate()
  })

  const textOf = (
    texts: Texts,
    edition: Edition,
    surroundings: { facts: ApiFacts; estate: EstatePart[] },
  ): CheckedText => ({ ...texts, edition: toRaw(edition), ...toRaw(surroundings) })

  function check(
    texts: () => Texts,
    edition: Edition,
    surroundings: { facts: ApiFacts; estate: EstatePart[] },
    delay = 120,
  ) {
    clearTimeout(waiting)
    checking.value = true
    number++
    waiting = setTimeout(() => {
      const request: CheckRequest = {
        ask: 'check',
        number,
        ...textOf(texts(), edition, surroundings),
      }
      worker?.postMessage(request)
    }, delay)
  }

  let asked = 0
  /** What a fix would do at some findings, or everywhere in the definition. */
  function planned(
    texts: Texts,
    edition: Edition,
    surroundings: { facts: ApiFacts; estate: EstatePart[] },
    asking: { rule: string; fix: Fix; keys: string[] | undefined },
  ): Promise<FixReply> {
    const request: FixRequest = {
      ask: 'fix',
      number: ++asked,
      ...textOf(texts, edition, surroundings),
      rule: asking.rule,
      fix: toRaw(asking.fix),
      keys: asking.keys,
    }
    return new Promise((resolve) => {
      fixes.set(request.number, resolve)
      worker?.postMessage(request)
    })
  }

  return { examination, checking, check, planned }
}
