import { sha256 } from '@noble/hashes/sha2.js'
import { bytesToHex, utf8ToBytes } from '@noble/hashes/utils.js'
import pluralize from 'pluralize'
import semver from 'semver'
import { invalidity } from '../contract/validate'
import type { Fact, FactType, SchemaNode } from './facts/fact'
import { ConditionError, spend, type Meter } from './meter'
import { findsPattern } from './pattern'
import { isPlaceholder, isVerb, KnownWords, proseWords, wordsOf } from './words'

/** A function that expressions may call. `takes` names a type for each argument. */
export interface LibraryFunction {
  takes: string[]
  gives: FactType | 'item'
  says: string
  example: string
  call: (values: never, meter: Meter) => unknown
}

const define = (
  takes: string,
  gives: FactType | 'item',
  says: string,
  example: string,
  call: LibraryFunction['call'],
): LibraryFunction => ({
  takes: takes.split(', '),
  gives,
  says,
  example,
  call,
})

const form = (pattern: RegExp) => (values: [string]) => pattern.test(values[0])

const ofText = (says: string, example: string, pattern: RegExp) =>
  define('text', 'truth', says, example, form(pattern))

const addressOf = (text: string) => URL.parse(text) ?? URL.parse(text, 'https://unknown.invalid/')

const knownWords = new WeakMap<(word: string) => boolean, KnownWords>()

/** The words that a dictionary has been asked for lately, and had. */
function knownTo(isWord: (word: string) => boolean): KnownWords {
  let known = knownWords.get(isWord)
  if (!known) knownWords.set(isWord, (known = new KnownWords()))
  return known
}

/** How often a list holds each item; counted once for lists that stay. */
function countsOf(list: readonly unknown[], meter: Meter): Map<unknown, number> {
  let known = meter.counts.get(list)
  if (!known) {
    spend(meter, list.length)
    known = new Map()
    for (const item of list) known.set(item, (known.get(item) ?? 0) + 1)
    meter.counts.set(list, known)
  }
  return known
}

