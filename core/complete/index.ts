import type { Specification } from '../formats/openapi/shapes'
import { ramlHeader } from '../formats/raml/sources'
import type { Syntax, TextReading } from '../text/read'
import { completeOpenApi } from './openapi'
import { placeInJson, placeInYaml } from './location'
import { completeRaml } from './raml'
import { completeXml } from './xml'

/** Something that may be written at a place. */
export interface Suggestion {
  label: string
  /** What it is, in a word. */
  detail?: string
}

/** What may be written at a cursor, in place of what stands from `from` to it. */
export interface Completion {
  from: number
  kind: 'key' | 'value' | 'element'
  suggestions: Suggestion[]
}

/** Longer texts are not looked through at every key. */
const longest = 4_000_000

/**
 * What the format and the definition itself would have at a cursor: fields of the specification, names of schemas,
 * parameters, tags, schemes. `reading` is the last readable state of the text, for the names it has.
 */
export function complete(
  text: string,
  offset: number,
  syntax: Syntax,
  reading: TextReading | undefined,
): Completion | undefined {
  if (text.length > longest) return undefined
  if (syntax === 'xml') {
    const root = reading?.readable && reading.syntax === 'xml' ? reading.root : undefined
    return completeXml(text, offset, root)
  }
  const place = syntax === 'json' ? placeInJson(text, offset) : placeInYaml(text, offset)
  if (!place) return undefined
  const value = reading?.readable && reading.syntax !== 'xml' ? reading.value : undefined
  const specification = specificationOf(text)
  const suggestions = ramlHeader(text)
    ? completeRaml(value, place)
    : specification
      ? completeOpenApi(value, specification, place)
      : []
  if (suggestions.length === 0) return undefined
  const isKey = place.asks === 'key' && typeof place.path.at(-1) !== 'number'
  const kind = isKey && !place.closed ? 'key' : 'value'
  return { from: place.from, kind, suggestions }
}

function specificationOf(text: string): Specification | undefined {
  const found = /(?:^|[{,\s])["']?(?:openapi|swagger)["']?\s*:\s*["']?(2\.0|3\.[012])/.exec(
    text.slice(0, 20_000),
  )
  return found?.[1] as Specification | undefined
}
