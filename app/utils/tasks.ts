import type { RouteLocationRaw } from 'vue-router'
import type { TaskItem } from '~~/shared/api/tasks'
import type { TaskKind } from '~~/shared/words'

/** What is to be done, as a filter names it. */
export const taskWords: Record<TaskKind, string> = {
  approval: 'approvals',
  ready: 'every gate open',
  'gate-waiver': 'gates to waive',
  emergency: 'emergencies to confirm',
  waiver: 'waivers to decide on',
  'waiver-ending': 'waivers that end',
  drift: 'drift',
  fix: 'proposed fixes',
  finding: 'findings assigned',
  unplaced: 'APIs to place',
  job: 'failed jobs',
}

/** Where something that waits is seen whole. */
export function placeOf({ kind, subject }: TaskItem, me = ''): RouteLocationRaw {
  const places = {
    ...{ approval: 'promotions', ready: 'promotions', 'gate-waiver': 'promotions' },
    emergency: 'promotions',
  } as const
  if (kind in places) return `/promotions/${subject}`
  if (kind === 'job') return `/promotions/jobs/${subject}`
  if (kind === 'unplaced') return `/apis/${subject}/place`
  if (kind === 'drift') return { path: '/drift', query: { api: subject } }
  if (kind === 'fix') return { path: '/findings/fixes', query: { fix: subject } }
  if (kind === 'finding') return { path: '/findings', query: { api: subject, person: me } }
  return { path: '/findings/waivers', query: { waiver: subject } }
}

/** How far a day is, from today: negative where it is past. */
export const daysUntil = (day: string): number =>
  Math.round((Date.parse(day) - Date.parse(dayFromNow(0))) / 86_400_000)

export function dueWords(day: string): string {
  const days = daysUntil(day)
  if (days < 0) return `${count(-days, 'day')} overdue`
  return days === 0 ? 'today' : days === 1 ? 'tomorrow' : `in ${days} days`
}
