import type { RouteLocationRaw } from 'vue-router'
import type { TaskItem } from '~~/shared/api/tasks'
import type { TaskKind } from '~~/shared/words'

/** What a component is given that has the act for something that waits. */
export interface TaskProps {
  task: TaskItem
  /** Called once it is done; what is done may be off the list, and the component with it, before the server has answered. */
  finished: (task: TaskItem) => unknown
}

/** What is to be done, one and several. */
const words: Record<TaskKind, [one: string, many: string]> = {
  approval: ['approval', 'approvals'],
  ready: ['request with every gate open', 'requests with every gate open'],
  release: ['release with every gate open', 'releases with every gate open'],
  'gate-waiver': ['gate to waive', 'gates to waive'],
  emergency: ['emergency to confirm', 'emergencies to confirm'],
  waiver: ['waiver to decide on', 'waivers to decide on'],
  'waiver-ending': ['waiver that ends', 'waivers that end'],
  ending: ['thing that ends', 'things that end'],
  drift: ['API that drifts', 'APIs that drift'],
  probe: ['API whose probes fail', 'APIs whose probes fail'],
  fix: ['proposed fix', 'proposed fixes'],
  finding: ['API with findings for you', 'APIs with findings for you'],
  unplaced: ['API to place', 'APIs to place'],
  job: ['failed job', 'failed jobs'],
}
/** As a filter names it. */
export const taskWord = (kind: TaskKind) => words[kind][1]
export const taskCount = (n: number, kind: TaskKind) => count(n, ...words[kind])

/** Where something that waits is seen whole. */
export function placeOf({ kind, subject }: TaskItem, me = ''): RouteLocationRaw {
  const places = {
    ...{ approval: 'promotions', ready: 'promotions', 'gate-waiver': 'promotions' },
    emergency: 'promotions',
  } as const
  if (kind in places) return `/promotions/${subject}`
  if (kind === 'release') return `/promotions/releases/${subject}`
  if (kind === 'job') return `/promotions/jobs/${subject}`
  if (kind === 'probe') return `/apis/${subject}/probes`
  if (kind === 'unplaced') return `/apis/${subject}/place`
  if (kind === 'ending') return { path: '/promotions/endings', query: { ending: subject } }
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
