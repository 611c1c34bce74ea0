import type { Examination } from '~~/core/definition'
import type { EstatePart } from '~~/core/rules/estate'
import type { FixChoice } from '~~/core/fix'
import type { ApiFacts, Edition } from '~~/core/rules/model'
import type { Completion } from '~~/core/complete'
import type { Syntax } from '~~/core/text/read'
import type {
  CheckedText,
  CheckReply,
  CheckRequest,
  CompleteReply,
  CompleteRequest,
  FixReply,
  FixRequest,
} from '~/workers/check'

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
  /** What is to be checked once the worker is done with what it has; a long text is not checked once for every key. */
  let next: (() => CheckRequest) | undefined
  let working = false
  const send = () => {
    working = next !== undefined
    if (next) worker?.postMessage(next())
    next = undefined
  }
  const answers = new Map<number, (reply: FixReply | CompleteReply) => void>()

  onMounted(() => {
    worker = new Worker(new URL('../workers/check.ts', import.meta.url), { type: 'module' })
    worker.onmessage = ({ data }: MessageEvent<CheckReply | FixReply | CompleteReply>) => {
      if (data.answer !== 'check') {
        answers.get(data.number)?.(data)
        answers.delete(data.number)
      } else {
        if (data.number === number) {
          examination.value = data.examination
          checking.value = false
        }
        send()
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
    delay = 50,
  ) {
    clearTimeout(waiting)
    checking.value = true
    number++
    waiting = setTimeout(() => {
      next = () => ({ ask: 'check', number, ...textOf(texts(), edition, surroundings) })
      if (!working) send()
    }, delay)
  }

  let asked = 0
  /** What a fix would do at some findings, or everywhere in the definition. */
  function planned(
    texts: Texts,
    edition: Edition,
    surroundings: { facts: ApiFacts; estate: EstatePart[] },
    choice: FixChoice,
  ): Promise<FixReply> {
    const request: FixRequest = {
      ask: 'fix',
      number: ++asked,
      ...textOf(texts, edition, surroundings),
      choice: { ...choice, fix: toRaw(choice.fix) },
    }
    return asking(request)
  }

  /** Sends a question that has one answer. */
  function asking<T extends FixReply | CompleteReply>(
    request: FixRequest | CompleteRequest,
  ): Promise<T> {
    return new Promise((resolve) => {
      answers.set(request.number, (reply) => resolve(reply as T))
      worker?.postMessage(request)
    })
  }

  /** What may be written at an offset of a file's text. */
  async function suggested(
    file: string,
    text: string,
    offset: number,
    syntax: Syntax,
  ): Promise<Completion | undefined> {
    const request = { ask: 'complete', number: ++asked, file, text, offset, syntax } as const
    return (await asking<CompleteReply>(request)).completion
  }

  return { examination, checking, check, planned, suggested }
}
