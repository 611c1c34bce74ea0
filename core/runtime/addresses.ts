/** Whether a text is the name of a host in lower case (RFC 1123, section 2.1), without scheme, port or path. */
export const isHostName = (text: string): boolean =>
  text.length <= 253 && /^[a-z\d](?:[a-z\d.-]*[a-z\d])?$/.test(text)

const segmentsOf = (basePath: string) => basePath.split('/').filter((segment) => segment !== '')

/** Whether two base paths of one host are the same, or one lies inside of the other. */
export function overlaps(a: string, b: string): boolean {
  const [x, y] = [segmentsOf(a), segmentsOf(b)]
  return x.slice(0, y.length).every((segment, i) => segment === y[i])
}

/** Whether a certificate with these names is for a host (RFC 6125, section 6.4): a star stands for one label. */
export const isForHost = (names: readonly string[], host: string): boolean =>
  names.includes(host) || names.includes(host.replace(/^[^.]+/, '*'))
