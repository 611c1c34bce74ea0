import { mkdirSync } from 'node:fs'
import type http from 'node:http'
import { join } from 'node:path'
import { adminApi } from './admin'
import { Configuration } from './configuration'
import { dataPlane } from './data-plane'
import { AccessLog } from './log'

export interface GatewayOptions {
  name: string
  dataPort: number
  adminPort: number
  secret: string
  directory: string
}

/** Starts one gateway: its data port for traffic and its admin port, both on loopback. */
export async function startGateway(
  options: GatewayOptions,
): Promise<{ close: () => Promise<void> }> {
  mkdirSync(options.directory, { recursive: true })
  const configuration = new Configuration(join(options.directory, `${options.name}.yaml`))
  const log = new AccessLog()
  const servers = [
    [dataPlane(configuration, log), options.dataPort] as const,
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
