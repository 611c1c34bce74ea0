import { format, formatDistanceToNowStrict, isToday } from 'date-fns'
import { count, figure } from '~~/core/text/counted'

export { count, figure }

const small = [
  'No',
  'One',
  'Two',
  'Three',
  'Four',
  'Five',
  'Six',
  'Seven',
  'Eight',
  'Nine',
  'Ten',
  'Eleven',
  'Twelve',
]

/** A number at the beginning of a sentence. */
export const spelled = (n: number) => small[n] ?? figure(n)

const compact = new Intl.NumberFormat('en', { notation: 'compact', maximumFractionDigits: 1 })

/** A text where there is little room. */
export const clipped = (text: string, most: number) =>
  text.length > most ? `${text.slice(0, most - 1).trimEnd()}…` : text

/** A number where there is little room: `1.3K`. */
export const short = (n: number) => (n < 1000 ? String(n) : compact.format(n))

/** `14:02` today, `20 Nov, 14:02` otherwise. */
export const moment = (iso: string) =>
  format(new Date(iso), isToday(new Date(iso)) ? 'HH:mm' : 'd MMM, HH:mm')

/** `20 Nov 2026, 14:02`, on what is kept. */
export const stamp = (iso: string) => format(new Date(iso), 'd MMM yyyy, HH:mm')

/** `14:02:58`. */
export const clock = (iso: string) => format(new Date(iso), 'HH:mm:ss')

/** `3 days ago`. */
export const ago = (iso: string) => formatDistanceToNowStrict(new Date(iso), { addSuffix: true })

export const markSign = (mark: string, differences = 0) =>
  mark === 'differs' ? `≠ ${differences}` : mark === 'unseen' ? '?' : '='

export const markWords = (mark: string, differences = 0) =>
  mark === 'differs'
    ? `differs in ${count(differences, 'place')}`
    : mark === 'unseen'
      ? 'the gateway has not been read'
      : 'in step'

/** What the ledger says was done: `placement applied`. */
export const actionWords = (action: string) => action.replace('.', ' ').replaceAll('-', ' ')

/** What is asked for, beyond a promotion. */
export const kindWord = ({ kind }: { kind: string }) =>
  ({
    ...{ change: 'a change', removal: 'removal', 'put-back': 'put back' },
    ...{ keep: 'keep what runs', ending: 'an end' },
  })[kind] ?? 'a promotion'

/** A request in a line. */
export function requestTitle(request: {
  kind: string
  title: string
  version: string
  to: string
}): string {
  const what = `${request.title} ${request.version}`
  const titles: Record<string, string> = {
    change: `Change ${what} in ${request.to}`,
    removal: `Remove ${what} from ${request.to}`,
    'put-back': `Put ${what} back in ${request.to}`,
    keep: `Keep what runs of ${what} in ${request.to}`,
    ending: `End ${what} in ${request.to}`,
  }
  return titles[request.kind] ?? `${what} into ${request.to}`
}

/** What stands in the lines of a text, without empty ones. */
export const linesOf = (text: string): string[] =>
  text
    .split('\n')
    .map((line) => line.trim())
    .filter(Boolean)

/** What of a text stands around where it first differs from another. */
export function excerptBeside(text: string, other: string, most: number): string {
  let at = 0
  while (at < text.length && text[at] === other[at]) at++
  const from = at <= most / 4 ? 0 : at - Math.floor(most / 4)
  const to = from + most
  return `${from > 0 ? '…' : ''}${text.slice(from, to)}${to < text.length ? '…' : ''}`
}
