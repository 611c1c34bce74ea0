import {
  IssuedNotification,
  NotificationChange,
  NotificationItem,
  TaskItem,
  TaskQuery,
} from '../../shared/api/tasks'
import { ok, operation, type Operation } from '../http/operation'
import * as notifications from '../services/notifications'
import { listTasks } from '../services/tasks'

export const taskOperations: Operation[] = [
  operation<undefined, TaskQuery>({
    id: 'listTasks',
    method: 'GET',
    path: '/tasks',
    tag: 'Tasks',
    summary: 'List what waits for whoever asks, what is due first first',
    query: TaskQuery,
    success: { status: 200, says: 'A page of what waits', page: TaskItem },
    handle: ({ query }, context) => ok(listTasks(context, query)),
  }),
  operation({
    id: 'getNotifications',
    method: 'GET',
    path: '/notifications',
    tag: 'Tasks',
    summary: 'Read how whoever asks is told of what waits for them',
    success: { status: 200, says: 'How they are told', body: NotificationItem },
    handle: (_asked, context) => ok(notifications.readNotifications(context)),
  }),
  operation<NotificationChange>({
    id: 'updateNotifications',
    method: 'PUT',
    path: '/notifications',
    tag: 'Tasks',
    summary: 'Say how whoever asks is told of what waits for them',
    description: 'What waits already is not told again.',
    body: NotificationChange,
    success: {
      status: 200,
      says: 'How they are told, with the secret of a webhook that is new',
      body: IssuedNotification,
    },
    handle: ({ body }, context) => ok(notifications.changeNotifications(context, body)),
  }),
  operation({
    id: 'testNotifications',
    method: 'POST',
    path: '/notifications/test',
    tag: 'Tasks',
    summary: 'Tell whoever asks that this is a test',
    success: { status: 200, says: 'How they are told', body: NotificationItem },
    errors: [409],
    handle: (_asked, context) => ok(notifications.testNotifications(context)),
  }),
]
