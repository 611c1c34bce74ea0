import { choice, flag, list, object, optional, text, whole } from '../fields'
import { beyond, whyNoMoment, whyNoNetwork, whyNoTime, whyNoZone } from './checks'
import { policyKind } from './kind'
import { listed } from '../../text/counted'
import { duration, someOf } from './words'

const network = text({
  label: 'Network',
  says: 'A network in CIDR notation.',
  example: '10.20.0.0/16',
  max: 50,
  why: whyNoNetwork,
})

export const addresses = policyKind({
  resource: 'AddressPolicy',
  step: 'authorise',
  title: 'Addresses',
  says: 'Takes requests from some networks only, or from all but some. The address is that of the connection. Anybody else is answered 403. What is refused further out stays refused.',
  config: object(
    { label: 'Addresses', says: 'Where requests may come from.' },
    {
      allow: list(network, {
        label: 'Allowed',
        says: 'Networks that requests may come from; with none, from everywhere.',
        max: 200,
        default: [],
      }),
      refuse: list(network, {
        label: 'Refused',
        says: 'Networks whose requests are refused, even where they are allowed.',
        max: 200,
        default: [],
      }),
    },
  ),
  words: ({ allow, refuse }) => ({
    text: [
      allow.length > 0 ? `from ${someOf(allow)}` : 'from everywhere',
      ...(refuse.length > 0 ? [`not from ${someOf(refuse)}`] : []),
    ].join(', '),
    note: 'anybody else is answered 403',
  }),
  combine: (outer, inner) => ({
    allow: inner.allow.length > 0 ? inner.allow : outer.allow,
    refuse: [...new Set([...outer.refuse, ...inner.refuse])],
  }),
  loosens(outer, inner) {
    const more = outer.allow.length > 0 ? beyond(inner.allow, outer.allow) : []
    return more.length > 0 ? `it takes requests from ${someOf(more)} too` : undefined
  },
})

export const scopes = policyKind({
  resource: 'ScopePolicy',
  step: 'authorise',
  title: 'Scopes',
  says: 'Asks tokens for scopes (RFC 6749, section 3.3): those that the definition names for the operation, or others. A token without them is answered 403 with insufficient_scope (RFC 6750, section 3.1). Requests whose credential is no token have no scopes.',
  config: object(
    { label: 'Scopes', says: 'Which scopes a token must have.' },
    {
      definition: flag({
        label: 'As the definition says',
        says: 'Each operation asks for the scopes that its security requirements name.',
        default: true,
      }),
      also: list(
        text({
          label: 'Scope',
          says: 'One scope.',
          example: 'interruptions:read',
          max: 200,
          why: (written) =>
            /[\s"\\]/.test(written) ? 'has a character that no scope has' : undefined,
        }),
        { label: 'Besides', says: 'Scopes that are asked for besides.', max: 50, default: [] },
      ),
      claim: text({
        label: 'Claim',
        says: 'The claim that lists them, separated by spaces or as an array.',
        example: 'scope',
        max: 100,
        default: 'scope',
      }),
    },
  ),
  words: ({ definition, also }) => ({
    text:
      [
        ...(definition ? ['the scopes that the definition names'] : []),
        ...(also.length > 0 ? [`scope ${listed(also)}`] : []),
      ].join(', and ') || 'no scope',
    note: 'a token without them is answered 403',
  }),
  misfits: ({ definition, also }) =>
    definition || also.length > 0
      ? []
      : [{ field: 'also', message: 'Say which scopes, or take those of the definition' }],
  loosens(outer, inner) {
    if (outer.definition && !inner.definition) return 'it leaves out the scopes of the definition'
    const less = beyond(outer.also, inner.also)
    return less.length > 0 ? `it does not ask for ${listed(less)}` : undefined
  },
})

const days = [
  { value: 'mon', label: 'Monday' },
  { value: 'tue', label: 'Tuesday' },
  { value: 'wed', label: 'Wednesday' },
  { value: 'thu', label: 'Thursday' },
  { value: 'fri', label: 'Friday' },
  { value: 'sat', label: 'Saturday' },
  { value: 'sun', label: 'Sunday' },
] as const

const dayNames = (chosen: readonly string[]) =>
  chosen.length === days.length
    ? 'every day'
    : chosen.join() === 'mon,tue,wed,thu,fri'
      ? 'Monday to Friday'
      : listed(days.filter(({ value }) => chosen.includes(value)).map(({ label }) => label))

const time = (label: string, says: string, example: string) =>
  text({ label, says, example, max: 5, why: whyNoTime, default: example })

export const hours = policyKind({
  resource: 'HoursPolicy',
  step: 'authorise',
  title: 'Hours',
  says: 'Takes requests on some days, between two times of the day. Outside of them requests are answered 503 with Retry-After. From 22:00 to 06:00 means through the night; a night belongs to the day it begins on.',
  config: object(
    { label: 'Hours', says: 'When requests are taken.' },
    {
      days: list(choice(days, { label: 'Day', says: 'One day.' }), {
        label: 'Days',
        says: 'On which days.',
        min: 1,
        max: 7,
        default: ['mon', 'tue', 'wed', 'thu', 'fri'],
      }),
      from: time('From', 'The first minute.', '06:00'),
      to: time('To', 'The minute it ends with.', '20:00'),
      zone: text({
        label: 'Time zone',
        says: 'Where the clock stands that is meant.',
        example: 'Europe/London',
        max: 60,
        why: whyNoZone,
        default: 'Europe/London',
      }),
    },
  ),
  words: (config) => ({
    text: `${dayNames(config.days)}, ${config.from} to ${config.to}`,
    note: `${config.zone}; otherwise 503 with Retry-After`,
  }),
  misfits: ({ from, to }) =>
    from === to ? [{ field: 'to', message: 'It ends when it begins' }] : [],
})

export const maintenance = policyKind({
  resource: 'MaintenancePolicy',
  step: 'authorise',
  title: 'Maintenance',
  says: 'Answers everything with 503 and Retry-After (RFC 9110, section 15.6.4) instead of sending it on: from when it is applied, until its end if it has one.',
  config: object(
    { label: 'Maintenance', says: 'That nothing is served for a while.' },
    {
      message: text({
        label: 'Message',
        says: 'What clients are told.',
        example: 'The meter database is being moved',
        max: 500,
      }),
      until: optional(
        text({
          label: 'Until',
          says: 'When it ends by itself, in UTC.',
          example: '2026-12-05T06:00:00Z',
          max: 20,
          why: whyNoMoment,
        }),
      ),
      retryAfterSeconds: whole({
        label: 'Retry after',
        says: 'After how long clients should ask again, where the end is not known.',
        max: 86_400,
        unit: 's',
        default: 600,
      }),
    },
  ),
  words: ({ message, until, retryAfterSeconds }) => ({
    text: `everything is answered 503: ${message}`,
    note:
      until === undefined
        ? `clients ask again in ${duration(retryAfterSeconds)}`
        : `until ${until}`,
  }),
})
