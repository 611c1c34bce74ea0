/** Spellings of names that were met; strangers make no more of them than this. */
const spellings = new Map<string, string>()
const mostSpellings = 1000

/**
 * The name of a header as whoever reads it may take it: some take `X_Tenant` for `X-Tenant` (as CGI does, RFC 3875,
 * section 4.1.18). Names of headers are compared by this everywhere. Most requests have the same few.
 */
export function canonicalName(name: string): string {
  const known = spellings.get(name)
  if (known !== undefined) return known
  const canonical = name.toLowerCase().replaceAll('_', '-')
  if (spellings.size < mostSpellings) spellings.set(name, canonical)
  return canonical
}

/** Headers that a message has once (RFC 9110, section 5.3): of two of them each reader would take another one. */
const singletons = new Set([
  'access-control-request-method',
  'authorization',
  'content-disposition',
  'content-location',
  'content-range',
  'content-type',
  'date',
  'from',
  'host',
  'if-modified-since',
  'if-range',
  'if-unmodified-since',
  'max-forwards',
  'origin',
  'proxy-authorization',
  'range',
  'referer',
  'soapaction',
  'user-agent',
])

export const standsOnce = (canonical: string): boolean => singletons.has(canonical)

/** By these the proxies in front of a backend tell it who asks and what for; from a stranger they would be lies. */
const ofProxies = new Set([
  'cdn-loop',
  'client-cert',
  'client-cert-chain',
  'client-ip',
  'fastly-client-ip',
  'forwarded',
  'front-end-https',
  'remote-addr',
  'remote-user',
  'true-client-ip',
  'via',
  'x-client-ip',
  'x-cluster-client-ip',
  'x-forward-for',
  'x-forwarded',
  'x-host',
  'x-http-host-override',
  'x-http-method',
  'x-http-method-override',
  'x-method-override',
  'x-real-ip',
  'x-request-id',
  'x-scheme',
  'x-url-scheme',
])
const beginningsOfProxies = [
  'cf-',
  'ssl-client-',
  'x-accel-',
  'x-amzn-',
  'x-appengine-',
  'x-arr-',
  'x-auth-request-',
  'x-authenticated-',
  'x-azure-',
  'x-client-cert',
  'x-consumer-',
  'x-credential-',
  'x-envoy-',
  'x-forwarded-',
  'x-goog-',
  'x-ms-client-principal',
  'x-original-',
  'x-remote-',
  'x-rewrite-',
  'x-ssl-',
]

/** Whether a header, by its canonical name, is one that only the proxies before a backend set. */
export const isOfProxies = (canonical: string): boolean =>
  ofProxies.has(canonical) || beginningsOfProxies.some((start) => canonical.startsWith(start))
