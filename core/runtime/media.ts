/** The media type in a Content-Type field (RFC 9110, section 8.3), in lower case and without parameters. */
export const mediaTypeOf = (contentType: string | undefined): string =>
  (contentType ?? '').split(';')[0]!.trim().toLowerCase()

const parameter =
  /[ \t]*;[ \t]*(?:([\w!#$%&'*+.^`|~-]+)=(?:"((?:[^"\\]|\\.)*)"|([\w!#$%&'*+.^`|~:/?@()[\]-]*)))?/y
const longest = 2000

/**
 * The parameters of a Content-Type field by their names in lower case (RFC 9110, section 5.6.6); undefined where it
 * cannot be understood in one way only, such as where one is said twice.
 */
export function readParameters(contentType: string | undefined): Map<string, string> | undefined {
  const parameters = new Map<string, string>()
  if (contentType === undefined) return parameters
  if (contentType.length > longest) return undefined
  const semicolon = contentType.indexOf(';')
  if (semicolon === -1) return parameters
  const text = contentType.trimEnd()
  parameter.lastIndex = semicolon
  while (parameter.lastIndex < text.length) {
    const found = parameter.exec(text)
    if (!found) return undefined
    const [, name, quoted, bare = ''] = found
    if (name === undefined) continue
    const key = name.toLowerCase()
    if (parameters.has(key)) return undefined
    parameters.set(key, quoted === undefined ? bare : quoted.replace(/\\(.)/gs, '$1'))
  }
  return parameters
}

/** Whether a range such as `text/*` has a media type in it; both in lower case (RFC 9110, section 12.5.1). */
export const inRange = (range: string, type: string): boolean =>
  range === '*/*' || range === type || (range.endsWith('/*') && type.startsWith(range.slice(0, -1)))

/** Whether bodies of a media type are JSON (RFC 6838, section 4.2.8, for those with a suffix). */
export const isJsonType = (type: string): boolean => /[/+]json$/.test(type)

/** Whether bodies of a media type are XML (RFC 7303). */
export const isXmlType = (type: string): boolean => /[/+]xml$/.test(type)
