import type { PlacementPlan } from '~~/shared/api/promotions'
import type { JobCause, JobState } from '~~/shared/words'

export const promotionLeaves = [
  { to: '/promotions', label: 'Requests' },
  { to: '/promotions/releases', label: 'Releases' },
  { to: '/promotions/endings', label: 'Deprecations' },
  { to: '/promotions/pipelines', label: 'Pipelines' },
  { to: '/promotions/repositories', label: 'Repositories' },
]

const jobWords: Record<JobState, string> = {
  ...{ waiting: 'waiting', running: 'running', done: 'done', failed: 'failed' },
  cancelled: 'cancelled',
}
/** The state of a job, with its sign: never colour alone. */
export const jobWord = (state: JobState) => jobWords[state]
export const jobTint = (state: JobState) =>
  state === 'done' ? 'elm-text' : state === 'failed' ? 'copper-text' : 'soft'

const causes: Record<JobCause, string> = {
  push: 'a push',
  found: 'a push that was found',
  hand: 'by hand',
}
export const causeWord = (cause: JobCause) => causes[cause]

/** A commit as people say it. */
export const shortCommit = (commit: string) => commit.slice(0, 10)

/** Whose versions take a pipeline, in words. */
export function takersOf({
  audiences,
  teams,
  labels,
}: Record<'audiences' | 'teams' | 'labels', string[]>): string {
  const parts = [
    ...(audiences.length > 0 ? [`${audiences.join(' and ')} APIs`] : []),
    ...(teams.length > 0 ? [`of ${teams.join(', ')}`] : []),
    ...(labels.length > 0 ? [`labelled ${labels.join(' or ')}`] : []),
  ]
  return parts.length > 0 ? parts.join(' ') : 'everybody whom no other pipeline takes'
}

/** What a new pipeline begins with. */
export const beginning = `pipeline: 1
# Whose versions take it; all where nothing is named.
for:
  audiences: [private]
stages:
  - name: Trial
  - name: Live
    gates:
      findings: {}
      drift: {}
      version: {}
      soak: { hours: 24, errorPercent: 1 }
      approval: { number: 1 }
`

/** What becomes of what stands there, where it ends. */
export function becomingWords({
  becomes,
  replaces,
}: Pick<PlacementPlan, 'becomes' | 'replaces'>): string {
  const { as, until } = becomes!
  if (as === 'served') return `${replaces} is served on: no end is announced any more.`
  if (as === 'removed') return `${replaces} is taken off at the same time.`
  return as === 'retired'
    ? `${replaces} is retired: there are no new keys, and it is taken off on ${until}.`
    : `${replaces} is deprecated: it is served until ${until}, and callers are told.`
}
