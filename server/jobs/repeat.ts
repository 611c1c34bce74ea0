import { errorText } from '../../core/text/values'

/** Does work again and again, so many milliseconds after it was done; what goes wrong is tried again. */
export function repeat(ms: number, work: () => Promise<void>): void {
  const timer = setTimeout(() => {
    work()
      .catch((error: unknown) => console.warn(errorText(error)))
      .finally(() => repeat(ms, work))
  }, ms)
  timer.unref()
}
