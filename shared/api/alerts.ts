import { alertKinds, type AlertKind } from '../../core/traffic/alerts'
import { noticeChannels, noticeEvents, type NoticeChannel, type NoticeEvent } from '../words'
import { choice, day, flag, many, moment, one, text, texts, whole } from './fields'

const clock = {
  example: '22:00',
  pattern: /^([01]\d|2[0-3]):[0-5]\d$/,
  otherwise: 'A time of day is hours and minutes: 22:00',
}

export class QuietHoursBody {
  @text({ says: 'From when nobody is told.', ...clock })
  from!: string

  @text({ says: 'Until when.', ...clock })
  to!: string

  @text({ says: 'Where that is the time of day.', example: 'Europe/London', min: 1, max: 60 })
  timeZone!: string
}

export class AlertChange {
  @text({ says: 'What it is called.', example: 'Errors in Live', min: 1, max: 120 })
  title!: string

  @choice(alertKinds, { says: 'What it watches for.' })
  kind!: AlertKind

  @whole({ says: 'From when on it is told, in the unit of its kind.', example: 5, min: 1 })
  threshold!: number

  @whole({
    says: 'How long the time is that is looked at, in minutes.',
    example: 15,
    min: 1,
    max: 1440,
  })
  minutes!: number

  @text({ says: 'Only of this API.', example: 'meter-readings', optional: true })
  api?: string

  @text({ says: 'Only in this stage.', example: 'Live', optional: true })
  stage?: string

  @text({ says: 'Only of this gateway.', example: 'north-edge', optional: true })
  gateway?: string

  @texts({ says: 'Mail addresses that are told.', example: ['oskar@brackenmere.example'], max: 20 })
  mails!: string[]

  @text({
    says: 'An address that is told by a signed POST (Standard Webhooks); empty for none.',
    example: 'https://hooks.brackenmere.example/ledger',
    max: 500,
  })
  webhook!: string

  @one(() => QuietHoursBody, { says: 'Hours in which nobody is told.', optional: true })
  quiet?: QuietHoursBody

  @day({
    says: 'The last day that it watches; absent where it goes on.',
    example: '2026-12-31',
    optional: true,
  })
  until?: string
}

export class NoticeItem {
  @moment({ says: 'When it was written.' })
  at!: string

  @choice(noticeEvents, { says: 'What it tells.' })
  event!: NoticeEvent

  @text({ says: 'In words.', example: '7 % of 120 requests failed', max: 2000 })
  says!: string

  @choice(noticeChannels, { says: 'How.' })
  channel!: NoticeChannel

  @text({ says: 'To whom.', example: 'oskar@brackenmere.example' })
  recipient!: string

  @moment({ says: 'When it was delivered; absent where it was not.', optional: true })
  sentAt?: string

  @flag({ says: 'Whether it was given up.' })
  failed!: boolean

  @text({ says: 'Why it could not be delivered yet.', example: '', max: 2000 })
  trouble!: string
}

export class AlertItem extends AlertChange {
  @whole({ says: 'Its number.', example: 3 })
  alert!: number

  @moment({ says: 'Since when something is wrong; absent where nothing is.', optional: true })
  beganAt?: string

  @text({ says: 'What is wrong.', example: '', max: 2000 })
  says!: string

  @moment({ says: 'When it was looked at last.', optional: true })
  checkedAt?: string

  @text({ says: 'Who set it.', example: 'Oskar Lindley' })
  setBy!: string

  @many(() => NoticeItem, { says: 'What was told last; ten at most.' })
  notices!: NoticeItem[]
}

/** A new alert, with what its webhook is signed with. */
export class IssuedAlert extends AlertItem {
  @text({
    says: 'What webhooks are signed with; shown when it is made, and never again.',
    example: 'whsec_…',
    optional: true,
  })
  secret?: string
}
