import { isObject, isSame } from '../text/values'
import type { Contract, Schema, SchemaObject } from './model'
import { wholeSchema, typesOf } from './schemas'

const deepest = 40

/** From this depth on, answers are remembered. */
const remembered = 6

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
  const answers = new Map<SchemaObject, Map<unknown, Misfit | undefined>>()
  const wrong = misfit(value, schema, 0)
  return wrong && (wrong.where === '' ? `It ${wrong.what}` : `"${wrong.where}" ${wrong.what}`)

  function misfit(here: unknown, asked: Schema | undefined, depth: number): Misfit | undefined {
    step()
    if (depth > deepest || asked === undefined || asked === true) return undefined
    if (asked === false) return says('may not be there')
    const target = wholeSchema(contract, asked)
    if (!isObject(target)) return undefined
    if (depth < remembered) return asks(here, target, depth)
    // So deep, schemas are likely to go round; what is asked of a value once need not be asked again.
    let known = answers.get(target)
    if (!known) answers.set(target, (known = new Map<unknown, Misfit | undefined>()))
    if (!known.has(here)) {
      known.set(here, undefined)
      known.set(here, asks(here, target, depth))
    }
    return known.get(here)
  }

  function asks(here: unknown, target: SchemaObject, depth: number): Misfit | undefined {
    if (here === null && target['nullable'] === true) return undefined
    const { type: types, enum: options } = target
    if (types !== undefined && !isOfTypes(here, types)) {
      return says(`is ${kindOf(here)}, and ${typesOf(target).join(' or ')} is asked for`)
    }
    if (Array.isArray(options) && !options.some((option) => isSame(option, here))) {
      return says(`is ${JSON.stringify(here)?.slice(0, 60)}, which is none of the values allowed`)
    }
    if ('const' in target && !isSame(target['const'], here))
      return says('is not the one value allowed')
    return ownMisfit(here, target, depth) ?? combined(here, target, depth)
  }

  function ownMisfit(here: unknown, target: SchemaObject, depth: number): Misfit | undefined {
    if (typeof here === 'string') return textMisfit(here, target)
    if (typeof here === 'number') return numberMisfit(here, target)
    if (Array.isArray(here)) return listMisfit(here, target, depth)
    return isObject(here) ? objectMisfit(here, target, depth) : undefined
  }

  function listMisfit(list: unknown[], target: SchemaObject, depth: number): Misfit | undefined {
    if (typeof target['minItems'] === 'number' && list.length < target['minItems'])
      return says(`has ${list.length} items, and ${target['minItems']} are the fewest`)
    if (typeof target['maxItems'] === 'number' && list.length > target['maxItems'])
      return says(`has ${list.length} items, and ${target['maxItems']} are the most`)
    const items = target['items'] as Schema | undefined
    for (let i = 0; i < list.length; i++) {
      const wrong = misfit(list[i], items, depth + 1)
      if (wrong) return within(`[${i}]`, wrong)
    }
    return undefined
  }

  function objectMisfit(
    object: Record<string, unknown>,
    target: SchemaObject,
    depth: number,
  ): Misfit | undefined {
    const properties = isObject(target['properties']) ? target['properties'] : {}
    for (const name of Array.isArray(target['required']) ? (target['required'] as unknown[]) : []) {
      if (typeof name === 'string' && !Object.hasOwn(object, name)) {
        const property = Object.hasOwn(properties, name)
          ? wholeSchema(contract, properties[name] as Schema)
          : undefined
        // What only one direction carries is missing in the other.
        if (isObject(property) && (property['readOnly'] === true || property['writeOnly'] === true))
          continue
        return says(`has no "${name}", which is required`)
      }
    }
    for (const name in object) {
      if (Object.hasOwn(properties, name)) {
        const wrong = misfit(object[name], properties[name] as Schema, depth + 1)
        if (wrong) return within(name, wrong)
      } else if (
        target['additionalProperties'] === false &&
        !isObject(target['patternProperties'])
      ) {
        return says(`has "${name}", which its schema does not know`)
      }
    }
    return undefined
  }

  function combined(here: unknown, target: SchemaObject, depth: number): Misfit | undefined {
    for (const part of listOf(target['allOf'])) {
      const wrong = misfit(here, part, depth + 1)
      if (wrong) return wrong
    }
    const choices = listOf(target['oneOf'] ?? target['anyOf'])
    if (choices.length === 0) return undefined
    const wrongs = choices.map((choice) => misfit(here, choice, depth + 1))
    if (wrongs.some((wrong) => wrong === undefined)) return undefined
    return wrongs.length === 1 ? wrongs[0] : says('fits none of the choices')
  }
}

/** What is wrong with a value, and where inside of it; empty for the value itself. */
interface Misfit {
  where: string
  what: string
}

const says = (what: string): Misfit => ({ where: '', what })

/** Something wrong inside of a member or an item. */
const within = (step: string, { where, what }: Misfit): Misfit => ({
  where: where === '' || where.startsWith('[') ? step + where : `${step}.${where}`,
  what,
})

const none: Schema[] = []
const listOf = (value: unknown): Schema[] => (Array.isArray(value) ? (value as Schema[]) : none)

/** Whether a value is of the type, or of one of the types, that a schema names. */
function isOfTypes(value: unknown, types: unknown): boolean {
  if (typeof types === 'string') return isOfType(value, types)
  if (!Array.isArray(types) || types.length === 0) return true
  return !types.every((type) => typeof type === 'string' && !isOfType(value, type))
}

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

function textMisfit(text: string, target: SchemaObject): Misfit | undefined {
  const { minLength, maxLength, format } = target
  if (typeof minLength === 'number' && text.length < minLength)
    return says(`has ${text.length} characters, and ${minLength} are the fewest`)
  if (typeof maxLength === 'number' && [...text].length > maxLength)
    return says(`has ${text.length} characters, and ${maxLength} are the most`)
  const form =
    typeof format === 'string' && Object.hasOwn(formats, format) ? formats[format] : undefined
  return form && !form.test(text) ? says(`is no ${String(format)}`) : undefined
}

function numberMisfit(number: number, target: SchemaObject): Misfit | undefined {
  const { minimum, maximum, exclusiveMinimum, exclusiveMaximum } = target
  if (typeof minimum === 'number' && number < minimum) return says(`is below ${minimum}`)
  if (typeof maximum === 'number' && number > maximum) return says(`is above ${maximum}`)
  if (typeof exclusiveMinimum === 'number' && number <= exclusiveMinimum)
    return says(`is not above ${exclusiveMinimum}`)
  if (typeof exclusiveMaximum === 'number' && number >= exclusiveMaximum)
    return says(`is not below ${exclusiveMaximum}`)
  return undefined
}
