import { AlertChange, AlertItem, IssuedAlert } from '../../shared/api/alerts'
import { PageQuery } from '../../shared/api/catalog'
import { numberIn } from '../http/validate'
import { done, ok, operation, type Operation } from '../http/operation'
import * as alerts from '../services/alerts'

export const alertOperations: Operation[] = [
  operation<undefined, PageQuery>({
    id: 'listAlerts',
    method: 'GET',
    path: '/alerts',
    tag: 'Alerts',
    summary: 'List what somebody wants to be told of, and how it stands',
    query: PageQuery,
    success: { status: 200, says: 'Alerts, those where something is wrong first', page: AlertItem },
    handle: ({ query }, context) => ok(alerts.listAlerts(context, query)),
  }),
  operation<AlertChange>({
    id: 'createAlert',
    method: 'POST',
    path: '/alerts',
    tag: 'Alerts',
    summary: 'Have people told when something goes wrong, and when it is over',
    body: AlertChange,
    success: { status: 201, says: 'The alert, with the secret of its webhook', body: IssuedAlert },
    errors: [403, 404],
    handle: ({ body }, context) => ok(alerts.createAlert(context, body)),
  }),
  operation<AlertChange>({
    id: 'updateAlert',
    method: 'PUT',
    path: '/alerts/{alert}',
    tag: 'Alerts',
    summary: 'Change an alert; it begins anew with what it watches for',
    body: AlertChange,
    success: { status: 200, says: 'The alert', body: AlertItem },
    errors: [403, 404],
    handle: ({ params, body }, context) =>
      ok(alerts.updateAlert(context, numberIn(params, 'alert'), body)),
  }),
  operation({
    id: 'removeAlert',
    method: 'DELETE',
    path: '/alerts/{alert}',
    tag: 'Alerts',
    summary: 'Remove an alert with what it told',
    success: { status: 204, says: 'It is gone' },
    errors: [403, 404],
    handle: ({ params }, context) => done(alerts.removeAlert(context, numberIn(params, 'alert'))),
  }),
  operation({
    id: 'testAlert',
    method: 'POST',
    path: '/alerts/{alert}/test',
    tag: 'Alerts',
    summary: 'Tell everybody of an alert that this is a test',
    success: {
      status: 200,
      says: 'The alert; its notices say what became of the test',
      body: AlertItem,
    },
    errors: [403, 404, 409],
    handle: ({ params }, context) => ok(alerts.testAlert(context, numberIn(params, 'alert'))),
  }),
]
