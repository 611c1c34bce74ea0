import { taskKinds, taskTimes, type TaskKind, type TaskTime } from '../words'
import { PageQuery } from './catalog'
import { choice, choices, day, moment, text, whole } from './fields'

/** Something that waits for whoever asks. */
export class TaskItem {
  @text({ says: 'What names it for as long as it waits.', example: 'approval 7' })
  task!: string

  @choice(taskKinds, { says: 'What is to be done.' })
  kind!: TaskKind

  @text({
    says: 'What it is done to: a request, a waiver, a proposal or a job by its number, an API by its name.',
    example: '7',
  })
  subject!: string

  @text({ says: 'In a line.', example: 'Approve: Supply Interruptions 2.4.0 into Live' })
  title!: string

  @text({ says: 'What more is known of it.', example: 'Adds subscriptions', max: 4000 })
  says!: string

  @text({ says: 'The API it is about.', example: 'supply-interruptions', optional: true })
  api?: string

  @text({ says: 'The API’s title.', example: 'Supply Interruptions', optional: true })
  apiTitle?: string

  @moment({ says: 'Since when it waits.' })
  since!: string

  @day({
    says: 'By when it is to be done; absent where nobody said so.',
    example: '2026-12-01',
    optional: true,
  })
  due?: string
}

export class TaskQuery extends PageQuery {
  @choice(taskKinds, { says: 'Only of this kind.', optional: true })
  kind?: TaskKind

  @text({ says: 'Only of this API.', example: 'supply-interruptions', optional: true })
  api?: string
}

/** How somebody is told of what waits for them. */
export class NotificationChange {
  @text({
    says: 'The address that mail goes to; empty for no mail.',
    example: 'ruth@brackenmere.example',
    max: 200,
  })
  mail!: string

  @text({
    says: 'An address that is told by a signed POST (Standard Webhooks); empty for none.',
    example: 'https://hooks.brackenmere.example/ruth',
    max: 500,
  })
  webhook!: string

  @choices(taskKinds, { says: 'What is told.', example: ['approval', 'drift'] })
  kinds!: TaskKind[]

  @choice(taskTimes, { says: 'At once, or everything of a day together.' })
  when!: TaskTime

  @whole({ says: 'The hour of the day, where it is told once a day.', example: 8, min: 0, max: 23 })
  hour!: number

  @text({ says: 'Where that is the time of day.', example: 'Europe/London', min: 1, max: 60 })
  timeZone!: string
}

export class NotificationItem extends NotificationChange {
  @moment({ says: 'When something was told last; absent where nothing was.', optional: true })
  toldAt?: string

  @text({ says: 'Why it could not be delivered; empty where it was.', example: '', max: 2000 })
  trouble!: string
}

/** The same, with what its webhook is signed with. */
export class IssuedNotification extends NotificationItem {
  @text({
    says: 'What webhooks are signed with; shown when the address is set, and never again.',
    example: 'whsec_…',
    optional: true,
  })
  secret?: string
}