const mediaTypePattern = /^[a-z0-9!#$&^_.+-]+\/[a-z0-9!#$&^_.+-]+(\s*;.*)?$/i
const mediaRangePattern = /^(\*|[a-z0-9!#$&^_.+-]+)\/\*(\s*;.*)?$/i

/** `application/*+json` and the like (RFC 6838, RFC 6839). */
function mediaTypeIs(type: string, wanted: string): boolean {
  const [bare = ''] = type.toLowerCase().split(';')
  const [kind, name = ''] = bare.trim().split('/')
  const [wantedKind, wantedName = '*'] = wanted.toLowerCase().split('/')
  if (wantedKind !== '*' && wantedKind !== kind) return false
  if (wantedName === '*' || wantedName === name) return true
  return wantedName.startsWith('*+') && name.endsWith(wantedName.slice(1))
}

/** A number at the end of a name says neither one nor many. */
const isNumber = (word: string) => /^\d/.test(word)

type SchemaFact = Fact<SchemaNode>

const propertiesOf = (schema: SchemaFact) =>
  schema.shape.fields['properties']!.read(schema) as Fact<{ name: string }>[]

/** Everything that expressions may call beside the operators of the language. */
export const library: Record<string, LibraryFunction> = {
  size: define(
    'sized',
    'number',
    'Characters of a text, or items of a list.',
    'size(operation.summary) <= 90',
    ([value]: (string | unknown[])[]) => value!.length,
  ),
  matches: define(
    'text, text',
    'truth',
    'Whether a pattern (RE2 syntax, linear time) is found in a text.',
    'path.path.matches("^/v[0-9]+/")',
    ([text, pattern]: string[], meter) => findsPattern(text!, pattern!, meter),
  ),
  startsWith: define(
    'text, text',
    'truth',
    'Whether a text begins so.',
    'server.url.startsWith("https:")',
    ([text, start]: string[]) => text!.startsWith(start!),
  ),
  endsWith: define(
    'text, text',
    'truth',
    'Whether a text ends so.',
    'tag.name.endsWith("s")',
    ([text, end]: string[]) => text!.endsWith(end!),
  ),
  contains: define(
    'text, text',
    'truth',
    'Whether a text holds another.',
    'operation.summary.contains("TODO")',
    ([text, part]: string[]) => text!.includes(part!),
  ),
  lower: define('text', 'text', 'In lower case.', 'lower(parameter.name)', ([text]: string[]) =>
    text!.toLowerCase(),
  ),
  upper: define('text', 'text', 'In upper case.', 'upper(operation.method)', ([text]: string[]) =>
    text!.toUpperCase(),
  ),
  trim: define(
    'text',
    'text',
    'Without blanks at both ends.',
    'trim(schema.description)',
    ([text]: string[]) => text!.trim(),
  ),
  split: define(
    'text, text',
    { list: 'text' },
    'The pieces between separators.',
    'split(path.path, "/")',
    ([text, by]: string[], meter) => {
      spend(meter, text!.length >> 3)
      return text!.split(by!)
    },
  ),
  join: define(
    'list, text',
    'text',
    'The items with a separator between them.',
    'join(operation.tags, ", ")',
    ([list, by]: [string[], string], meter) => {
      spend(meter, list.length)
      return list.join(by)
    },
  ),
  replace: define(
    'text, text, text',
    'text',
    'A text with every occurrence of a part replaced.',
    'replace(schema.name, "_", "")',
    ([text, part, by]: string[], meter) => {
      spend(meter, text!.length)
      if (part === '' || text!.length * (by!.length + 1) > 1_000_000)
        throw new ConditionError('The text would grow too long')
      return text!.replaceAll(part!, by!)
    },
  ),
  words: define(
    'text',
    { list: 'text' },
    'The words a name is made of, in lower case.',
    'words(operation.id)',
    ([text]: string[], meter) => {
      spend(meter, text!.length >> 3)
      return wordsOf(text!)
    },
  ),
  firstWord: define(
    'text',
    'text',
    'The first word of a name, in lower case.',
    'firstWord(operation.id)',
    ([text]: string[]) => wordsOf(text!)[0] ?? '',
  ),
  lastWord: define(
    'text',
    'text',
    'The last word of a name, in lower case.',
    'lastWord(property.name)',
    ([text]: string[]) => wordsOf(text!).at(-1) ?? '',
  ),
  isVerb: define(
    'text',
    'truth',
    'Whether a word is a verb that operations begin with.',
    'isVerb(firstWord(operation.id))',
    ([word]: string[]) => isVerb(word!),
  ),
  isPlural: define(
    'text',
    'truth',
    'Whether the last word of a name is in the plural.',
    'isPlural("meter-points")',
    ([text]: string[]) => {
      const last = wordsOf(text!).at(-1) ?? ''
      return last !== '' && (isNumber(last) || pluralize.isPlural(last))
    },
  ),
  isSingular: define(
    'text',
    'truth',
    'Whether the last word of a name is in the singular.',
    'isSingular(schema.name)',
    ([text]: string[]) => {
      const last = wordsOf(text!).at(-1) ?? ''
      return last !== '' && (isNumber(last) || pluralize.isSingular(last))
    },
  ),
  plural: define(
    'text',
    'text',
    'A word in the plural.',
    'plural(lastWord(schema.name))',
    ([word]: string[]) => pluralize.plural(word!),
  ),
  singular: define(
    'text',
    'text',
    'A word in the singular.',
    'singular(tag.name)',
    ([word]: string[]) => pluralize.singular(word!),
  ),
  isCamelCase: ofText(
    'Whether a name is written likeThis.',
    'isCamelCase(property.name)',
    /^[a-z][a-z0-9]*(?:[A-Z][a-z0-9]*)*$/,
  ),
  isPascalCase: ofText(
    'Whether a name is written LikeThis.',
    'isPascalCase(schema.name)',
    /^(?:[A-Z][a-z0-9]*)+$/,
  ),
  isKebabCase: ofText(
    'Whether a name is written like-this.',
    'isKebabCase("meter-points")',
    /^[a-z0-9]+(?:-[a-z0-9]+)*$/,
  ),
  isSnakeCase: ofText(
    'Whether a name is written like_this.',
    'isSnakeCase(property.name)',
    /^[a-z0-9]+(?:_[a-z0-9]+)*$/,
  ),
  isUpperSnakeCase: ofText(
    'Whether a name is written LIKE_THIS.',
    'schema.enum.all(v, isUpperSnakeCase(v))',
    /^[A-Z0-9]+(?:_[A-Z0-9]+)*$/,
  ),
  isHeaderCase: ofText(
    'Whether a name is written Like-This.',
    'isHeaderCase(header.name)',
    /^[A-Z][A-Za-z0-9]*(?:-[A-Z0-9][A-Za-z0-9]*)*$/,
  ),
  camelCase: define(
    'text',
    'text',
    'A name written likeThis.',
    'camelCase("meter_point")',
    ([text]: string[]) => camel(wordsOf(text!)),
  ),
  pascalCase: define(
    'text',
    'text',
    'A name written LikeThis.',
    'pascalCase("meter point")',
    ([text]: string[]) => wordsOf(text!).map(capital).join(''),
  ),
  kebabCase: define(
    'text',
    'text',
    'A name written like-this.',
    'kebabCase("meterPoint")',
    ([text]: string[]) => wordsOf(text!).join('-'),
  ),
  snakeCase: define(
    'text',
    'text',
    'A name written like_this.',
    'snakeCase("meterPoint")',
    ([text]: string[]) => wordsOf(text!).join('_'),
  ),
  capitalised: define(
    'text',
    'text',
    'A text with a capital at its beginning.',
    'capitalised(operation.summary)',
    ([text]: string[]) => capital(text!),
  ),
  isSentence: ofText(
    'Whether a text begins with a capital or a digit and ends with a full stop or the like.',
    'isSentence(schema.description)',
    /^\s*[\p{Lu}\p{N}`"'“(][^]*[.!?:)`”"]\s*$/u,
  ),
  isPlaceholder: define(
    'text',
    'truth',
    'Whether a text only holds a place for one: TODO, tbd, lorem ipsum, "description" and the like.',
    'isPlaceholder(definition.description)',
    ([text]: string[]) => isPlaceholder(text!),
  ),
  misspelled: define(
    'text',
    { list: 'text' },
    'Words that neither the dictionary nor the organisation knows. Names in code marks and links are left out.',
    'misspelled(operation.description)',
    ([text]: string[], meter) => {
      const { isWord, organisation } = meter.world ?? {}
      if (!isWord || !organisation) return []
      spend(meter, text!.length)
      const known = knownTo(isWord)
      const unknown = proseWords(text!, known).filter((word) => {
        const lower = word.toLowerCase()
        if (!isWord(lower)) return !organisation.words.has(lower)
        known.add(word)
        return false
      })
      return [...new Set(unknown)]
    },
  ),
  isSemver: define(
    'text',
    'truth',
    'Whether a version is major.minor.patch (Semantic Versioning 2.0.0).',
    'isSemver(definition.version)',
    ([text]: string[]) => semver.valid(text) !== null,
  ),
  majorOf: define(
    'text',
    'number',
    'The first number of a version; -1 where it has none.',
    'majorOf(definition.version) >= 1',
    ([text]: string[]) => Number(/^v?(\d+)/.exec(text!)?.[1] ?? -1),
  ),
  schemeOf: define(
    'text',
    'text',
    'The scheme of an address, in lower case; empty where it has none.',
    'schemeOf(server.url) == "https"',
    ([text]: string[]) => /^([a-z][a-z0-9+.-]*):/i.exec(text!)?.[1]?.toLowerCase() ?? '',
  ),
  hostOf: define(
    'text',
    'text',
    'The host of an address; empty where it has none.',
    'hostOf(server.url).endsWith(organisation.domain)',
    ([text]: string[]) => {
      const host = addressOf(text!)?.hostname ?? ''
      return host === 'unknown.invalid' ? '' : host
    },
  ),
  pathOf: define(
    'text',
    'text',
    'The path of an address.',
    'pathOf(server.url)',
    ([text]: string[]) => decodeURI(addressOf(text!)?.pathname ?? ''),
  ),
  isAddress: ofText(
    'Whether a text is an address of the web.',
    'isAddress(definition.docs)',
    /^https?:\/\/[^\s/]+\S*$/i,
  ),
  isEmail: ofText(
    'Whether a text is an e-mail address.',
    'isEmail(definition.contact.email)',
    /^[^\s@]+@[^\s@.]+(?:\.[^\s@.]+)+$/,
  ),
  isDate: ofText(
    'Whether a text is a day, as 2026-11-30 (RFC 3339).',
    'isDate(example.value)',
    /^\d{4}-(?:0[1-9]|1[0-2])-(?:0[1-9]|[12]\d|3[01])$/,
  ),
  isMediaType: ofText(
    'Whether a text is a media type (RFC 6838).',
    'isMediaType(mediaType.type)',
    mediaTypePattern,
  ),
  isMediaRange: ofText(
    'Whether a text stands for several media types, as `*/*` or `text/*` does (RFC 9110, section 12.5.1).',
    'isMediaRange(mediaType.type)',
    mediaRangePattern,
  ),
  counted: define(
    'value, text, text',
    'text',
    'How many items a list has, or a number itself, with the word for one or for several.',
    'counted(operation.tags, "tag", "tags")',
    ([value, one, several]: unknown[]) => {
      const count = Array.isArray(value) ? value.length : Number(value)
      return `${count} ${count === 1 ? String(one) : String(several)}`
    },
  ),
  mediaTypeIs: define(
    'text, text',
    'truth',
    'Whether a media type is of a kind; * stands for anything, as in application/*+json.',
    'mediaTypeIs(mediaType.type, "application/*+json")',
    ([type, wanted]: string[]) => mediaTypeIs(type!, wanted!),
  ),
  occurrences: define(
    'list, value',
    'number',
    'How often a list holds an item.',
    'occurrences(definition.operationIds, operation.id) == 1',
    ([list, item]: [unknown[], unknown], meter) => countsOf(list, meter).get(item) ?? 0,
  ),
  duplicates: define(
    'list',
    { list: 'value' },
    'The items that a list holds more than once.',
    'size(duplicates(definition.tagNames)) == 0',
    ([list]: unknown[][], meter) =>
      [...countsOf(list!, meter)].filter(([, count]) => count > 1).map(([item]) => item),
  ),
  isUnique: define(
    'list',
    'truth',
    'Whether a list holds nothing twice.',
    'isUnique(schema.enum)',
    ([list]: unknown[][], meter) => countsOf(list!, meter).size === list!.length,
  ),
  containsAll: define(
    'list, list',
    'truth',
    'Whether a list holds every item of another.',
    'containsAll(operation.statuses, ["400", "404"])',
    ([list, items]: unknown[][], meter) => {
      spend(meter, items!.length)
      const known = countsOf(list!, meter)
      return items!.every((item) => known.has(item))
    },
  ),
  containsAny: define(
    'list, list',
    'truth',
    'Whether a list holds any item of another.',
    'containsAny(operation.queryNames, ["limit", "pageSize"])',
    ([list, items]: unknown[][], meter) => {
      spend(meter, items!.length)
      const known = countsOf(list!, meter)
      return items!.some((item) => known.has(item))
    },
  ),
  first: define(
    'list',
    'item',
    'The first item of a list that has one.',
    'first(schema.types)',
    ([list]: unknown[][]) => {
      if (list!.length === 0) throw new ConditionError('The list is empty')
      return list![0]
    },
  ),
  hasProperty: define(
    'schema, text',
    'truth',
    'Whether a schema has a property, through references and allOf.',
    'hasProperty(mediaType.schema, "title")',
    ([schema, name]: [SchemaFact | null, string], meter) => {
      if (!schema) return false
      const properties = propertiesOf(schema)
      spend(meter, properties.length)
      return properties.some(({ node }) => node.name === name)
    },
  ),
  isList: define(
    'schema',
    'truth',
    'Whether a schema describes a list.',
    'isList(response.schema)',
    ([schema]: (SchemaFact | null)[]) => schema !== null && schema!.node.schema['type'] === 'array',
  ),
  isClosed: define(
    'schema',
    'truth',
    'Whether a schema allows only the properties it names.',
    'isClosed(schema)',
    ([schema]: (SchemaFact | null)[]) => {
      const node = schema?.node.schema
      return node?.['additionalProperties'] === false || node?.['unevaluatedProperties'] === false
    },
  ),
  reaches: define(
    'schema, text',
    'truth',
    'Whether a schema refers to a named one, directly or through others.',
    'reaches(response.schema, "Person")',
    ([schema, name]: [SchemaFact | null, string], meter) => {
      if (!schema) return false
      const reached = schema.shape.fields['reaches']!.read(schema) as string[]
      spend(meter, 1)
      return countsOf(reached, meter).has(name)
    },
  ),
  fits: define(
    'value, schema',
    'truth',
    'Whether a value is as its schema asks.',
    'fits(example.value, example.schema)',
    ([value, schema]: [unknown, SchemaFact | null], meter) => {
      if (!schema) return true
      return (
        invalidity(schema.world.contract, value, schema.node.schema, () => spend(meter, 1)) ===
        undefined
      )
    },
  ),
  misfit: define(
    'value, schema',
    'text',
    'What of a value is not as its schema asks; empty where it fits.',
    'misfit(example.value, example.schema)',
    ([value, schema]: [unknown, SchemaFact | null], meter) =>
      schema
        ? (invalidity(schema.world.contract, value, schema.node.schema, () => spend(meter, 1)) ??
          '')
        : '',
  ),
  sharesBasePath: define(
    'server',
    { list: 'text' },
    'Other APIs of the register whose servers have the same base path.',
    'size(sharesBasePath(server)) == 0',
    ([server]: Fact<{ url: string }>[]) =>
      ownEntry(server!.world.estate.basePaths, pathKey(server!.node.url)) ?? [],
  ),
  differsElsewhere: define(
    'schema',
    { list: 'text' },
    'Other APIs of the register that have a schema of this name with other properties.',
    'size(differsElsewhere(schema)) == 0',
    ([schema]: SchemaFact[]) => {
      if (!schema) return []
      const known = ownEntry(schema.world.estate.schemas, schema.node.name) ?? []
      const mine = shapeOf(schema.node.schema)
      return known.filter(({ shape }) => shape !== mine).flatMap(({ apis }) => apis)
    },
  ),
}

/** What a map of names holds of its own under a name that a stranger chose. */
const ownEntry = <T>(map: Record<string, T>, name: string): T | undefined =>
  Object.hasOwn(map, name) ? map[name] : undefined

const capital = (word: string) => word.charAt(0).toUpperCase() + word.slice(1)
const camel = ([first = '', ...rest]: string[]) => first + rest.map(capital).join('')

/** The part of a server's address by which two APIs would get in each other's way. */
export const pathKey = (url: string): string => {
  const address = addressOf(url.replace(/\{[^}]*\}/g, 'x'))
  const path = address?.pathname.replace(/\/+$/, '') ?? ''
  return path === '' ? '' : `${address?.hostname ?? ''}${path}`
}

/** What two schemas of one name are compared by: a hash of their properties with their types. */
export function shapeOf(schema: Record<string, unknown>): string {
  const typeOf = (value: unknown) =>
    typeof value === 'object' && value !== null
      ? JSON.stringify(
          (value as Record<string, unknown>)['type'] ?? (value as Record<string, unknown>)['$ref'],
        )
      : ''
  const properties = schema['properties']
  if (typeof properties !== 'object' || properties === null) return typeOf(schema)
  const said = Object.entries(properties)
    .map(([name, value]) => `${name}:${typeOf(value)}`)
    .sort()
    .join(',')
  return bytesToHex(sha256(utf8ToBytes(said))).slice(0, 16)
}
