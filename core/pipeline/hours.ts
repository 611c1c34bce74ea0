export const weekdays = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun'] as const
export type Weekday = (typeof weekdays)[number]

/** Whether the IANA database has a time zone. */
export function isTimeZone(name: string): boolean {
  try {
    new Intl.DateTimeFormat('en-GB', { timeZone: name })
    return true
  } catch {
    return false
  }
}

/** The day of the week and the hour of the day (0 to 23) that a moment is in somewhere. */
export function hourInWeek(timeZone: string, at: number): { day: Weekday; hour: number } {
  const parts = new Intl.DateTimeFormat('en-GB', {
    timeZone,
    ...{ weekday: 'short', hour: '2-digit', hourCycle: 'h23' },
  }).formatToParts(at)
  const of = (type: string) => parts.find((part) => part.type === type)?.value ?? ''
  return { day: weekdays.find((day) => day === of('weekday'))!, hour: Number(of('hour')) }
}
