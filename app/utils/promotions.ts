export const promotionLeaves = [
  { to: '/promotions', label: 'Requests' },
  { to: '/promotions/pipelines', label: 'Pipelines' },
]

/** Whose versions take a pipeline, in words. */
export function takersOf({ audiences, teams }: { audiences: string[]; teams: string[] }): string {
  const parts = [
    ...(audiences.length > 0 ? [`${audiences.join(' and ')} APIs`] : []),
    ...(teams.length > 0 ? [`of ${teams.join(', ')}`] : []),
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
