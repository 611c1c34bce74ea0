import type { Pointer } from './pointer'
import type { PlacedDiagnostic } from './diagnostic'

/**
 * Where something is written: a pointer into the main file, or `file#pointer` for a file beside it. Pointers are JSON
 * Pointers (RFC 6901) in JSON and YAML, and paths of element names in XML.
 */
export type Location = string

/** Splits a place; `file` is undefined for the main file. */
export function partsOf(place: Location): { file: string | undefined; pointer: Pointer } {
  const hash = place.indexOf('#')
  if (place === '' || place.startsWith('/') || hash === -1)
    return { file: undefined, pointer: place }
  return { file: place.slice(0, hash), pointer: place.slice(hash + 1) }
}

/** The start of a place in a file; `undefined` names the main file. */
export const locationIn = (file: string | undefined, pointer: Pointer = ''): Location =>
  file === undefined ? pointer : `${file}#${pointer}`

const isAddress = (name: string) => /^[a-z][a-z0-9+.-]+:/i.test(name)

/** Whether a reference leads to another host. */
export const isRemote = (name: string) => /^(https?:)?\/\//i.test(name)

/** What is said of a file that is not there: `written` is how it is called where something refers to it. */
export const absence = (
  name: string,
  written: string,
): Pick<PlacedDiagnostic, 'severity' | 'message'> =>
  isRemote(name)
    ? { severity: 'warning', message: `${written} is on another host, which was not asked` }
    : { severity: 'error', message: `${written} is not among the files` }

/** The name of a file as it is written in another one, relative to that one (RFC 3986 section 5.2). */
export function resolveName(base: string, written: string): string {
  const target = written.replaceAll('\\', '/')
  if (isRemote(target)) return URL.parse(target, 'https://unknown.invalid/')?.href ?? target
  if (isRemote(base)) return URL.parse(target, base)?.href ?? target
  if (isAddress(target)) return target
  const isRooted = target.startsWith('/') || base.startsWith('/')
  const above = target.startsWith('/') ? [] : base.split('/').slice(0, -1)
  const segments = above.filter((segment) => segment !== '')
  for (const segment of decoded(target).split('/')) {
    if (segment === '' || segment === '.') continue
    if (segment === '..' && segments.length > 0 && segments.at(-1) !== '..') segments.pop()
    else segments.push(segment)
  }
  return (isRooted ? '/' : '') + segments.join('/')
}

function decoded(text: string): string {
  try {
    return decodeURIComponent(text)
  } catch {
    return text
  }
}
