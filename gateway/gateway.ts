import { mkdirSync } from 'node:fs'
import type http from 'node:http'
import { join } from 'node:path'
import { adminApi } from './admin'
import { usualBounds, type Bounds } from './bounds'
import { Configuration } from './configuration'
import { dataPlane } from './data-plane'
import { AccessLog } from './log'

export interface GatewayOptions {
  name: string
  dataPort: number
  adminPort: number
  secret: string
  directory: string
  /** Addresses of this installation that are no backends, such as the admin ports of other gateways. */
  reserved?: string[]
  bounds?: Partial<Bounds>
}

/** Starts one gateway: its data port for traffic and its admin port, both on loopback. */
export async function startGateway(
  options: GatewayOptions,
): Promise<{ close: () => Promise<void> }> {
  mkdirSync(options.directory, { recursive: true })
  const bounds = { ...usualBounds, ...options.bounds }
  const reserved = [`http://127.0.0.1:${options.adminPort}`, ...(options.reserved ?? [])]
  const file = join(options.directory, `${options.name}.yaml`)
  const configuration = new Configuration(file, reserved)
  const log = new AccessLog(bounds.logBytes)
  const servers = [
    [dataPlane(configuration, log, bounds), options.dataPort] as const,
    [adminApi(options.name, options.secret, configuration, log), options.adminPort] as const,
  ]
  for (const [server, port] of servers) await listen(server, port)
  return {
    close: async () => {
      await Promise.all(servers.map(([server]) => closing(server)))
    },
  }
}

const listen = (server: http.Server, port: number) =>
  new Promise<void>((resolve, reject) => {
    server.once('error', reject)
    server.listen(port, '127.0.0.1', () => resolve())
  })

const closing = (server: http.Server) =>
  new Promise<void>((resolve) => {
    server.close(() => resolve())
    server.closeAllConnections()
  })
