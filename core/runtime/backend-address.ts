import ipaddr from 'ipaddr.js'

/** Where the backends of a stage may be. Empty lists of hosts and networks allow none of that sort. */
export interface AllowedBackends {
  schemes: ('http' | 'https')[]
  /** Names, or `*.brackenmere.example` for everything below one; `*` for any name. */
  hosts: string[]
  /** Networks in CIDR notation, for backends given by address: `10.0.0.0/8`. */
  networks: string[]
}

/** Names and addresses under which machines of a cloud tell secrets about themselves. */
const metadataHosts = new Set([
  'metadata',
  'metadata.google.internal',
  'instance-data',
  '100.100.100.200',
  'fd00:ec2::254',
])

/** A host of a URL without the brackets of IPv6, and without the dot that says that a name is whole (RFC 1034, section 3.1). */
const bareHost = (host: string) => host.replace(/^\[|\]$|\.+$/g, '').toLowerCase()

/** Why no request may ever be sent to an address (in any notation), whatever a stage allows; undefined where it may. */
export function whyForbidden(address: string): string | undefined {
  const bare = bareHost(address)
  if (metadataHosts.has(bare)) return 'is a metadata address'
  if (!ipaddr.isValid(bare)) return undefined
  const ip = ipaddr.process(bare)
  const range = ip.range()
  if (range === 'linkLocal') return 'is a link-local address'
  if (range === 'multicast' || range === 'broadcast' || range === 'unspecified')
    return `is a ${range} address`
  return metadataHosts.has(ip.toString()) ? 'is a metadata address' : undefined
}

/** Whether a host is the machine itself. */
export function isLoopback(written: string): boolean {
  const host = bareHost(written)
  if (ipaddr.isValid(host)) return ipaddr.process(host).range() === 'loopback'
  return host === 'localhost' || host.endsWith('.localhost')
}

/** Whether a host is in a private network by its address (RFC 1918, RFC 4193) or by a name that only means something there. */
export function isPrivateHost(written: string): boolean {
  const host = bareHost(written)
  if (ipaddr.isValid(host))
    return ['private', 'uniqueLocal', 'loopback', 'carrierGradeNat'].includes(
      ipaddr.process(host).range(),
    )
  return isLoopback(host) || !host.includes('.') || /\.(?:internal|local|lan|test)$/.test(host)
}

/** `host:port` with every notation of an address as one, and every loopback name. */
function authority(written: string, port: number | string): string {
  const host = bareHost(written)
  if (isLoopback(host)) return `loopback:${port}`
  return `${ipaddr.isValid(host) ? ipaddr.process(host).toNormalizedString() : host}:${port}`
}

const authorityOf = ({ hostname, port, protocol }: URL) =>
  authority(hostname, port || (protocol === 'https:' ? '443' : '80'))

/** Whether a host (a name or an address) with a port is one of the installation's own addresses that are no backends. */
export const isReserved = (host: string, port: number, reserved: readonly string[]): boolean =>
  reserved.some((address) => {
    const own = URL.parse(address)
    return own !== null && authorityOf(own) === authority(host, port)
  })

/**
 * Reads a backend's address: http or https, nothing but host, port and path, and never one that no request may be sent
 * to. `reserved` are addresses of the installation's own that are no backends, such as admin ports.
 */
export function readBackendAddress(
  written: string,
  reserved: readonly string[] = [],
): { url: URL } | { refused: string } {
  const url = URL.parse(written)
  if (!url || !/^https?:\/\/[^/\\]/i.test(written))
    return { refused: 'is not an http or https address' }
  if (url.username || url.password) return { refused: 'has a user name or password in it' }
  if (url.search || url.hash) return { refused: 'has a query or a fragment' }
  if (/[\\%]|\/\.{1,2}(?:\/|$)|[^/:]\/\//.test(written.replace(/^https?:\/\//i, '')))
    return { refused: 'has a path that is not plain' }
  const forbidden = whyForbidden(url.hostname)
  if (forbidden) return { refused: forbidden }
  const port = Number(url.port || (url.protocol === 'https:' ? 443 : 80))
  if (isReserved(url.hostname, port, reserved))
    return { refused: 'is an address of this installation that takes no traffic' }
  return { url }
}

/** Why a stage does not allow a backend's address; undefined where it does. */
export function whyNotAllowed(url: URL, { schemes, hosts, networks }: AllowedBackends) {
  const scheme = url.protocol.slice(0, -1)
  if (!schemes.some((allowed) => allowed === scheme)) return `speaks ${scheme}`
  const host = bareHost(url.hostname)
  if (!ipaddr.isValid(host)) {
    return hosts.some((pattern) => hostMatches(pattern, host)) ? undefined : `is at ${host}`
  }
  const ip = ipaddr.process(host)
  const inside = networks.some((network) => {
    const range = networkOf(network)
    return range?.[0].kind() === ip.kind() && ip.match(range)
  })
  return inside ? undefined : `is at ${host}`
}

const hostMatches = (pattern: string, host: string) =>
  pattern === '*' || (pattern.startsWith('*.') ? host.endsWith(pattern.slice(1)) : pattern === host)

/** A network in CIDR notation; undefined where it is none. */
export function networkOf(text: string): [ipaddr.IPv4 | ipaddr.IPv6, number] | undefined {
  try {
    return ipaddr.parseCIDR(text)
  } catch {
    return undefined
  }
}
