/** The media type in a Content-Type field (RFC 9110, section 8.3), in lower case and without parameters. */
export const mediaTypeOf = (contentType: string | undefined): string =>
  (contentType ?? '').split(';')[0]!.trim().toLowerCase()

/** Whether a range such as `text/*` has a media type in it; both in lower case (RFC 9110, section 12.5.1). */
export const inRange = (range: string, type: string): boolean =>
  range === '*/*' || range === type || (range.endsWith('/*') && type.startsWith(range.slice(0, -1)))

/** Whether bodies of a media type are JSON (RFC 6838, section 4.2.8, for those with a suffix). */
export const isJsonType = (type: string): boolean => /[/+]json$/.test(type)

/** Whether bodies of a media type are XML (RFC 7303). */
export const isXmlType = (type: string): boolean => /[/+]xml$/.test(type)
