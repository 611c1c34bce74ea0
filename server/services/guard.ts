import dns from 'node:dns'
import { lookup } from 'node:dns/promises'
import type { LookupFunction } from 'node:net'
import ipaddr from 'ipaddr.js'
import { Agent, request } from 'undici'
import { whyForbidden } from '../../core/runtime/backend-address'
import { limits } from '../../core/text/limits'
import { Failure } from './failure'
import { errorText } from '../../core/text/values'

const timeoutMs = 15_000
const mostRedirects = 5

const refused = (detail: string) =>
  new Failure(422, 'The address cannot be used', detail, [{ field: 'url', message: detail }])

/** Public unicast addresses only; mapped IPv4 is judged as the IPv4 it is. */
function isPublic(address: string): boolean {
  return ipaddr.process(address).range() === 'unicast'
}

const hostPort = (url: URL) =>
  `${url.hostname}:${url.port || (url.protocol === 'https:' ? '443' : '80')}`

/**
 * Resolves the host once and connects to that very address, so that a name cannot change its mind between the check
 * and the connection.
 */
async function safeAddress(url: URL, allowed: string[]): Promise<string> {
  const host = url.hostname.replace(/^\[|\]$/g, '')
  let addresses: string[]
  try {
    addresses = ipaddr.isValid(host)
      ? [host]
      : (await lookup(host, { all: true })).map((found) => found.address)
  } catch {
    throw refused(`The host ${host} is not known.`)
  }
  if (!allowed.includes(hostPort(url)) && !addresses.every(isPublic)) {
    throw refused(
      `${host} is a private, loopback or link-local address; only public ones are fetched.`,
    )
  }
  return addresses[0]!
}

/** Resolves the name of a gateway, which may be in a private network, but never where no request may be sent to. */
export const guardedLookup: LookupFunction = (host, options, done) =>
  dns.lookup(host, { ...options, all: true }, (error, addresses) => {
    const why = addresses?.map(({ address }) => whyForbidden(address)).find(Boolean)
    const [first] = addresses ?? []
    if (error || why || !first)
      done(error ?? new Error(`its name ${why ?? 'has no address'}`), '', 0)
    else if (options.all) done(null, addresses)
    else done(null, first.address, first.family)
  })

/** A connection to the one address that the host was judged by. */
export async function pinnedTo(url: URL, allowed: string[]): Promise<Agent> {
  const pinned = await safeAddress(url, allowed)
  const family = ipaddr.parse(pinned).kind() === 'ipv6' ? 6 : 4
  return new Agent({
    connect: {
      timeout: 5000,
      lookup: (_host, options, done) =>
        options.all ? done(null, [{ address: pinned, family }]) : done(null, pinned, family),
    },
  })
}

/** Posts to an address under the same guard, and follows it nowhere else; the status of the response. */
export async function guardedPost(
  address: string,
  allowed: string[],
  body: string,
  headers: Record<string, string>,
): Promise<number> {
  const url = parseAddress(address)
  const dispatcher = await pinnedTo(url, allowed)
  try {
    const signal = AbortSignal.timeout(timeoutMs)
    const answer = await request(url, { method: 'POST', dispatcher, signal, headers, body })
    await answer.body.dump({ limit: 64 * 1024 })
    return answer.statusCode
  } finally {
    void dispatcher.destroy()
  }
}

/** Fetches a definition from an address under the guard: http(s), bounded in size and time, every redirect checked anew. */
export async function guardedFetch(
  address: string,
  allowed: string[],
): Promise<{ bytes: Buffer; url: string }> {
  const deadline = AbortSignal.timeout(timeoutMs)
  let url = parseAddress(address)
  for (let hops = 0; hops <= mostRedirects; hops++) {
    const dispatcher = await pinnedTo(url, allowed)
    try {
      const answer = await request(url, {
        dispatcher,
        signal: deadline,
        headers: { accept: 'application/yaml, application/json, text/*;q=0.8, */*;q=0.5' },
      })
      const location = answer.headers['location']
      if (answer.statusCode >= 300 && answer.statusCode < 400 && typeof location === 'string') {
        await answer.body.dump()
        url = parseAddress(new URL(location, url).href)
        continue
      }
      if (answer.statusCode !== 200) throw refused(`${url.href} answered ${answer.statusCode}.`)
      return { bytes: await bounded(answer.body), url: url.href }
    } catch (error) {
      if (error instanceof Failure) throw error
      const why = deadline.aborted
        ? `gave no whole answer within ${timeoutMs / 1000} s`
        : `could not be fetched: ${errorText(error)}`
      throw refused(`${url.href} ${why}.`)
    } finally {
      void dispatcher.close()
    }
  }
  throw refused(`${address} redirects more than ${mostRedirects} times.`)
}

export function parseAddress(address: string): URL {
  const url = URL.parse(address)
  if (!url) throw refused(`"${address}" is not an address.`)
  if (url.protocol !== 'http:' && url.protocol !== 'https:')
    throw refused('Only http and https addresses are fetched.')
  if (url.username || url.password)
    throw refused('An address with a name or password in it is not fetched.')
  return url
}

async function bounded(body: AsyncIterable<Buffer>): Promise<Buffer> {
  const chunks: Buffer[] = []
  let size = 0
  for await (const chunk of body) {
    size += chunk.length
    if (size > limits.bytes)
      throw refused(`The answer is larger than ${limits.bytes / 1024 / 1024} MB.`)
    chunks.push(chunk)
  }
  return Buffer.concat(chunks)
}
