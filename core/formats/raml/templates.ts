import pluralize from 'pluralize'
import { isObject, type Node } from '../../text/values'
import type { RamlSources } from './sources'

const wordsOf = (text: string) =>
  text
    .replace(/([a-z0-9])([A-Z])/g, '$1 $2')
    .split(/[\s_-]+/)
    .filter((word) => word !== '')
const capital = (word: string) => word.charAt(0).toUpperCase() + word.slice(1).toLowerCase()
const joined = (text: string, mark: string) => wordsOf(text).join(mark)
const upperCamel = (text: string) => wordsOf(text).map(capital).join('')

/** The functions a parameter may pass through (RAML 1.0, "Resource Type and Trait Parameters"). */
const functions: Record<string, (text: string) => string> = {
  singularize: (text) => pluralize.singular(text),
  pluralize: (text) => pluralize.plural(text),
  uppercase: (text) => text.toUpperCase(),
  lowercase: (text) => text.toLowerCase(),
  lowercamelcase: (text) => {
    const camel = upperCamel(text)
    return camel.charAt(0).toLowerCase() + camel.slice(1)
  },
  uppercamelcase: upperCamel,
  lowerunderscorecase: (text) => joined(text, '_').toLowerCase(),
  upperunderscorecase: (text) => joined(text, '_').toUpperCase(),
  lowerhyphencase: (text) => joined(text, '-').toLowerCase(),
  upperhyphencase: (text) => joined(text, '-').toUpperCase(),
}

const parameter = /<<\s*([\w.-]+)\s*((?:\|\s*!\w+\s*)*)>>/g

/** Fills `<<name | !function>>` in every key and text of a template; what is not given is reported by name. */
export function fill(
  template: unknown,
  given: Node,
  sources: RamlSources,
  missing: (name: string) => void,
): unknown {
  if (typeof template === 'string') return filledText(template, given, missing)
  if (Array.isArray(template)) {
    const list = template.map((item) => fill(item, given, sources, missing))
    sources.inherit(list, template)
    return list
  }
  if (!isObject(template)) return template
  const node: Node = {}
  for (const [key, value] of Object.entries(template)) {
    node[String(filledText(key, given, missing))] = fill(value, given, sources, missing)
  }
  sources.inherit(node, template)
  return node
}

function filledText(text: string, given: Node, missing: (name: string) => void): unknown {
  if (!text.includes('<<')) return text
  const whole = /^<<\s*([\w.-]+)\s*>>$/.exec(text)
  if (whole && Object.hasOwn(given, whole[1]!)) return given[whole[1]!]
  return text.replace(parameter, (match, name: string, calls: string) => {
    if (!Object.hasOwn(given, name)) {
      missing(name)
      return match
    }
    const value = given[name]
    let filled = typeof value === 'string' ? value : JSON.stringify(value)
    for (const [, call] of calls.matchAll(/!(\w+)/g)) filled = functions[call!]?.(filled) ?? filled
    return filled
  })
}

/**
 * Merges what a template says into what an author says, whose word counts (RAML 1.0, "Algorithm of Merging Traits and
 * Methods"). A key ending in `?` applies only where the author has it; `optional` tells which keys may end so.
 */
export function merge(
  own: unknown,
  template: unknown,
  sources: RamlSources,
  optional: (key: string) => boolean,
): unknown {
  if (own === undefined || own === null) return template
  if (!isObject(own) || !isObject(template)) {
    if (!Array.isArray(own) || !Array.isArray(template)) return own
    const list = [
      ...(own as unknown[]),
      ...(template as unknown[]).filter((item) => !own.includes(item)),
    ]
    sources.inherit(list, own)
    return list
  }
  const node: Node = { ...own }
  sources.inherit(node, own)
  for (const [written, value] of Object.entries(template)) {
    const isOptional = written.endsWith('?') && optional(written.slice(0, -1))
    const key = isOptional ? written.slice(0, -1) : written
    if (Object.hasOwn(node, key)) node[key] = merge(node[key], value, sources, optional)
    else if (!isOptional) node[key] = value
  }
  return node
}
