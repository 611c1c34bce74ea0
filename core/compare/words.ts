import type { Change, Part, Step } from './model'

/** What a change is about, in a line. */
export function subjectOf({ operation, part, name }: Change): string {
  if (operation !== '') return operation
  return name === '' ? 'The definition' : `${part} ${name}`
}

/** What of an operation it is: `query parameter from`, `response 200`, `request body`. */
function whoseWords(part: Part, name: string): string {
  if (part === 'operation' || part === 'webhook' || part === 'credentials') return ''
  if (part === 'value' || part === 'media type') return name
  if (part === 'parameter') return name.replace(parameterName, '$1 parameter ')
  return `${part} ${name}`.trim()
}

const parameterName = /^(path|query|header|cookie|querystring) /

/** A path into a value: `reading.tags[].name`. */
const pathWords = (path: Step[]): string =>
  path
    .map((step) =>
      'property' in step
        ? `.${step.property}`
        : 'item' in step
          ? '[]'
          : 'position' in step
            ? `[${step.position}]`
            : 'other' in step
              ? '.*'
              : `(choice ${step.choice + 1})`,
    )
    .join('')
    .replace(/^\./, '')

const show = (value: unknown): string => {
  const text =
    typeof value === 'string'
      ? `"${value}"`
      : Array.isArray(value)
        ? value.map((one) => (typeof one === 'string' ? one : JSON.stringify(one))).join(', ')
        : (JSON.stringify(value) ?? 'nothing')
  return text.length > 80 ? `${text.slice(0, 79)}…` : text
}

const isLong = (value: unknown) =>
  typeof value === 'object' || (typeof value === 'string' && value.length > 60)

/** Why a change is risky, as it follows what happened. */
export const undecidedWords = (undecided: string | undefined) =>
  undecided ? `; could not be decided, because ${undecided}` : ''

/** What happened in a sentence, made of the members of a change alone. */
export function happeningOf(change: Change): string {
  const { kind, operation, part, name, keyword, path, was, is } = change
  const at = [operation === '' && part !== 'value' ? '' : whoseWords(part, name), pathWords(path)]
    .filter(Boolean)
    .join(': ')
  const of = at === '' ? '' : `${at} `
  return capital(`${of}${happened()}`)

  function happened(): string {
    if (kind === 'renamed') return `was called ${show(was)}`
    if (kind === 'moved') return `was ${part === 'operation' ? String(was) : show(was)}`
    if (keyword === '' && part === 'credentials')
      return `asks for ${securityWords(is)}, asked for ${securityWords(was)}`
    if (keyword === '' || keyword === 'property') {
      if (kind === 'added') return is === true ? 'is new, and required' : 'is new'
      return kind === 'removed' ? 'is gone' : 'allows other values'
    }
    if (keyword === 'required') return is === true ? 'is now required' : 'is no longer required'
    if (keyword === 'deprecated')
      return kind === 'removed' ? 'is no longer deprecated' : 'is now deprecated'
    if (keyword === 'additionalProperties')
      return is === true ? 'may have other properties' : 'may have no other properties'
    if (keyword === 'enum' && !Array.isArray(was ?? is))
      return kind === 'added' ? `may be ${show(is)}` : `may no longer be ${show(was)}`
    const label = keyword === 'id' ? 'identifier' : keyword
    const verb = label === 'examples' ? 'are' : 'is'
    if (kind === 'added') return `${label} ${verb} ${isLong(is) ? 'now given' : show(is)}`
    if (kind === 'removed')
      return `${label} ${verb} no longer given${isLong(was) ? '' : ` (was ${show(was)})`}`
    return isLong(is) && isLong(was)
      ? `${label} changed`
      : `${label} is ${show(is)}, was ${show(was)}`
  }
}

const securityWords = (security: unknown): string => {
  const list = Array.isArray(security) ? (security as Record<string, string[]>[]) : []
  if (list.length === 0) return 'nothing'
  return list
    .map(
      (one) =>
        Object.entries(one)
          .map(([name, scopes]) => (scopes.length > 0 ? `${name} (${scopes.join(', ')})` : name))
          .join(' and ') || 'nothing',
    )
    .join(' or ')
}

const capital = (text: string) => text.charAt(0).toUpperCase() + text.slice(1)
