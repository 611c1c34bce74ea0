import { object, whole, type ValueOf } from '../runtime/fields'
import { count } from '../text/counted'

export const callersConfig = object(
  { label: 'Callers', says: 'Who counts as a caller, and how early they are told.' },
  {
    days: whole({
      label: 'Days',
      says: 'Whoever called what breaks in the last so many days is a caller of it.',
      max: 90,
      unit: 'd',
      default: 30,
    }),
    noticeDays: whole({
      label: 'Notice',
      says: 'Callers were told so many days before at least.',
      min: 0,
      max: 365,
      unit: 'd',
      default: 0,
    }),
  },
)

/** A client that calls what a promotion breaks or takes away. */
export interface Affected {
  /** Empty where nobody knows who calls. */
  client: string
  calls: number
  /** What of it is called that breaks, by name: `GET /readings`. */
  operations: readonly string[]
  /** When it was told of this promotion first; ms since 1970. */
  told?: number
}

/** What a client is called where it may have none. */
export const callerName = (client: string) => (client === '' ? 'callers without a name' : client)

/** Whether each caller of what breaks was told early enough. */
export function judgeCallers(
  { days, noticeDays }: ValueOf<typeof callersConfig>,
  affected: readonly Affected[],
  now: number,
): { state: 'passed' | 'failed' | 'waiting'; text: string } {
  if (affected.length === 0)
    return { state: 'passed', text: `Nobody called what breaks in the last ${count(days, 'day')}` }
  const untold = affected.filter(({ told }) => told === undefined)
  const [first] = untold
  if (first) {
    const more = untold.length === 1 ? '' : `, and ${count(untold.length - 1, 'other caller')}`
    const verb = untold.length === 1 && first.client !== '' ? 'calls' : 'call'
    return {
      state: 'failed',
      text: `${callerName(first.client)} (${count(first.calls, 'call')})${more} ${verb} what breaks and ${untold.length === 1 && first.client !== '' ? 'was' : 'were'} not told`,
    }
  }
  const last = Math.max(...affected.map(({ told }) => told!))
  const left = Math.ceil((last + noticeDays * 86_400_000 - now) / 86_400_000)
  const told = `${count(affected.length, 'caller')} of what breaks ${affected.length === 1 ? 'was' : 'were'} told`
  return left > 0
    ? { state: 'waiting', text: `${told}; ${count(left, 'day')} of notice are left` }
    : { state: 'passed', text: told }
}
