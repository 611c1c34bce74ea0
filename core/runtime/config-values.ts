/** Reading a value of a configuration: of its type, or the refusal that says where it is not. */

import { isHostName } from './addresses'
import { whyNoTemplate } from './template'

/** A configuration that a gateway must refuse; `message` names the resource and what is wrong with it. */
export class ConfigurationError extends Error {}

export function record(value: unknown, where: string): Record<string, unknown> {
  if (typeof value === 'object' && value !== null && !Array.isArray(value)) {
    return value as Record<string, unknown>
  }
  throw new ConfigurationError(`${where} must be an object`)
}

export function list(value: unknown, where: string): unknown[] {
  if (Array.isArray(value)) return value
  throw new ConfigurationError(`${where} must be a list`)
}

export function text(value: unknown, where: string): string {
  if (typeof value === 'string' && value !== '') return value
  throw new ConfigurationError(`${where} must be text`)
}

export function whole(value: unknown, where: string, most = 1_000_000_000): number {
  if (typeof value === 'number' && Number.isInteger(value) && value > 0 && value <= most)
    return value
  throw new ConfigurationError(`${where} must be a whole number from 1 to ${most}`)
}

/** A token (RFC 9110, section 5.6.2), as methods and header names are. */
export function token(value: unknown, where: string): string {
  const written = text(value, where)
  if (/^[\w!#$%&'*+.^`|~-]{1,100}$/.test(written)) return written
  throw new ConfigurationError(`${where} must be a token of HTTP; found "${written.slice(0, 100)}"`)
}
/** A media type with parameters (RFC 9110, section 8.3.1); ranges are none. */
const mediaTypePattern =
  /^[\w!#$&^.+-]{1,100}\/[\w!#$&^.+-]{1,100}(?:; ?[\w!#$&^.+-]{1,100}=(?:[\w!#$&^.+-]{1,200}|"[ \w!#$%&'()*+,./:;<=>?@[\]^{|}~-]{0,200}"))*$/
export const isMediaType = (written: string) => mediaTypePattern.test(written)
export function hostName(value: unknown, where: string): string {
  const written = text(value, where).toLowerCase()
  if (isHostName(written)) return written
  throw new ConfigurationError(`${where}: "${written.slice(0, 100)}" is not a host name`)
}

/** A path without parameters, and without a slash at its end. */
export function plainPath(value: unknown, where: string): string {
  const written = text(value, where)
  const why = whyNoTemplate(written) ?? (/[{}]/.test(written) ? 'has parameters' : undefined)
  if (why) throw new ConfigurationError(`${where}: the path "${written.slice(0, 100)}" ${why}`)
  return written
}

export function revisionOf(label: string | undefined, where: string): number {
  if (label === undefined) return 0
  if (/^\d{1,9}$/.test(label)) return Number(label)
  throw new ConfigurationError(`${where}: the revision "${label.slice(0, 100)}" is not a number`)
}
