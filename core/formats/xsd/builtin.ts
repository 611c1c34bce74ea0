import type { SchemaObject } from '../../contract/model'

/** The namespace of the recommendation. */
export const recommended = 'http://www.w3.org/2001/XMLSchema'

/** The namespaces of XML Schema: the recommendation's and the drafts that old services still carry. */
export const xsdNamespaces = new Set([
  recommended,
  'http://www.w3.org/2000/10/XMLSchema',
  'http://www.w3.org/1999/XMLSchema',
])

const text: SchemaObject = { type: 'string' }
const whole = (minimum?: number, maximum?: number): SchemaObject => ({
  type: 'integer',
  ...(minimum === undefined ? {} : { minimum }),
  ...(maximum === undefined ? {} : { maximum }),
})
const formatted = (format: string): SchemaObject => ({ type: 'string', format })
const words: SchemaObject = { type: 'array', items: { type: 'string' } }

/** The types that XML Schema itself defines (part 2, section 3) as JSON Schema. */
const types: Record<string, SchemaObject> = {
  anyType: {},
  anySimpleType: {},
  anyAtomicType: {},
  'ur-type': {},
  string: text,
  normalizedString: text,
  token: text,
  language: text,
  Name: text,
  NCName: text,
  NMTOKEN: text,
  ID: text,
  IDREF: text,
  ENTITY: text,
  QName: text,
  NOTATION: text,
  NMTOKENS: words,
  IDREFS: words,
  ENTITIES: words,
  boolean: { type: 'boolean' },
  decimal: { type: 'number' },
  float: { type: 'number', format: 'float' },
  double: { type: 'number', format: 'double' },
  integer: whole(),
  nonNegativeInteger: whole(0),
  positiveInteger: whole(1),
  nonPositiveInteger: whole(undefined, 0),
  negativeInteger: whole(undefined, -1),
  long: { type: 'integer', format: 'int64' },
  int: { type: 'integer', format: 'int32' },
  short: whole(-32768, 32767),
  byte: whole(-128, 127),
  unsignedLong: whole(0),
  unsignedInt: whole(0, 4294967295),
  unsignedShort: whole(0, 65535),
  unsignedByte: whole(0, 255),
  dateTime: formatted('date-time'),
  dateTimeStamp: formatted('date-time'),
  timeInstant: formatted('date-time'),
  date: formatted('date'),
  time: formatted('time'),
  duration: formatted('duration'),
  yearMonthDuration: formatted('duration'),
  dayTimeDuration: formatted('duration'),
  timeDuration: formatted('duration'),
  gYear: text,
  gYearMonth: text,
  gMonth: text,
  gMonthDay: text,
  gDay: text,
  anyURI: formatted('uri'),
  'uri-reference': formatted('uri-reference'),
  uriReference: formatted('uri-reference'),
  base64Binary: { type: 'string', contentEncoding: 'base64' },
  base64: { type: 'string', contentEncoding: 'base64' },
  binary: { type: 'string', contentEncoding: 'base64' },
  hexBinary: { type: 'string', contentEncoding: 'base16' },
}

/** A built-in type's schema, new each time; undefined where XML Schema has no type of that name. */
export function builtIn(local: string): SchemaObject | undefined {
  const schema = Object.hasOwn(types, local) ? types[local] : undefined
  return schema && { ...schema }
}
