import http, { type RequestListener } from 'node:http'
import https from 'node:https'
import type { Socket } from 'node:net'
import type { Bounds } from './bounds'
import type { Certificates } from './certificates'

const timesOf = (bounds: Bounds) => ({
  keepAliveTimeout: 30_000,
  headersTimeout: bounds.headersMs,
  requestTimeout: bounds.requestMs,
  connectionsCheckingInterval: Math.min(1000, bounds.headersMs),
})

/** Takes requests without TLS. */
export const plainListener = (serve: RequestListener, bounds: Bounds): http.Server =>
  bounded(http.createServer(timesOf(bounds), serve), bounds)

/**
 * Takes requests by TLS 1.2 or better, with the certificate that is for the name asked for; without one there is no
 * handshake. A client may show a certificate of its own, which a policy asks about: here nobody is turned away for it.
 */
export function tlsListener(
  serve: RequestListener,
  bounds: Bounds,
  certificates: Certificates,
): https.Server {
  const server = https.createServer(
    {
      ...timesOf(bounds),
      handshakeTimeout: bounds.headersMs,
      minVersion: 'TLSv1.2',
      ALPNProtocols: ['http/1.1'],
      requestCert: true,
      rejectUnauthorized: false,
      SNICallback(name, done) {
        const context = certificates.for(name)
        if (context) done(null, context)
        else done(new Error(`There is no certificate for ${name.slice(0, 253)}`))
      },
    },
    serve,
  )
  // A handshake that fails is the client's business; its socket is done for.
  server.on('tlsClientError', (_, socket) => socket.destroy())
  return bounded(server, bounds)
}

/** Ends connections beyond so many, in all and from one address, before they cost anything. */
function bounded<S extends http.Server | https.Server>(server: S, bounds: Bounds): S {
  server.maxConnections = bounds.connections
  const open = new Map<string, number>()
  server.on('connection', (socket: Socket) => {
    const address = socket.remoteAddress ?? ''
    const count = (open.get(address) ?? 0) + 1
    open.set(address, count)
    socket.once('close', () => {
      const left = open.get(address)! - 1
      if (left === 0) open.delete(address)
      else open.set(address, left)
    })
    if (count > bounds.connectionsPerClient) socket.destroy()
  })
  return server
}
