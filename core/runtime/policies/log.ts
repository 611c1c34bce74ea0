import { choice, list, object, text, whole } from '../fields'
import { beyond, whyNoToken } from './checks'
import { policyKind } from './kind'
import { someOf } from './words'

/** Never kept, whatever a policy says: these are credentials. */
export const neverKept = /^(?:authorization|proxy-authorization|cookie|set-cookie)$/i

export const log = policyKind({
  resource: 'LogPolicy',
  step: 'log',
  title: 'Log',
  says: 'What is kept of each request: which headers, how much of the client’s address, whether the query is, and of how many requests. Requests that end in an error are always kept. Credentials never are.',
  config: object(
    { label: 'Log', says: 'What is kept of requests.' },
    {
      headers: list(
        text({
          label: 'Header',
          says: 'Its name.',
          example: 'User-Agent',
          max: 60,
          why: (name) =>
            whyNoToken(name) ??
            (neverKept.test(name) ? 'carries credentials and is never kept' : undefined),
        }),
        { label: 'Request headers', says: 'Headers whose values are kept.', max: 32, default: [] },
      ),
      address: choice(
        [
          { value: 'whole', label: 'whole' },
          { value: 'shortened', label: 'shortened' },
          { value: 'dropped', label: 'not at all' },
        ],
        {
          label: 'Address',
          says: 'How much of the client’s address is kept; shortened leaves /24 of IPv4 and /48 of IPv6.',
          default: 'shortened',
        },
      ),
      query: choice(
        [
          { value: 'names', label: 'names only' },
          { value: 'whole', label: 'whole' },
          { value: 'dropped', label: 'not at all' },
        ],
        { label: 'Query', says: 'What is kept of query parameters.', default: 'names' },
      ),
      percent: whole({
        label: 'Sampling',
        says: 'Of how many of the requests that went well.',
        min: 0,
        max: 100,
        unit: '%',
        default: 100,
      }),
    },
  ),
  words: ({ headers, address, query, percent }) => ({
    text: `${percent === 100 ? 'every request' : `${percent} % of requests, and all errors`}${headers.length > 0 ? `, with ${someOf(headers)}` : ''}`,
    note: `addresses ${address}, query ${{ names: 'by names only', whole: 'whole', dropped: 'dropped' }[query]}`,
  }),
  loosens(outer, inner) {
    const rank = { dropped: 0, shortened: 1, names: 1, whole: 2 }
    if (rank[inner.address] > rank[outer.address]) return 'it keeps more of addresses'
    if (rank[inner.query] > rank[outer.query]) return 'it keeps more of queries'
    const more = beyond(inner.headers, outer.headers)
    return more.length > 0 ? `it keeps ${someOf(more)} too` : undefined
  },
})
