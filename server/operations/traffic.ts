import { TrafficPage, TrafficQuery } from '../../shared/api/traffic'
import { ok, operation, type Operation } from '../http/operation'
import { readTraffic } from '../services/traffic'

export const trafficOperations: Operation[] = [
  operation<undefined, TrafficQuery>({
    id: 'getTraffic',
    method: 'GET',
    path: '/traffic',
    tag: 'Traffic',
    summary: 'Read what gateways answered in a time, told apart by one thing',
    description:
      'Counts are of requests that ended, by minute, hour or day (UTC). Times are read from histograms and are right to within 5 %.',
    query: TrafficQuery,
    success: { status: 200, says: 'The figures', body: TrafficPage },
    handle: ({ query }, context) => ok(readTraffic(context, query)),
  }),
]
