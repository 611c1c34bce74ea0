import type { Parameter } from '../contract/model'
import { isObject } from '../text/values'

export interface Writing {
  style: string
  explode: boolean
  allowReserved: boolean
  allowEmptyValue: boolean
}

/** How a value is written, with the defaults of the place it is in (OpenAPI 3.1, section 4.8.12.2). */
export function writingOf({
  in: place,
  style,
  explode,
  allowReserved,
  allowEmptyValue,
}: Parameter): Writing {
  const styled = style ?? (place === 'query' || place === 'cookie' ? 'form' : 'simple')
  return {
    style: styled,
    explode: explode ?? styled === 'form',
    allowReserved: allowReserved ?? false,
    allowEmptyValue: allowEmptyValue ?? false,
  }
}

const separators: Record<string, string> = {
  form: ',',
  simple: ',',
  label: ',',
  matrix: ',',
  spaceDelimited: ' ',
  pipeDelimited: '|',
}

const textOf = (value: unknown) => (typeof value === 'string' ? value : JSON.stringify(value))

/**
 * A value as it is written in a request (OpenAPI 3.1, section 4.8.12.3; RFC 6570); undefined where a style says nothing of
 * such a value. Nothing is encoded: two writings are told apart by it.
 */
export function writtenAs(
  { style, explode }: Pick<Writing, 'style' | 'explode'>,
  name: string,
  value: unknown,
): string | undefined {
  const separator = separators[style]
  const start = { label: '.', matrix: ';', form: '' }[style] ?? ''
  const between = { label: '.', matrix: ';', form: '&' }[style] ?? ','
  const named = style === 'form' || style === 'matrix' || style.endsWith('Delimited')
  if (Array.isArray(value)) {
    if (separator === undefined) return undefined
    const items = value.map(textOf)
    if (!explode) return `${start}${named ? `${name}=` : ''}${items.join(separator)}`
    // Each of them by itself, whatever stands between them otherwise.
    if (named)
      return start + items.map((item) => `${name}=${item}`).join(style === 'matrix' ? ';' : '&')
    return start + items.join(between)
  }
  if (isObject(value)) {
    const members = Object.entries(value)
    if (style === 'deepObject')
      return members.map(([key, one]) => `${name}[${key}]=${textOf(one)}`).join('&')
    if (separator === undefined) return undefined
    if (explode) return start + members.map(([key, one]) => `${key}=${textOf(one)}`).join(between)
    const flat = members.flatMap(([key, one]) => [key, textOf(one)]).join(separator)
    return `${start}${named ? `${name}=` : ''}${flat}`
  }
  if (separator === undefined || style.endsWith('Delimited')) return undefined
  return `${start}${named ? `${name}=` : ''}${textOf(value)}`
}
