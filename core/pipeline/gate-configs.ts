import { isValid, parseISO } from 'date-fns'
import { choice, flag, list, object, optional, text, whole } from '../runtime/fields'
import { isTimeZone } from '../text/time-zone'
import { weekdays } from './hours'

/** So many hours of traffic are looked back at most. */
export const longestSoak = 168

const approvers = ['reviewer', 'governance', 'operator', 'owner', 'administrator'] as const

export const findingsConfig = object(
  { label: 'Findings', says: 'Which findings keep a version out.' },
  {
    level: choice(
      [
        { value: 'MUST', label: 'MUST' },
        { value: 'SHOULD', label: 'SHOULD' },
      ],
      {
        label: 'Level',
        says: 'No finding at this level, nor at a higher one.',
        default: 'MUST',
      },
    ),
  },
)

export const driftConfig = object({ label: 'Drift', says: 'Has nothing to configure.' }, {})

export const versionConfig = object({ label: 'Version', says: 'Has nothing to configure.' }, {})

export const soakConfig = object(
  { label: 'Soaking', says: 'For how long, and how many errors it may have had.' },
  {
    hours: whole({
      label: 'Hours',
      says: 'For so long it has to stand there unchanged.',
      max: longestSoak,
      unit: 'h',
      default: 24,
    }),
    calls: whole({
      label: 'Calls',
      says: 'So many calls it has to have had in that time, so that the share of errors says something.',
      min: 0,
      max: 1_000_000,
      default: 0,
    }),
    errorPercent: whole({
      label: 'Errors',
      says: 'At most so many in a hundred of them may have failed with a status from 500 on.',
      min: 0,
      max: 100,
      unit: '%',
      default: 1,
    }),
    latencyMs: optional(
      whole({
        label: 'Latency',
        says: '95 in 100 of them were answered within so many milliseconds.',
        max: 600_000,
        unit: 'ms',
      }),
    ),
  },
)

const timeZone = (says: string) =>
  text({
    ...{ label: 'Time zone', says, example: 'Europe/London', default: 'UTC' },
    why: (zone) => (isTimeZone(zone) ? undefined : 'is no time zone of the IANA database'),
  })

export const windowConfig = object(
  { label: 'Window', says: 'The hours at which it may be carried out.' },
  {
    days: list(
      choice(
        weekdays.map((day) => ({ value: day, label: day })),
        { label: 'Day', says: 'A day of the week.' },
      ),
      {
        label: 'Days',
        says: 'On which days.',
        min: 1,
        max: 7,
        default: [...weekdays.slice(0, 5)],
      },
    ),
    from: whole({
      label: 'From',
      says: 'The hour at which it begins.',
      min: 0,
      max: 23,
      unit: 'h',
      default: 9,
    }),
    until: whole({
      label: 'Until',
      says: 'The hour at which it ends.',
      min: 1,
      max: 24,
      unit: 'h',
      default: 16,
    }),
    timeZone: timeZone('Where these hours are those of the day.'),
  },
)

const dayOf = (label: string, says: string) =>
  text({
    ...{ label, says, example: '2026-12-18', max: 10 },
    why: (day) =>
      /^\d{4}-\d{2}-\d{2}$/.test(day) && isValid(parseISO(day))
        ? undefined
        : 'is no day as in 2026-12-18',
  })

export const freezeConfig = object(
  { label: 'Freeze', says: 'The days on which nothing is carried out.' },
  {
    periods: list(
      object(
        { label: 'Period', says: 'Days one after the other.' },
        {
          from: dayOf('From', 'The first day.'),
          until: dayOf('Until', 'The last day.'),
          why: text({
            label: 'Why',
            says: 'What people are told.',
            example: 'Bills go out',
          }),
        },
      ),
      { label: 'Periods', says: 'Any number of them; those that are over do no harm.', min: 1 },
    ),
    timeZone: timeZone('Where these are the days of the calendar.'),
  },
)

export const probesConfig = object(
  { label: 'Probes', says: 'How fresh their results have to be.' },
  {
    hours: whole({
      label: 'Hours',
      says: 'Every probe passed within so many hours, on every gateway that it was sent through, of the version as it stands.',
      max: 720,
      unit: 'h',
      default: 24,
    }),
  },
)

export const outsideConfig = object(
  { label: 'From outside', says: 'Whose word is asked for, and how fresh it has to be.' },
  {
    sources: list(
      text({
        label: 'Source',
        says: 'A source by its name.',
        example: 'load-tests',
        max: 80,
      }),
      {
        label: 'Sources',
        says: 'Each of them said last that the version passed.',
        min: 1,
        max: 20,
      },
    ),
    hours: optional(
      whole({
        label: 'Hours',
        says: 'Within so many hours; at any time where it is left out.',
        max: 8760,
        unit: 'h',
      }),
    ),
  },
)

export const quotaConfig = object(
  { label: 'Quota', says: 'How much changes at once.' },
  {
    promotions: whole({
      label: 'Promotions',
      says: 'So many versions are promoted into the stage within 24 hours at most, whatever their pipeline.',
      max: 1000,
      default: 5,
    }),
  },
)

export const approvalConfig = object(
  { label: 'Approval', says: 'How many, and whose.' },
  {
    number: whole({ label: 'Number', says: 'So many people.', max: 5, default: 1 }),
    roles: list(
      choice(
        approvers.map((role) => ({ value: role, label: role })),
        { label: 'Role', says: 'A role.' },
      ),
      {
        label: 'Roles',
        says: 'Only theirs count; everybody’s who may approve, where none is named.',
        max: approvers.length,
        default: [],
      },
    ),
    authorsToo: flag({
      label: 'Authors too',
      says: 'Whether that of who wrote the revision counts.',
      default: true,
    }),
  },
)
