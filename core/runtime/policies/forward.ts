import { list, object, optional, text, whole } from '../fields'
import { whyNoToken } from './checks'
import { policyKind } from './kind'
import { listed } from '../../text/counted'
import { duration, someOf } from './words'

export const timeout = policyKind({
  resource: 'TimeoutPolicy',
  step: 'forward',
  title: 'Timeout',
  says: 'The longest a request may take from its arrival to the end of its response, whatever its backend’s own timeout says; then 504. Written as the timeouts of a Gateway API rule (GEP-1742).',
  config: object(
    { label: 'Timeout', says: 'How long a request may take in all.' },
    {
      milliseconds: whole({
        label: 'In all',
        says: 'From arrival to the end of the response.',
        min: 50,
        max: 600_000,
        unit: 'ms',
        default: 30_000,
      }),
    },
  ),
  words: ({ milliseconds }) => ({
    text: `${milliseconds.toLocaleString('en')} ms in all`,
    note: 'then 504',
  }),
  loosens: (outer, inner) =>
    inner.milliseconds > outer.milliseconds ? `it waits ${inner.milliseconds} ms` : undefined,
})

export const retry = policyKind({
  resource: 'RetryPolicy',
  step: 'forward',
  title: 'Retry',
  says: 'Sends a request again where its backend does not answer, or answers one of some statuses. Only where that is safe: with the methods GET, HEAD, OPTIONS, PUT and DELETE (RFC 9110, section 9.2.2), with no body or one that is short, and within a budget, so that retries never become the load that keeps a backend down.',
  config: object(
    { label: 'Retry', says: 'When a request is sent again.' },
    {
      attempts: whole({
        label: 'Attempts',
        says: 'How often it is sent again at most.',
        max: 5,
        default: 1,
      }),
      statuses: list(whole({ label: 'Status', says: 'One status.', min: 500, max: 599 }), {
        label: 'Statuses',
        says: 'Statuses of the backend after which it is sent again.',
        max: 20,
        default: [502, 503, 504],
      }),
      budgetPercent: whole({
        label: 'Budget',
        says: 'The largest share of requests to a backend that may be retries, over the last ten seconds; ten of them are always allowed.',
        max: 100,
        unit: '%',
        default: 20,
      }),
    },
  ),
  words: ({ attempts, statuses, budgetPercent }) => ({
    text: `${attempts === 1 ? 'one retry' : `${attempts} retries`}${statuses.length > 0 ? ` on ${listed(statuses.map(String))}` : ''}`,
    note: `where it is safe, to ${budgetPercent} % of requests`,
  }),
})

export const breaker = policyKind({
  resource: 'BreakerPolicy',
  step: 'forward',
  title: 'Circuit breaker',
  says: 'Leaves a target alone for a while after it has failed so many times one after the other: it did not answer, or answered 502, 503 or 504. Requests go to other targets meanwhile; where there is none they are answered 503 with Retry-After at once. Then one request tries whether it is back.',
  config: object(
    { label: 'Circuit breaker', says: 'When a target is left alone.' },
    {
      failures: whole({
        label: 'Failures',
        says: 'So many, one after the other.',
        max: 1000,
        default: 5,
      }),
      seconds: whole({
        label: 'For',
        says: 'How long it is left alone.',
        max: 3600,
        unit: 's',
        default: 10,
      }),
    },
  ),
  words: ({ failures, seconds }) => ({
    text: `left alone for ${duration(seconds)} after ${failures} failures`,
  }),
})

export const health = policyKind({
  resource: 'HealthPolicy',
  step: 'forward',
  title: 'Health checks',
  says: 'Asks each target of a backend for a path every so often. One that does not answer below 400 so many times is not sent anything until it does again; where no target is healthy, all are tried.',
  config: object(
    { label: 'Health checks', says: 'How targets are watched.' },
    {
      path: text({
        label: 'Path',
        says: 'What is asked for, below the address of the target.',
        example: '/health',
        max: 300,
        why: (written) => (/^\/[\w\-.~/]*$/.test(written) ? undefined : 'is no plain path'),
        default: '/health',
      }),
      seconds: whole({ label: 'Every', says: 'How often.', max: 3600, unit: 's', default: 10 }),
      failures: whole({
        label: 'Failures',
        says: 'So many, one after the other.',
        max: 100,
        default: 3,
      }),
      timeoutMs: optional(
        whole({
          label: 'Timeout',
          says: 'How long an answer may take.',
          min: 50,
          max: 60_000,
          unit: 'ms',
        }),
      ),
    },
  ),
  words: ({ path, seconds, failures }) => ({
    text: `health every ${duration(seconds)} at ${path}`,
    note: `out after ${failures} failures`,
  }),
})

export const share = policyKind({
  resource: 'SharePolicy',
  step: 'forward',
  title: 'Share of traffic',
  says: 'Sends a part of the requests to another backend of the placement, such as the next version: those that say so in a header, those of some clients, and a share of all others. A client that is known always comes out at the same side; others are drawn anew for each request. Operations that are mocked or withheld stay so.',
  config: object(
    { label: 'Share of traffic', says: 'What goes to another backend.' },
    {
      backend: text({
        label: 'Backend',
        says: 'One of the placement’s backends.',
        example: 'next',
        max: 40,
      }),
      version: optional(
        text({ label: 'Version', says: 'What it serves, for people.', example: '3.0.0', max: 60 }),
      ),
      percent: whole({
        label: 'Share',
        says: 'Of the requests that neither header nor client decides about.',
        min: 0,
        max: 100,
        unit: '%',
        default: 5,
      }),
      header: optional(
        object(
          { label: 'Header', says: 'Requests that say this all go there.' },
          {
            name: text({
              label: 'Name',
              says: 'Of the header.',
              example: 'X-Preview',
              max: 60,
              why: whyNoToken,
            }),
            value: text({ label: 'Value', says: 'To the letter.', example: 'on', max: 200 }),
          },
        ),
      ),
      clients: list(
        text({ label: 'Client', says: 'As its credential names it.', example: 'crew-app' }),
        { label: 'Clients', says: 'Whose requests all go there.', max: 200, default: [] },
      ),
    },
  ),
  words: ({ backend, version, percent, header, clients }) => ({
    text: `${percent} % to ${backend}${version === undefined ? '' : `, version ${version}`}`,
    ...((header !== undefined || clients.length > 0) && {
      note: [
        ...(header ? [`all with ${header.name}: ${header.value}`] : []),
        ...(clients.length > 0 ? [`all of ${someOf(clients)}`] : []),
      ].join('; '),
    }),
  }),
})
