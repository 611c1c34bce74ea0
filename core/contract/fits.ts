import { isObject } from '../text/values'
import type { Contract, Schema } from './model'
import { resolveSchema, typesOf } from './schemas'

const deepest = 40

const formats: Record<string, RegExp> = {
  date: /^\d{4}-(?:0[1-9]|1[0-2])-(?:0[1-9]|[12]\d|3[01])$/,
  'date-time': /^\d{4}-\d{2}-\d{2}[Tt ]\d{2}:\d{2}:\d{2}(?:\.\d+)?(?:[Zz]|[+-]\d{2}:?\d{2})$/,
  uuid: /^[0-9a-f]{8}-(?:[0-9a-f]{4}-){3}[0-9a-f]{12}$/i,
  email: /^[^\s@]+@[^\s@]+$/,
}

/**
 * What of a value is not as its schema asks, in words with the place inside of it; undefined where it fits. The
 * keywords that examples trip over are looked at: types, enumerations, required and closed properties, bounds, dates,
 * identifiers, allOf, anyOf and oneOf (JSON Schema 2020-12). `step` is called for every part that is looked at.
 */
export function fits(
  contract: Contract,
  value: unknown,
  schema: Schema | undefined,
  step: () => void = () => undefined,
): string | undefined {
  return misfit(value, schema, '', 0)

  function misfit(
    here: unknown,
    asked: Schema | undefined,
    where: string,
    depth: number,
  ): string | undefined {
    step()
    if (depth > deepest || asked === undefined || asked === true) return undefined
    if (asked === false) return says(where, 'may not be there')
    const target = resolveSchema(contract, asked)
    if (!isObject(target)) return undefined
    const types = typesOf(target)
    if (here === null && target['nullable'] === true) return undefined
    if (types.length > 0 && !types.some((type) => isOfType(here, type))) {
      return says(where, `is ${kindOf(here)}, and ${types.join(' or ')} is asked for`)
    }
    const options = target['enum']
    if (Array.isArray(options) && !options.some((option) => same(option, here))) {
      return says(
        where,
        `is ${JSON.stringify(here)?.slice(0, 60)}, which is none of the values allowed`,
      )
    }
    if ('const' in target && !same(target['const'], here))
      return says(where, 'is not the one value allowed')
    return (
      (typeof here === 'string' ? textMisfit(here, target, where) : undefined) ??
      (typeof here === 'number' ? numberMisfit(here, target, where) : undefined) ??
      (Array.isArray(here) ? listMisfit(here, target, where, depth) : undefined) ??
      (isObject(here) ? objectMisfit(here, target, where, depth) : undefined) ??
      combined(here, target, where, depth)
    )
  }

  function listMisfit(
    list: unknown[],
    target: Record<string, unknown>,
    where: string,
    depth: number,
  ) {
    if (typeof target['minItems'] === 'number' && list.length < target['minItems'])
      return says(where, `has ${list.length} items, and ${target['minItems']} are the fewest`)
    if (typeof target['maxItems'] === 'number' && list.length > target['maxItems'])
      return says(where, `has ${list.length} items, and ${target['maxItems']} are the most`)
    const items = target['items'] as Schema | undefined
    for (let i = 0; i < list.length; i++) {
      const wrong = misfit(list[i], items, `${where}[${i}]`, depth + 1)
      if (wrong) return wrong
    }
    return undefined
  }

  function objectMisfit(
    object: Record<string, unknown>,
    target: Record<string, unknown>,
    where: string,
    depth: number,
  ) {
    const properties = isObject(target['properties']) ? target['properties'] : {}
    for (const name of Array.isArray(target['required']) ? (target['required'] as unknown[]) : []) {
      if (typeof name === 'string' && !Object.hasOwn(object, name)) {
        const property = Object.hasOwn(properties, name)
          ? resolveSchema(contract, properties[name] as Schema)
          : undefined
        // What only one direction carries is missing in the other.
        if (isObject(property) && (property['readOnly'] === true || property['writeOnly'] === true))
          continue
        return says(where, `has no "${name}", which is required`)
      }
    }
    for (const [name, value_] of Object.entries(object)) {
      if (Object.hasOwn(properties, name)) {
        const wrong = misfit(
          value_,
          properties[name] as Schema,
          where ? `${where}.${name}` : name,
          depth + 1,
        )
        if (wrong) return wrong
      } else if (
        target['additionalProperties'] === false &&
        !isObject(target['patternProperties'])
      ) {
        return says(where, `has "${name}", which its schema does not know`)
      }
    }
    return undefined
  }

  function combined(
    here: unknown,
    target: Record<string, unknown>,
    where: string,
    depth: number,
  ): string | undefined {
    for (const part of listOf(target['allOf'])) {
      const wrong = misfit(here, part, where, depth + 1)
      if (wrong) return wrong
    }
    const choices = listOf(target['oneOf'] ?? target['anyOf'])
    if (choices.length === 0) return undefined
    const wrongs = choices.map((choice) => misfit(here, choice, where, depth + 1))
    return wrongs.every((wrong) => wrong !== undefined)
      ? choices.length === 1
        ? wrongs[0]
        : says(where, 'fits none of the choices')
      : undefined
  }
}

const listOf = (value: unknown): Schema[] => (Array.isArray(value) ? (value as Schema[]) : [])

const says = (where: string, what: string) => (where === '' ? `It ${what}` : `"${where}" ${what}`)

function isOfType(value: unknown, type: string): boolean {
  switch (type) {
    case 'null':
      return value === null
    case 'array':
      return Array.isArray(value)
    case 'object':
      return isObject(value)
    case 'integer':
      return typeof value === 'number' && Number.isInteger(value)
    default:
      return typeof value === type
  }
}

const kindOf = (value: unknown) =>
  value === null
    ? 'null'
    : Array.isArray(value)
      ? 'a list'
      : isObject(value)
        ? 'an object'
        : `a ${typeof value}`

const same = (a: unknown, b: unknown) =>
  a === b || (typeof a === 'object' && JSON.stringify(a) === JSON.stringify(b))

function textMisfit(text: string, target: Record<string, unknown>, where: string) {
  const { minLength, maxLength, format } = target
  if (typeof minLength === 'number' && text.length < minLength)
    return says(where, `has ${text.length} characters, and ${minLength} are the fewest`)
  if (typeof maxLength === 'number' && [...text].length > maxLength)
    return says(where, `has ${text.length} characters, and ${maxLength} are the most`)
  const form =
    typeof format === 'string' && Object.hasOwn(formats, format) ? formats[format] : undefined
  return form && !form.test(text) ? says(where, `is no ${String(format)}`) : undefined
}

function numberMisfit(number: number, target: Record<string, unknown>, where: string) {
  const { minimum, maximum, exclusiveMinimum, exclusiveMaximum } = target
  if (typeof minimum === 'number' && number < minimum) return says(where, `is below ${minimum}`)
  if (typeof maximum === 'number' && number > maximum) return says(where, `is above ${maximum}`)
  if (typeof exclusiveMinimum === 'number' && number <= exclusiveMinimum)
    return says(where, `is not above ${exclusiveMinimum}`)
  if (typeof exclusiveMaximum === 'number' && number >= exclusiveMaximum)
    return says(where, `is not below ${exclusiveMaximum}`)
  return undefined
}
