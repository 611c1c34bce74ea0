import { isValid, parseISO } from 'date-fns'
import { ConfigurationError, record, text } from './config-values'

/** What callers are told of the end of what they call. Days are those of UTC: `2027-03-31`. */
export interface Lifecycle {
  /** Since when it should not be called by anything new (RFC 9745). */
  deprecated?: string
  /** From when on it may be gone (RFC 8594). */
  sunset?: string
  /** Where people read about it. */
  documentation?: string
}

/** What an API's register says: of all operations, and of those that are deprecated alone, by their names. */
export interface LifecycleFacts extends Lifecycle {
  operations: ReadonlyMap<string, string>
}

/** What a register keeps of an API’s end. */
interface Kept {
  lifecycle: string
  deprecatedOn: string | null
  sunset: string | null
  links: readonly { url: string; deprecation?: boolean }[]
}

/** What callers of an API are told by what the register keeps; its sunset counts once it is deprecated. */
export function toldBy({ lifecycle, deprecatedOn, sunset, links }: Kept): Lifecycle {
  const documentation = links.find(({ url, deprecation }) => deprecation && isLinkTarget(url))?.url
  const ends = lifecycle === 'deprecated'
  return {
    ...(ends && deprecatedOn && { deprecated: deprecatedOn }),
    ...(ends && sunset && { sunset }),
    ...(documentation !== undefined && { documentation }),
  }
}

/** What callers are told where a placement ends as well: the earlier days. */
export function sooner(
  facts: LifecycleFacts,
  ending: { since: string; until: string } | null,
): LifecycleFacts {
  if (!ending) return facts
  const earlier = (one: string | undefined, other: string) =>
    one !== undefined && one < other ? one : other
  return {
    ...facts,
    deprecated: earlier(facts.deprecated, ending.since),
    sunset: earlier(facts.sunset, ending.until),
  }
}

/** What holds for one operation: the earlier day of its own and of its API. */
export function lifecycleOf(
  { operations, ...whole }: LifecycleFacts,
  operation: string,
): Lifecycle | undefined {
  const days = [whole.deprecated, operations.get(operation)].filter((day) => day !== undefined)
  const deprecated = days.sort()[0]
  if (deprecated === undefined && whole.sunset === undefined) return undefined
  return { ...whole, ...(deprecated !== undefined && { deprecated }) }
}

/** What a resource says, as it is written; or the refusal. */
export function readLifecycle(spec: Record<string, unknown>, where: string): LifecycleFacts {
  const day = (value: unknown, name: string) => {
    const written = text(value, `${where}, ${name}`)
    if (/^\d{4}-\d{2}-\d{2}$/.test(written) && isValid(parseISO(written))) return written
    throw new ConfigurationError(`${where}, ${name} must be a day such as 2027-03-31`)
  }
  const { deprecated, sunset, documentation, rules = {} } = spec
  return {
    ...(deprecated !== undefined && { deprecated: day(deprecated, 'deprecated') }),
    ...(sunset !== undefined && { sunset: day(sunset, 'sunset') }),
    ...(documentation !== undefined && { documentation: address(documentation, where) }),
    operations: new Map(
      Object.entries(record(rules, `${where}, rules`)).map(([name, since]) => [
        name,
        day(since, `rules.${name.slice(0, 100)}`),
      ]),
    ),
  }
}

/** Whether an address may stand between the angle brackets of a Link (RFC 8288, section 3). */
export const isLinkTarget = (url: string) =>
  url.length <= 2000 && /^https?:\/\/[\w\-.~:/?#[\]@!$&'()*+,;=%]+$/.test(url)

function address(value: unknown, where: string): string {
  const written = text(value, `${where}, documentation`)
  if (isLinkTarget(written)) return written
  throw new ConfigurationError(`${where}, documentation must be an http or https address`)
}

/** Midnight of a day, in seconds since 1970. */
const seconds = (day: string) => Date.parse(`${day}T00:00:00Z`) / 1000

/** The header fields that say it: Deprecation (RFC 9745), Sunset and Link (RFC 8594), as names and values. */
export function lifecycleFields({ deprecated, sunset, documentation }: Lifecycle): string[] {
  const link = (relation: string) => [
    'Link',
    `<${documentation}>; rel="${relation}"; type="text/html"`,
  ]
  return [
    ...(deprecated ? ['Deprecation', `@${seconds(deprecated)}`] : []),
    ...(sunset ? ['Sunset', new Date(seconds(sunset) * 1000).toUTCString()] : []),
    ...(documentation && deprecated ? link('deprecation') : []),
    ...(documentation && sunset ? link('sunset') : []),
  ]
}

/** In words: `deprecated since 2026-10-01, served until 2027-03-31`. */
export const lifecycleText = (lifecycle: Lifecycle | undefined) =>
  [
    lifecycle?.deprecated && `deprecated since ${lifecycle.deprecated}`,
    lifecycle?.sunset && `served until ${lifecycle.sunset}`,
  ]
    .filter(Boolean)
    .join(', ') || 'nothing'
