import { count, figure } from '../text/counted'

export const alertKinds = ['errors', 'latency', 'silence', 'limits', 'sunset', 'drift'] as const
export type AlertKind = (typeof alertKinds)[number]

/** What an alert watches for. */
export interface AlertRule {
  kind: AlertKind
  /** In the unit of its kind. */
  threshold: number
  /** How long the time is that is looked at; in minutes. */
  minutes: number
}

/** What was counted in the time that is looked at. */
export interface Watched {
  calls: number
  /** Those answered 500 or above. */
  failed: number
  /** All but five in a hundred took no longer; in milliseconds. Absent where nothing was called. */
  p95?: number
  /** Clients that were told to wait, by how often. */
  limited: { client: string; calls: number }[]
  /** Requests in the same time a week before. */
  usual: number
  /** APIs whose sunset comes and that are called, by how many days are left. */
  ending: { api: string; days: number; calls: number }[]
  /** Differences that count and have stood for so long already. */
  drift: number
}

interface Kind {
  title: string
  /** What the threshold is of. */
  unit: string
  least: number
  most: number
  /** What it is in a form that nobody has filled in. */
  usual: number
  /** What is wrong; undefined where nothing is. */
  judge: (watched: Watched, rule: AlertRule) => string | undefined
}

/** Of fewer requests than these a share says nothing. */
const fewest = 20

/** Every kind of alert: what it asks for, and what it says. */
export const alertKind: Record<AlertKind, Kind> = {
  errors: {
    title: 'Share of errors',
    unit: '% answered 500 or above',
    ...{ least: 1, most: 100, usual: 5 },
    judge: ({ calls, failed }, { threshold, minutes }) => {
      if (calls < fewest || 100 * failed < threshold * calls) return undefined
      const share = Math.round((1000 * failed) / calls) / 10
      return `${share} % of ${count(calls, 'request')} failed in ${count(minutes, 'minute')}`
    },
  },
  latency: {
    title: 'Latency',
    unit: 'ms for 95 in 100',
    ...{ least: 1, most: 600_000, usual: 1000 },
    judge: ({ calls, p95 }, { threshold, minutes }) =>
      calls >= fewest && p95 !== undefined && p95 > threshold
        ? `Five in a hundred of ${count(calls, 'request')} took more than ${figure(Math.round(p95))} ms in ${count(minutes, 'minute')}`
        : undefined,
  },
  silence: {
    title: 'Silence',
    unit: 'requests at least a week before',
    ...{ least: 1, most: 1_000_000, usual: 10 },
    judge: ({ calls, usual }, { threshold, minutes }) =>
      calls === 0 && usual >= threshold
        ? `Nothing was called in ${count(minutes, 'minute')}; a week before it were ${count(usual, 'request')}`
        : undefined,
  },
  limits: {
    title: 'Limits met',
    unit: 'times 429 for one client',
    ...{ least: 1, most: 1_000_000, usual: 10 },
    judge: ({ limited }, { threshold, minutes }) => {
      const [worst] = limited
        .filter(({ calls }) => calls >= threshold)
        .sort((a, b) => b.calls - a.calls)
      return worst
        ? `${worst.client || 'A caller without a name'} was told to wait ${count(worst.calls, 'time')} in ${count(minutes, 'minute')}`
        : undefined
    },
  },
  sunset: {
    title: 'Called before its sunset',
    unit: 'days before',
    ...{ least: 1, most: 365, usual: 30 },
    judge: ({ ending }, { threshold }) => {
      const [next] = ending
        .filter(({ days, calls }) => days <= threshold && calls > 0)
        .sort((a, b) => a.days - b.days)
      if (!next) return undefined
      const when = next.days < 0 ? 'is past' : `comes in ${count(next.days, 'day')}`
      return `The sunset of ${next.api} ${when}, and ${count(next.calls, 'request')} in a day still ask for it`
    },
  },
  drift: {
    title: 'Drift',
    unit: 'differences',
    ...{ least: 1, most: 10_000, usual: 1 },
    judge: ({ drift }, { threshold, minutes }) =>
      drift >= threshold
        ? `${count(drift, 'difference')} from what was approved ${drift === 1 ? 'stands' : 'stand'} for more than ${count(minutes, 'minute')}`
        : undefined,
  },
}

/** What is wrong by a rule; undefined where nothing is. */
export const judge = (rule: AlertRule, watched: Watched): string | undefined =>
  alertKind[rule.kind].judge(watched, rule)

/** Hours in which nobody is told: `22:00` to `06:30`, where they are. */
export interface QuietHours {
  from: string
  to: string
  /** `Europe/London`. */
  timeZone: string
}

const minuteOf = (text: string) => Number(text.slice(0, 2)) * 60 + Number(text.slice(3, 5))

/** How many minutes of quiet are left; 0 outside of it. Hours that are the same are none. */
export function quietLeft({ from, to, timeZone }: QuietHours, at: Date): number {
  const clock = new Intl.DateTimeFormat('en-GB', {
    timeZone,
    ...{ hour: '2-digit', minute: '2-digit', hourCycle: 'h23' },
  }).format(at)
  const [now, begin, end] = [minuteOf(clock), minuteOf(from), minuteOf(to)]
  const since = (now - begin + 1440) % 1440
  const length = (end - begin + 1440) % 1440
  return since < length ? length - since : 0
}
