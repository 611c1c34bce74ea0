const reference =
  /^(?:[\w\-.~!$&'()*+,;=:@/?[\]]|%[\dA-Fa-f]{2})*(?:#(?:[\w\-.~!$&'()*+,;=:@/?]|%[\dA-Fa-f]{2})*)?$/
const scheme = /^([a-zA-Z][a-zA-Z\d+.-]*):/

/** Whether a text is a URI reference (RFC 3986, section 4.1): an address, or one beside another. */
export function isUriReference(text: string): boolean {
  if (!reference.test(text) || text === '') return false
  const first = text.split('/', 1)[0]!
  // A colon in the first segment makes all before it a scheme.
  return !first.includes(':') || scheme.test(first)
}
