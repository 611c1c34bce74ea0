export const weekdays = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun'] as const
export type Weekday = (typeof weekdays)[number]

/** The day of the calendar that a moment is in somewhere: `2026-11-30`. */
export const dayIn = (timeZone: string, at: number): string =>
  new Intl.DateTimeFormat('en-CA', { timeZone, dateStyle: 'short' }).format(at)

/** The day of the week and the hour of the day (0 to 23) that a moment is in somewhere. */
export function hourInWeek(timeZone: string, at: number): { day: Weekday; hour: number } {
  const parts = new Intl.DateTimeFormat('en-GB', {
    timeZone,
    ...{ weekday: 'short', hour: '2-digit', hourCycle: 'h23' },
  }).formatToParts(at)
  const of = (type: string) => parts.find((part) => part.type === type)?.value ?? ''
  return { day: weekdays.find((day) => day === of('weekday'))!, hour: Number(of('hour')) }
}
