import { ConfigurationError, hostName, list, plainPath, record, whole } from './config-values'
import { rewritePath, type Redirect, type Route, type Scheme } from './routes'

const statuses = new Set([301, 302, 303, 307, 308])

/** What a rule says of sending clients elsewhere (Gateway API v1, HTTPRequestRedirectFilter). */
export function redirectOf(rule: Record<string, unknown>, where: string): Redirect | undefined {
  const filter = list(rule['filters'] ?? [], `${where}, filters`)
    .map((one) => record(one, `${where}, filters`))
    .find(({ type }) => type === 'RequestRedirect')
  if (!filter) return undefined
  if (rule['backendRefs'] !== undefined)
    throw new ConfigurationError(`${where} both redirects and sends to backends`)
  const here = `${where}, requestRedirect`
  const said = record(filter['requestRedirect'], here)
  const status = said['statusCode'] === undefined ? 302 : whole(said['statusCode'], here)
  if (!statuses.has(status))
    throw new ConfigurationError(`${here}: ${status} is no status of a redirect`)
  return {
    status,
    ...(said['scheme'] !== undefined && { scheme: schemeOf(said['scheme'], here) }),
    ...(said['hostname'] !== undefined && { host: hostName(said['hostname'], here) }),
    ...(said['port'] !== undefined && { port: whole(said['port'], `${here}, port`, 65_535) }),
    ...(said['path'] !== undefined && {
      path: pathOf(record(said['path'], `${here}, path`), here),
    }),
  }
}

function schemeOf(value: unknown, where: string): Scheme {
  if (value === 'http' || value === 'https') return value
  throw new ConfigurationError(`${where}: the scheme is http or https`)
}

function pathOf(path: Record<string, unknown>, where: string): NonNullable<Redirect['path']> {
  if (path['type'] === 'ReplaceFullPath')
    return { kind: 'whole', with: plainPath(path['replaceFullPath'], `${where}, path`) }
  if (path['type'] === 'ReplacePrefixMatch')
    return { kind: 'prefix', with: plainPath(path['replacePrefixMatch'], `${where}, path`) }
  throw new ConfigurationError(`${where}: a path is replaced whole or at its beginning`)
}

/** Where a request is sent: host and target as it came, with what the redirect says put in. */
export function redirectTo(
  { path: route, open, target }: Pick<Route, 'path' | 'open'> & { target: Redirect },
  asked: { scheme: Scheme; host: string; path: string; query: string },
): string {
  const { scheme = asked.scheme, host = asked.host, port, path } = target
  const replaced =
    path?.kind === 'prefix' && open
      ? rewritePath(
          { rewrite: { from: route, prefix: { kind: 'replace', with: path.with } } },
          asked.path,
        )
      : (path?.with ?? asked.path)
  return `${scheme}://${host}${port === undefined ? '' : `:${port}`}${replaced}${asked.query}`
}

/** `redirected to https, 301`. */
export function redirectText({ status, scheme, host, port, path }: Redirect): string {
  const to = [scheme, host, port && `port ${port}`, path?.with].filter(Boolean).join(' ')
  return `redirected${to === '' ? '' : ` to ${to}`}, ${status}`
}
