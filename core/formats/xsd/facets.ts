import { table } from '../../text/values'
import type { SchemaObject } from '../../contract/model'
import type { XmlElement } from '../../text/xml'
import { isXsd } from './components'
import { documentation } from './documentation'

const numeric = (kind: unknown) => kind === 'integer' || kind === 'number'

/** A value as it is written, as JSON with that schema has it. */
export function valueOf(text: string, schema: SchemaObject): unknown {
  const type = Array.isArray(schema['type']) ? (schema['type'] as unknown[])[0] : schema['type']
  if (numeric(type) && text.trim() !== '' && Number.isFinite(Number(text))) return Number(text)
  if (type === 'boolean') return text === 'true' || text === '1'
  return text
}

const facetKeywords = table<string>({
  minLength: 'minLength',
  maxLength: 'maxLength',
  minInclusive: 'minimum',
  maxInclusive: 'maximum',
  minExclusive: 'exclusiveMinimum',
  maxExclusive: 'exclusiveMaximum',
})

/** The constraining facets of a restriction (XML Schema part 2, section 4.3). */
export function facetsOf(element: XmlElement, kind: string): SchemaObject {
  const facets: SchemaObject = {}
  const values: unknown[] = []
  const descriptions: Record<string, string> = {}
  const patterns: string[] = []
  for (const child of element.children) {
    const value = child.attribute('value')
    if (!isXsd(child) || value === undefined) continue
    const keyword = facetKeywords[child.local]
    const ofList = kind === 'array'
    if (child.local === 'enumeration') {
      const item = valueOf(value, { type: kind })
      values.push(item)
      const description = documentation(child)
      if (description !== undefined) descriptions[String(item)] = description
    } else if (child.local === 'pattern') patterns.push(value)
    else if (child.local === 'length') {
      Object.assign(
        facets,
        ofList
          ? { minItems: Number(value), maxItems: Number(value) }
          : { minLength: Number(value), maxLength: Number(value) },
      )
    } else if (keyword?.endsWith('Length')) {
      facets[ofList ? keyword.replace('Length', 'Items') : keyword] = Number(value)
    } else if (keyword) {
      if (numeric(kind) && Number.isFinite(Number(value))) facets[keyword] = Number(value)
      else facets[`x-${keyword.toLowerCase()}`] = value
    } else if (child.local === 'fractionDigits') facets['x-fraction-digits'] = Number(value)
    else if (child.local === 'totalDigits') facets['x-total-digits'] = Number(value)
    else if (child.local === 'whiteSpace') facets['x-white-space'] = value
  }
  if (values.length > 0) facets['enum'] = values
  if (Object.keys(descriptions).length > 0) facets['x-enum-descriptions'] = descriptions
  // A pattern of XML Schema always means the whole value (part 2, appendix F).
  if (patterns.length > 0) facets['pattern'] = `^(?:${patterns.join('|')})$`
  return facets
}
