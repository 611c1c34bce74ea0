import { choice, object, optional, whole } from '../fields'
import { policyKind } from './kind'
import { windowName } from './words'

const per = choice(
  [
    { value: 'client', label: 'client' },
    { value: 'address', label: 'address' },
    { value: 'placement', label: 'placement' },
    { value: 'operation', label: 'operation' },
  ],
  {
    label: 'For each',
    says: 'What is counted apart: each client (or its address, where it is not known), each address, each operation, or everything of the placement together.',
    default: 'client',
  },
)

const requests = (says: string) => whole({ label: 'Requests', says, max: 1_000_000_000 })

/** An inner limit must hold where the outer one does: for the same thing counted apart, or for more of it together. */
const countedTogether = (outer: string, inner: string) =>
  outer === inner || (inner === 'placement' && outer !== 'placement')
    ? undefined
    : `it counts for each ${inner} instead of each ${outer}`

export const rate = policyKind({
  resource: 'RateLimitPolicy',
  step: 'limit',
  title: 'Rate limit',
  says: 'Takes so many requests in a time, evenly, and so many at once beyond that: a bucket that fills at the rate and holds the burst (without one, a whole window’s requests). Further requests are answered 429 with Retry-After; every response says what is left in RateLimit fields. Each gateway counts on its own.',
  config: object(
    { label: 'Rate limit', says: 'How many requests are taken in a time.' },
    {
      requests: requests('How many requests.'),
      seconds: whole({
        label: 'Window',
        says: 'In how long a time.',
        max: 86_400,
        unit: 's',
        default: 60,
      }),
      burst: optional(
        whole({
          label: 'Burst',
          says: 'How many at once; all requests of the time where absent.',
          max: 1_000_000,
        }),
      ),
      per,
    },
  ),
  words: ({ requests: n, seconds, burst, per: each }) => ({
    text: `${n} / ${windowName(seconds)}`,
    note: `for each ${each}${burst === undefined ? '' : `, in bursts of ${burst}`}; 429 with Retry-After`,
  }),
  loosens(outer, inner) {
    if (inner.requests * outer.seconds > outer.requests * inner.seconds)
      return `it takes ${inner.requests} a ${windowName(inner.seconds)}`
    if ((inner.burst ?? inner.requests) > (outer.burst ?? outer.requests))
      return `it takes ${inner.burst ?? inner.requests} at once`
    return countedTogether(outer.per, inner.per)
  },
})

export const quota = policyKind({
  resource: 'QuotaPolicy',
  step: 'limit',
  title: 'Quota',
  says: 'Takes so many requests a day or a month, by the calendar in UTC. Counts outlive a restart of the gateway. The gateways of a group tell one another what they have counted every few seconds, so that together they may take more than the quota only by what they serve in between.',
  config: object(
    { label: 'Quota', says: 'How many requests are taken by the calendar.' },
    {
      requests: requests('How many requests.'),
      in: choice(
        [
          { value: 'day', label: 'day' },
          { value: 'month', label: 'month' },
        ],
        { label: 'A', says: 'In a day or in a month, in UTC.', default: 'day' },
      ),
      per,
    },
  ),
  words: ({ requests: n, in: period, per: each }) => ({
    text: `${n.toLocaleString('en')} a ${period}`,
    note: `for each ${each}, by the calendar in UTC`,
  }),
  loosens(outer, inner) {
    const perMonth = (config: typeof inner) => config.requests * (config.in === 'day' ? 31 : 1)
    const more =
      inner.in === outer.in
        ? inner.requests > outer.requests
        : outer.in === 'day' || perMonth(inner) > perMonth(outer)
    return more ? `it takes ${inner.requests} a ${inner.in}` : countedTogether(outer.per, inner.per)
  },
})

export const concurrency = policyKind({
  resource: 'ConcurrencyPolicy',
  step: 'limit',
  title: 'Concurrent requests',
  says: 'Takes so many requests at the same time, from their arrival to the end of their response. Further ones are answered 429.',
  config: object(
    { label: 'Concurrent requests', says: 'How many requests are under way at once.' },
    {
      requests: whole({ label: 'Requests', says: 'How many at once.', max: 100_000 }),
      per,
    },
  ),
  words: ({ requests: n, per: each }) => ({ text: `${n} at once`, note: `for each ${each}` }),
  loosens: (outer, inner) =>
    inner.requests > outer.requests
      ? `it takes ${inner.requests} at once`
      : countedTogether(outer.per, inner.per),
})
