import dns from 'node:dns'
import type { LookupFunction } from 'node:net'
import { Agent, buildConnector } from 'undici'
import { isReserved, whyForbidden } from '../core/runtime/backend-address'

/** Resolves a name, and refuses it where it leads to an address that no request may be sent to. */
const guardedLookup: LookupFunction = (host, options, done) =>
  dns.lookup(host, { ...options, all: true }, (error, addresses) => {
    if (error) return done(error, '', 0)
    const [first] = addresses
    const why = addresses.map(({ address }) => whyForbidden(address)).find(Boolean)
    if (why || !first) return done(new Error(why ? `its name ${why}` : 'has no address'), '', 0)
    if (options.all) done(null, addresses)
    else done(null, first.address, first.family)
  })

/**
 * Keeps connections to backends, and to whatever else a gateway calls; never to one of the reserved addresses, by
 * whatever name it was reached. Bytes that nobody asked for end a connection (undici destroys it).
 */
export function guardedAgent(reserved: readonly string[]): Agent {
  const connect = buildConnector({ timeout: 10_000, lookup: guardedLookup })
  return new Agent({
    connections: 256,
    pipelining: 1,
    headersTimeout: 0,
    bodyTimeout: 0,
    connect: (options, done) =>
      connect(options, (error, socket) => {
        if (error || !socket) return done(error ?? new Error('there is no connection'), null)
        const { remoteAddress = '', remotePort = 0 } = socket
        if (!isReserved(remoteAddress, remotePort, reserved)) return done(null, socket)
        socket.destroy()
        done(new Error('its name is an address of this installation that takes no traffic'), null)
      }),
  })
}
