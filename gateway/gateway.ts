import { mkdirSync } from 'node:fs'
import type http from 'node:http'
import type https from 'node:https'
import { join } from 'node:path'
import type { ConfigOf } from '../core/runtime/policies'
import { adminApi } from './admin'
import { guardedAgent } from './agent'
import { usualBounds, type Bounds } from './bounds'
import { Certificates } from './certificates'
import { Configuration } from './configuration'
import { dataPlane } from './data-plane'
import { Inspector } from './inspector'
import { Journal } from './journal'
import { ConcurrencyLimiter, RateLimiter } from './limiter'
import { plainListener, tlsListener } from './listeners'
import { AccessLog } from './log'
import { Metrics } from './metrics'
import { Quotas } from './quotas'
import { Targets } from './targets'
import { Tokens } from './tokens'
import type { Keeping } from './way'

export interface GatewayOptions {
  name: string
  dataPort: number
  /** Where TLS is spoken; nowhere where absent. */
  tlsPort?: number
  adminPort: number
  secret: string
  directory: string
  /** Addresses of this installation that are no backends, such as the admin ports of other gateways. */
  reserved?: string[]
  /** Where the built thread is that looks into larger messages; without it they are looked into at once. */
  threads?: string
  bounds?: Partial<Bounds>
  /** The clock, in milliseconds since 1970. */
  now?: () => number
}

/** Starts one gateway: its ports for traffic, with and without TLS, and its admin port, all on loopback. */
export async function startGateway(
  options: GatewayOptions,
): Promise<{ close: () => Promise<void> }> {
  mkdirSync(options.directory, { recursive: true })
  const bounds = { ...usualBounds, ...options.bounds }
  const reserved = [`http://127.0.0.1:${options.adminPort}`, ...(options.reserved ?? [])]
  const file = join(options.directory, `${options.name}.yaml`)
  const configuration = new Configuration(file, reserved)
  const log = new AccessLog(bounds.logBytes)
  const now = options.now ?? Date.now
  const quotas = new Quotas(join(options.directory, `${options.name}.quotas.json`), now)
  const agent = guardedAgent(reserved)
  const targets = new Targets(agent, now)
  const watch = () => targets.watch(watchedIn(configuration))
  watch()
  configuration.onChange(watch)
  const keeping: Keeping = {
    tokens: new Tokens(agent, now),
    rates: new RateLimiter(now),
    concurrency: new ConcurrencyLimiter(),
    quotas,
    inspector: new Inspector(options.threads),
    now,
  }
  const certificates = new Certificates(
    join(options.directory, `${options.name}.certificates`),
    now,
  )
  const journal = new Journal(join(options.directory, `${options.name}.events`), bounds.journal)
  const metrics = new Metrics(configuration, targets, journal)
  const telling = { log, journal, metrics }
  const serve = dataPlane(
    configuration,
    telling,
    { targets, bounds, inspector: keeping.inspector, agent },
    keeping,
    certificates,
  )
  const data = plainListener(serve, bounds)
  const secure =
    options.tlsPort === undefined ? undefined : tlsListener(serve, bounds, certificates)
  const admin = adminApi(options.name, options.secret, {
    configuration,
    log,
    quotas,
    targets,
    journal,
    metrics,
    certificates: secure && certificates,
  })
  await listen(data, options.dataPort)
  if (secure) await listen(secure, options.tlsPort!)
  await listen(admin, options.adminPort)
  return {
    close: async () => {
      targets.close()
      await Promise.all([closing(data), closing(admin), secure && closing(secure)])
      await keeping.inspector.close()
      await agent.destroy()
      quotas.close()
      journal.close()
    },
  }
}

/** The targets that a configuration has watched. */
function watchedIn({ current }: Configuration) {
  const watched = new Map<string, ConfigOf<'health'>>()
  for (const { target, share, policies } of current.router.routes)
    if (policies.health)
      for (const backend of [target.kind === 'backend' ? target : undefined, share])
        for (const { url } of backend?.targets ?? []) watched.set(url, policies.health)
  return watched
}

const listen = (server: http.Server | https.Server, port: number) =>
  new Promise<void>((resolve, reject) => {
    server.once('error', reject)
    server.listen(port, '127.0.0.1', () => resolve())
  })

const closing = (server: http.Server | https.Server) =>
  new Promise<void>((resolve) => {
    server.close(() => resolve())
    server.closeAllConnections()
  })
