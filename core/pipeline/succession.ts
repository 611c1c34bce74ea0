import { addDays, formatISO, isValid, parseISO } from 'date-fns'
import { riseBetween } from '../compare/version'
import { choice, object, whole, type ValueOf } from '../runtime/fields'
import { count } from '../text/counted'

/** How a version ends that others still call: announced, or announced and taken off by itself on its last day. */
export const endings = ['deprecated', 'retired'] as const

/** The end of what stands somewhere. Days are those of UTC: `2027-03-31`. */
export interface Ending {
  as: (typeof endings)[number]
  /** Since when callers are told. */
  since: string
  /** Until that day it is served at least; what is retired is taken off when it begins. */
  until: string
}

/** What becomes of the versions before one that enters a stage, where they stand beside it. */
export const predecessorConfig = object(
  {
    label: 'Predecessor',
    says: 'What becomes of earlier versions that stand beside it in the stage, at other addresses.',
  },
  {
    becomes: choice(
      [
        { value: 'deprecated', label: 'deprecated: both are served, and callers are told' },
        { value: 'retired', label: 'retired: no new keys, and taken off on its last day' },
        { value: 'removed', label: 'removed at once' },
      ],
      { label: 'Becomes', says: 'What it becomes.', default: 'deprecated' },
    ),
    days: whole({
      label: 'Days',
      says: 'For so many days it is served on, where it is not removed.',
      max: 3650,
      unit: 'd',
      default: 180,
    }),
  },
)

export type Predecessor = ValueOf<typeof predecessorConfig>

/** What stands in a stage. */
interface Standing {
  id: string
  version: string
  stage: string
  group: string
  ending: Ending | null
}

/**
 * The placements that a version succeeds: earlier versions in the same stage and group that nobody has announced the end of yet.
 *
 * @param placed all placements of its API.
 * @param taken those whose address it takes over, which become the version itself.
 */
export function succeededBy<P extends Standing>(
  { version, stage, groups }: { version: string; stage: string; groups: readonly string[] },
  placed: readonly P[],
  taken: readonly { id: string }[],
): P[] {
  return placed.filter((one) => {
    const rise = riseBetween(one.version, version)
    return (
      one.stage === stage &&
      groups.includes(one.group) &&
      one.ending === null &&
      taken.every(({ id }) => id !== one.id) &&
      rise !== undefined &&
      rise !== 'none'
    )
  })
}

/** The end that a predecessor gets on a day; undefined where it is removed at once. */
export function endingOn({ becomes, days }: Predecessor, today: string): Ending | undefined {
  if (becomes === 'removed') return undefined
  const until = formatISO(addDays(parseISO(today), days), { representation: 'date' })
  return { as: becomes, since: today, until }
}

/** Why an end cannot be announced so; undefined where it can. */
export function endingFault({ since, until }: Ending): string | undefined {
  if (!isValid(parseISO(until))) return 'is no day of the calendar'
  return until <= since ? 'has to be after today: what ends at once is removed' : undefined
}

/** What becomes of a predecessor, in words: `deprecated, and served for 180 days`. */
export const predecessorText = ({ becomes, days }: Predecessor): string =>
  becomes === 'removed' ? 'removed' : `${becomes}, and served for ${count(days, 'day')}`

/** An end in words: `retired, and served until 2027-03-31`. */
export const endingText = (ending: Ending | null | undefined): string =>
  ending ? `${ending.as}, and served until ${ending.until}` : 'served on'

/** Whether an end is due by itself on a day. */
export const isDue = (ending: Ending | null, today: string): boolean =>
  ending?.as === 'retired' && ending.until <= today
