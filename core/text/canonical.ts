/** Canonical JSON (RFC 8785): names sorted by UTF-16 units, no white space, ECMAScript numbers; undefined members left out. */
export function canonical(value: unknown): string {
  if (value === null || typeof value !== 'object') {
    if (typeof value === 'number' && !Number.isFinite(value)) {
      throw new TypeError('A number that is not finite has no JSON form')
    }
    return JSON.stringify(value ?? null)
  }
  if (Array.isArray(value)) return `[${value.map(canonical).join(',')}]`
  const members = Object.entries(value)
    .filter(([, member]) => member !== undefined)
    .sort(([a], [b]) => (a < b ? -1 : a > b ? 1 : 0))
  return `{${members.map(([name, member]) => `${JSON.stringify(name)}:${canonical(member)}`).join(',')}}`
}
