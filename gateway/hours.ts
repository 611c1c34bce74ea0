import type { ConfigOf } from '../core/runtime/policies'

type Hours = ConfigOf<'hours'>

const minute = 60_000
const minutesOf = (time: string) => Number(time.slice(0, 2)) * 60 + Number(time.slice(3))
const dayNames = ['sun', 'mon', 'tue', 'wed', 'thu', 'fri', 'sat']

const clocks = new Map<string, Intl.DateTimeFormat>()

/** Day of the week and minute of the day, as a clock in a time zone shows them. */
function clockAt(zone: string, at: number): { day: number; minutes: number } {
  let clock = clocks.get(zone)
  if (!clock) {
    clock = new Intl.DateTimeFormat('en-GB', {
      timeZone: zone,
      weekday: 'short',
      hour: '2-digit',
      minute: '2-digit',
      hourCycle: 'h23',
    })
    clocks.set(zone, clock)
  }
  const parts = Object.fromEntries(clock.formatToParts(at).map(({ type, value }) => [type, value]))
  return {
    day: dayNames.indexOf(parts['weekday']!.toLowerCase()),
    minutes: Number(parts['hour']) * 60 + Number(parts['minute']),
  }
}

/** Whether requests are taken at a moment. A night that begins on a day belongs to that day. */
export function openAt({ days, from, to, zone }: Hours, at: number): boolean {
  const { day, minutes } = clockAt(zone, at)
  const [begins, ends] = [minutesOf(from), minutesOf(to)]
  const isOn = (index: number) => days.some((name) => name === dayNames[(index + 7) % 7])
  if (begins < ends) return isOn(day) && minutes >= begins && minutes < ends
  return (isOn(day) && minutes >= begins) || (isOn(day - 1) && minutes < ends)
}

/** The next moment at which requests are taken, to the minute, looking a week ahead. */
export function opensAgain(hours: Hours, at: number): number {
  const first = Math.ceil(at / minute) * minute
  // Opening times are whole minutes; a quarter of an hour is how clocks change, so the search is coarse, then fine.
  for (let coarse = first; coarse <= first + 8 * 24 * 60 * minute; coarse += 15 * minute) {
    if (!openAt(hours, coarse)) continue
    let fine = coarse
    while (fine - minute >= first && openAt(hours, fine - minute)) fine -= minute
    return fine
  }
  return at + 24 * 60 * minute
}
