import type { TrafficPage, TrafficQuery, TrafficRow, TrafficSummary } from '~~/shared/api/traffic'
import type { TrafficDimension, TrafficPeriod } from '~~/shared/words'

export const periodWords: Record<TrafficPeriod, string> = {
  '1h': 'the last hour',
  '24h': '24 hours',
  '7d': '7 days',
  '30d': '30 days',
  '90d': '90 days',
}

export const dimensionWords: Record<TrafficDimension, string> = {
  operation: 'operation',
  api: 'API',
  version: 'version',
  placement: 'placement',
  stage: 'stage',
  client: 'client',
  gateway: 'gateway',
  status: 'status',
  step: 'step it ended at',
}

/** The filter that narrows to one of them. */
export const filterOf = {
  operation: 'operation',
  api: 'api',
  version: 'api',
  placement: 'placement',
  stage: 'stage',
  client: 'client',
  gateway: 'gateway',
  status: 'ended',
  step: 'ended',
} as const satisfies Record<TrafficDimension, keyof TrafficQuery>

/** What narrows to one row: a version is one of its API. */
export const filtersOf = (by: TrafficDimension, { key, api }: Pick<TrafficRow, 'key' | 'api'>) =>
  by === 'version'
    ? { api: `${api}@${key}` }
    : { [filterOf[by]]: key, ...(api && by !== 'api' && { api }) }

export const trafficLeaves = [
  { to: '/traffic', label: 'Figures' },
  { to: '/traffic/requests', label: 'Requests' },
  { to: '/traffic/alerts', label: 'Alerts' },
]

/** What is looked at next where one thing is chosen. */
export const nextDimension: Record<TrafficDimension, TrafficDimension> = {
  operation: 'client',
  api: 'operation',
  version: 'operation',
  placement: 'operation',
  stage: 'api',
  client: 'operation',
  gateway: 'api',
  status: 'operation',
  step: 'operation',
}

/** What was answered as an error. */
export const errorsOf = ({ refused, failed }: Pick<TrafficSummary, 'refused' | 'failed'>) =>
  refused + failed

/** `0.2 %`; less than that, but more than nothing, is said so. */
export function shareOf(part: number, whole: number): string {
  if (whole === 0 || part === 0) return '0\u00a0%'
  const percent = (100 * part) / whole
  return percent < 0.1 ? '<\u00a00.1\u00a0%' : `${percent.toFixed(percent < 10 ? 1 : 0)}\u00a0%`
}

/** How a figure went beside the period before: `12 % more`; nothing where nothing was before. */
export function beside(now: number, before: number | undefined): string {
  if (before === undefined || before === 0) return ''
  if (now > 10 * before) return 'more than ten times as many as before'
  const change = Math.round((100 * (now - before)) / before)
  return change === 0
    ? 'as many as before'
    : `${Math.abs(change)} % ${change > 0 ? 'more' : 'less'}`
}

/** Whether something answers that the ledger does not let be called. */
export const isStray = ({ standing, calls }: TrafficRow) =>
  calls > 0 && (standing === 'withheld' || standing === 'unknown')

/** How what was called stands beside the ledger. */
export function standingWords(row: TrafficRow): string {
  const answered = row.calls - errorsOf(row)
  if (row.standing === 'withheld') return answered > 0 ? 'withheld, yet served' : 'withheld'
  if (row.standing === 'unknown')
    return answered > 0 ? 'not placed, yet served' : 'not in the definition'
  if (row.standing === 'idle') return 'never called'
  return row.deprecated ? 'deprecated, still called' : 'as approved'
}

/** What something without a name is called. */
export const keyWords = (by: TrafficDimension, key: string): string =>
  key !== ''
    ? by === 'step'
      ? stepTitle(key)
      : key
    : ({ client: 'without a credential', step: 'went all the way' }[by as 'client'] ??
      'of no placement')

/** `12 kB`. */
export function bytes(count: number): string {
  const units = ['B', 'kB', 'MB', 'GB', 'TB']
  let value = count
  let unit = 0
  for (; value >= 1000 && unit < units.length - 1; unit++) value /= 1000
  return `${unit === 0 || value >= 100 ? Math.round(value) : value.toFixed(1)} ${units[unit]}`
}

/** `per hour`. */
export const partWords = ({ resolution }: Pick<TrafficPage, 'resolution'>) => `per ${resolution}`
