import type { Contract, Schema } from '../contract/model'
import { sampleValue } from '../contract/samples'
import { textsLike } from '../text/languages'
import { isObject, namesOf } from '../text/values'
import { propertiesOf } from './keywords'
import { annotations } from './normal'

/** A value that fits a schema, as short as it may be. */
export const leanSample = (contract: Contract, schema: Schema | undefined): unknown =>
  sampleValue(contract, schema, { isLean: true, textLike: (pattern) => textsLike(pattern, 1)[0] })

/** Keywords that ask nothing of a value, or what {@link isPlainlyValid} looks at. */
const plainKeywords = new Set([
  ...annotations,
  'type',
  'properties',
  'required',
  'minimum',
  'readOnly',
  'writeOnly',
])

/** Whether a value is valid by what most schemas say, without the validator; false also where that cannot be seen. */
export function isPlainlyValid(schema: Schema | undefined, value: unknown): boolean {
  if (!isObject(schema)) return schema === true
  for (const keyword in schema) if (!plainKeywords.has(keyword)) return false
  const { type, minimum } = schema
  if (type === 'object') {
    if (!isObject(value)) return false
    const properties = propertiesOf(schema)
    return (
      namesOf(schema['required']).every((name) => Object.hasOwn(value, name)) &&
      Object.entries(value).every(
        ([name, inner]) =>
          Object.hasOwn(properties, name) && isPlainlyValid(properties[name], inner),
      )
    )
  }
  if (type === 'integer' || type === 'number')
    return (
      typeof value === 'number' &&
      (type === 'number' || Number.isInteger(value)) &&
      (minimum === undefined || (typeof minimum === 'number' && value >= minimum))
    )
  return (type === 'string' || type === 'boolean') && typeof value === type
}
