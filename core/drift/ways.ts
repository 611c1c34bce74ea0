import { count } from '../text/counted'
import type { Difference } from './compare'

/** What requests show of a difference: those of a day, where they were counted. */
export interface Touched {
  calls: number
  /** Clients with a name. */
  clients: number
  /** Calls of those that nobody knows by name. */
  unnamed: number
}

/** What can be done about a difference. */
export const driftWays = ['put-back', 'take-off', 'keep', 'accept', 'revise'] as const
export type WayOut = (typeof driftWays)[number]

const callsOf = ({ calls, clients, unnamed }: Touched): string => {
  const who = [
    ...(clients > 0 ? [count(clients, 'client')] : []),
    ...(unnamed > 0 ? ['callers without a name'] : []),
  ]
  return `${count(calls, 'call')} a day${who.length > 0 ? ` of ${who.join(' and ')}` : ''}`
}

const nobody = 'Nobody called it in the last day, so nobody would notice.'

type Say = (difference: Difference, calls: string) => string

const held: Say = ({ ledger }, calls) => `${calls} are held to ${ledger} again`

const policyOf: Record<string, Say> = {
  authentication: ({ ledger }, calls) => `${calls} have to show this again: ${ledger}`,
  keys: (_, calls) =>
    `keys that were added stop working, and those taken away work again, for ${calls}`,
  'rate limit': held,
  quota: held,
  address: ({ ledger }, calls) => `${calls} go to ${ledger} again`,
}

/** What each way out would do to who calls, in words; a way that is none here is absent. */
export function effectsOf(
  difference: Difference,
  touched: Touched,
  isDescribed: boolean,
): Partial<Record<WayOut, string>> {
  const { what, ledger, gateway } = difference
  const calls = callsOf(touched)
  const idle = touched.calls === 0
  const isRoute = what === 'route'
  const isStranger = isRoute && ledger === 'placed by nobody'
  const opened = isRoute && ledger === 'withheld'
  const closed = (isRoute && !opened) || what === 'placement'
  const putBack = (): string => {
    if (idle) return nobody
    if (opened) return `It would stop ${calls}: they would get a 404.`
    if (closed) return `${calls} that are refused now would be answered again.`
    const say = policyOf[what]
    return say
      ? `With it, ${say(difference, calls)}.`
      : `${calls} would notice: ${what} is ${ledger} for them again.`
  }
  const keep = (): string => {
    if (closed)
      return `It becomes withheld for good; ${idle ? 'nobody calls it' : `${calls} go on to fail`}.`
    return `Nothing changes for who calls; “${gateway}” is what is approved from then on.`
  }
  return {
    'put-back': putBack(),
    ...(isStranger && {
      'take-off': idle
        ? `It goes from this gateway. ${nobody}`
        : `It goes from this gateway, and ${calls} would get a 404.`,
    }),
    ...(isDescribed && { keep: keep() }),
    accept:
      what === 'certificate'
        ? 'It counts as drift again after the day you name. A certificate is put into its folder at the gateway, which takes it within seconds.'
        : 'Nothing changes at the gateway; it counts as drift again after the day you name.',
    ...(!isDescribed &&
      opened && {
        revise: 'The definition gets the operation in a new revision, which is then placed.',
      }),
  }
}
