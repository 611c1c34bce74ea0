import type { Level } from '~~/core/rules/model'
import type { PlacementFinding } from '~~/shared/api/placements'

/** What rules speak about, as people say it. */
const abouts: Record<string, string> = {
  requestBody: 'request body',
  mediaType: 'media type',
  securityScheme: 'security scheme',
  soapBinding: 'SOAP binding',
}
export const aboutWords = (about: string) => abouts[about] ?? about

/** The order levels are shown in. */
export const levelRank: Record<Level, number> = { MUST: 0, SHOULD: 1, MAY: 2 }

/** How many in a hundred keep a rule. */
export const keptOf = ({ asked, broken }: { asked: number; broken: number }) =>
  asked === 0 ? undefined : Math.floor((100 * (asked - broken)) / asked)

/** A day some time from now, as rules and waivers name it. */
export const dayFromNow = (days: number) =>
  new Date(Date.now() + days * 86_400_000).toISOString().slice(0, 10)

export const rulebookLeaves = [
  { to: '/rulebook', label: 'In force' },
  { to: '/rulebook/draft', label: 'Write' },
  { to: '/rulebook/editions', label: 'Editions' },
]

/** The leaves of the findings, with what waits on each. */
export const findingLeaves = (counts: Record<string, number> = {}) => [
  { to: '/findings', label: 'List' },
  { to: '/findings/estate', label: 'Estate' },
  { to: '/findings/placements', label: 'At placements' },
  {
    to: '/findings/waivers',
    label: 'Waivers',
    number: counts['endingWaivers'],
    says: 'within 30 days of their end',
  },
  {
    to: '/findings/fixes',
    label: 'Proposed fixes',
    number: counts['proposals'],
    says: 'to decide on',
  },
]

/** A finding at a placement of an API as an exception is asked for it. */
export const excusable = (
  { rule, message, key, about, subject }: PlacementFinding,
  slug: string,
  title: string,
) => ({ rule, message, key, api: slug, title, operation: about === 'route' ? subject : '' })

/** What a new sample begins with. */
export const begunSample = 'paths: { /things: { get: { responses: {} } } }'
