import { choice, flag, list, object, optional, whole, type ValueOf } from '../runtime/fields'
import { count } from '../text/counted'
import { whyShut, type GateSet } from './gates'

const watchConfig = object(
  {
    label: 'Watching',
    says: 'What is looked at on each gateway before the next one, and before it ends.',
  },
  {
    minutes: whole({
      label: 'Minutes',
      says: 'For so long each gateway is watched.',
      max: 1440,
      unit: 'min',
      default: 10,
    }),
    errorPercent: whole({
      label: 'Errors',
      says: 'More of its calls that fail with 500 and above have all of it go back.',
      min: 0,
      max: 100,
      unit: '%',
      default: 1,
    }),
    latencyMs: optional(
      whole({
        label: 'Latency',
        says: 'So do calls of which 95 in 100 do not take this at most.',
        max: 600_000,
        unit: 'ms',
        default: 1000,
      }),
    ),
  },
)

/** How versions are carried into a stage. */
export const carryOutConfig = object(
  { label: 'Carrying out', says: 'When it begins, and how it goes from gateway to gateway.' },
  {
    when: choice(
      [
        { value: 'hand', label: 'by hand' },
        { value: 'open', label: 'as soon as every gate is open' },
      ],
      {
        label: 'When',
        says: 'By hand, or as soon as every gate is open: with a window, in that window.',
        default: 'hand',
      },
    ),
    watch: optional(watchConfig),
    shares: optional(
      list(
        whole({
          label: 'Share',
          says: 'So many of a hundred callers get the new version.',
          max: 99,
          unit: '%',
        }),
        {
          label: 'Shares',
          says: 'Shares of callers, the smallest first, each watched before the next and before all: where a version takes the place of another at its address, and the gateway can tell callers apart.',
          min: 1,
          max: 10,
        },
      ),
    ),
    probes: flag({
      label: 'Probes',
      says: 'Whether the probes of the API are sent through each gateway before the next one; one that fails has all of it go back.',
      default: false,
    }),
  },
)

export type CarryOut = ValueOf<typeof carryOutConfig>

/** What a rollout keeps to on its way from gateway to gateway. */
export interface Pace extends Pick<GateSet, 'window' | 'freeze'> {
  watch?: ValueOf<typeof watchConfig>
  shares?: number[]
  probes?: true
}

/** What probes said of a gateway: undefined where they are not all sent yet. */
export type Probed = { gateway: string; failed?: string } | undefined

/** What was counted on the gateway that confirmed last, since then. */
export interface Watched {
  gateway: string
  /** In a hundred callers, so many get what is new. */
  share: number
  /** When it confirmed; ms since 1970. */
  since: number
  calls: number
  failed: number
  /** In milliseconds; undefined where nothing was called. */
  p95?: number
}

/** Whether a rollout goes on to its next gateway or its end, waits, or goes back, and why. */
export type Going = { go: 'on' } | { go: 'wait' | 'back'; says: string }

/** Whether what is carried out together goes on: back where one of it does, and on where all of it does. */
export const together = (all: readonly Going[]): Going =>
  all.find(({ go }) => go === 'back') ?? all.find(({ go }) => go === 'wait') ?? { go: 'on' }

/**
 * Decides whether a rollout goes on.
 *
 * @param watched the gateway that confirmed last; undefined before the first.
 * @param writes whether a gateway is written next: what has been written may end at any time.
 */
export function goingOn(
  { watch, probes: _, ...times }: Pace,
  {
    watched,
    probed,
    writes,
    now,
  }: { watched: Watched | undefined; probed?: Probed; writes: boolean; now: number },
): Going {
  if (probed?.failed !== undefined)
    return { go: 'back', says: `${probed.gateway}: ${probed.failed}` }
  if (watch && watched) {
    const told = toldOf(watched)
    const { calls, failed, p95 } = watched
    if (failed * 100 > watch.errorPercent * calls)
      return { go: 'back', says: `${told}; at most ${watch.errorPercent} % may fail` }
    if (watch.latencyMs !== undefined && p95 !== undefined && p95 > watch.latencyMs)
      return {
        go: 'back',
        says: `${told}, 95 in 100 within ${Math.round(p95)} ms; ${watch.latencyMs} ms are asked for`,
      }
    const left = Math.ceil((watched.since + watch.minutes * 60_000 - now) / 60_000)
    if (left > 0) return { go: 'wait', says: `${told}; watched for ${count(left, 'more minute')}` }
  }
  const shut = writes ? whyShut(times, now) : undefined
  return shut === undefined ? { go: 'on' } : { go: 'wait', says: shut }
}

const toldOf = ({ gateway, share, calls, failed }: Watched) =>
  `${gateway}${share < 100 ? ` at ${share} %` : ''}: ${count(failed, 'error')} in ${count(calls, 'call')}`
