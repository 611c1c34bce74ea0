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

/** What a template is filled with, and what it is filled for. */
export interface Filling {
  given: Node
  sources: RamlSources
  /** Called with the name of each parameter that is not given. */
  missing: (name: string) => void
  /** Which keys, so deep in the template, may end in `?` to apply only where the author has them. */
  optional: (key: string, depth: number) => boolean
}

/**
 * Fills `<<name | !function>>` in every key and text of a template for what an author wrote. What is optional and what
 * the author does not have is left out, so that nobody has to give the parameters in it (RAML 1.0, "Declaring HTTP
 * methods in Resource Types").
 */
export function fill(template: unknown, author: unknown, filling: Filling, depth = 0): unknown {
  if (typeof template === 'string') return filledText(template, filling)
  if (Array.isArray(template)) {
    const list = template.map((item) => fill(item, undefined, filling, depth + 1))
    filling.sources.inherit(list, template)
    return list
  }
  if (!isObject(template)) return template
  const own: Node = isObject(author) ? author : {}
  const node: Node = {}
  for (const [unfilled, value] of Object.entries(template)) {
    const written = String(filledText(unfilled, filling))
    const name = written.endsWith('?') ? written.slice(0, -1) : written
    const isOptional = name !== written && filling.optional(name, depth)
    if (isOptional && !Object.hasOwn(own, name)) continue
    const key = isOptional ? name : written
    node[key] = fill(value, own[key], filling, depth + 1)
  }
  filling.sources.inherit(node, template)
  return node
}

function filledText(text: string, { given, missing }: Filling): unknown {
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
 * Methods").
 */
export function merge(own: unknown, template: unknown, sources: RamlSources): unknown {
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
  for (const [key, value] of Object.entries(template)) {
    node[key] = Object.hasOwn(node, key) ? merge(node[key], value, sources) : value
  }
  return node
}
