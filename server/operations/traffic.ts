import { TrafficPage, TrafficQuery } from '../../shared/api/traffic'
import { ok, operation, type Operation } from '../http/operation'
import { RequestDetail, RequestItem, RequestQuery } from '../../shared/api/requests'
import { listRequests, readRequest } from '../services/requests'
import { exportTraffic, readTraffic } from '../services/traffic'

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
  operation<undefined, TrafficQuery>({
    id: 'exportTraffic',
    method: 'GET',
    path: '/traffic/export',
    tag: 'Traffic',
    summary: 'Read the figures of a time as comma-separated values',
    query: TrafficQuery,
    success: {
      status: 200,
      says: 'One line for each row, with a line of names before them',
      mediaType: 'text/csv',
      example: 'key,api,calls\r\nGET /areas,supply-interruptions,12\r\n',
    },
    handle: async ({ query }, context) => ({
      body: await exportTraffic(context, query),
      headers: { 'Content-Disposition': 'attachment; filename="traffic.csv"' },
    }),
  }),
  operation<undefined, RequestQuery>({
    id: 'listRequests',
    method: 'GET',
    path: '/requests',
    tag: 'Traffic',
    summary: 'List single requests that gateways answered, as far as they are kept',
    description:
      'Requests that did not go well are kept, and a share of the others, for as long as the settings say. Nothing of what was sent is in them but names.',
    query: RequestQuery,
    success: { status: 200, says: 'Requests, the newest first', page: RequestItem },
    handle: ({ query }, context) => ok(listRequests(context, query)),
  }),
  operation({
    id: 'getRequest',
    method: 'GET',
    path: '/requests/{request}',
    tag: 'Traffic',
    summary: 'Read one request by its X-Request-Id, with its way through the gateway',
    success: { status: 200, says: 'The request', body: RequestDetail },
    errors: [404],
    handle: ({ params }, context) => ok(readRequest(context, params['request']!)),
  }),
]
