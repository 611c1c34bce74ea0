const here = 'http://here.invalid'

function parsed(address: string): URL | undefined {
  try {
    return new URL(address, here)
  } catch {
    return undefined
  }
}

/**
 * The path of this product that an address to return to names, or the first page where it would lead anywhere else. What
 * is returned is compared once more, since `/.//a.example` is a path that names another host once it is written.
 */
export function localPath(to: string): string {
  const url = parsed(to)
  if (url?.origin !== here) return '/'
  const path = url.pathname + url.search + url.hash
  return parsed(path)?.origin === here ? path : '/'
}
