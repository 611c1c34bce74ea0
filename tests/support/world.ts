import { randomBytes } from 'node:crypto'
import { mkdtempSync, readFileSync, rmSync } from 'node:fs'
import http from 'node:http'
import type { AddressInfo } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { createApp, toNodeListener } from 'h3'
import pg from 'pg'
import { people as demoPeople, password } from '../../demo/world'
import { seedFoundation } from '../../demo/seed'
import { startGateway } from '../../gateway/gateway'
import { migrateDatabase, openDatabase, type Database } from '../../server/db/database'
import { directExaminer } from '../../server/jobs/examiner'
import { apiRouter } from '../../server/http/router'
import { operations } from '../../server/operations'
import type { Context, Services } from '../../server/services/context'
import { workBatch } from '../../server/services/batches'
import { recheckAll } from '../../server/services/checking'
import { workCheck } from '../../server/services/checks'
import { workImpact } from '../../server/services/impact'
import { planProposals } from '../../server/services/proposals'
import { workIntake } from '../../server/services/intake-work'
import { supplyInterruptions } from '../../standins/network'
import { restServer } from '../../standins/rest'

export interface Answer<T> {
  status: number
  body: T
  headers: Headers
}

/** A person's browser, as far as the API can tell. */
export class Visitor {
  private cookie = ''

  constructor(private readonly base: string) {}

  async signIn(name: string, secret = password): Promise<Answer<{ name: string; role: string }>> {
    const authorization = `Basic ${Buffer.from(`${name}:${secret}`).toString('base64')}`
    return this.call('POST', '/session', undefined, { authorization })
  }

  async call<T>(
    method: string,
    path: string,
    body?: unknown,
    headers: Record<string, string> = {},
  ): Promise<Answer<T>> {
    const raw = typeof body === 'string' || body instanceof Uint8Array
    const response = await fetch(`${this.base}/api/v1${path}`, {
      method,
      headers: {
        cookie: this.cookie,
        ...(body !== undefined && { 'content-type': raw ? 'text/plain' : 'application/json' }),
        ...headers,
      },
      ...(body !== undefined && { body: raw ? (body as BodyInit) : JSON.stringify(body) }),
    })
    const set = response.headers.getSetCookie()[0]
    if (set) this.cookie = set.split(';')[0]!
    const text = await response.text()
    const json = (response.headers.get('content-type') ?? '').includes('json')
    return {
      status: response.status,
      body: (json ? JSON.parse(text) : text) as T,
      headers: response.headers,
    }
  }
}

export interface World {
  db: Database
  services: Services
  base: string
  standins: string
  adminUrl: string
  dataUrl: string
  visitor: (name: string) => Promise<Visitor>
  stopGateway: () => Promise<void>
  startGateway: () => Promise<void>
  close: () => Promise<void>
}

const listen = (server: http.Server, port = 0) =>
  new Promise<number>((resolve) =>
    server.listen(port, '127.0.0.1', () => resolve((server.address() as AddressInfo).port)),
  )

const closed = (server: http.Server) =>
  new Promise<void>((resolve) => {
    server.close(() => resolve())
    server.closeAllConnections()
  })

async function freePort(): Promise<number> {
  const server = http.createServer()
  const port = await listen(server)
  await closed(server)
  return port
}

export const definition = (name: string) => readFileSync(join('demo/definitions', name), 'utf8')

/** A whole installation for tests: a database of its own, one real gateway, real backends, the API on a real port. */
export async function makeWorld(): Promise<World> {
  const server = process.env['ELM_TEST_DATABASE']
  if (!server) throw new Error('ELM_TEST_DATABASE is not set; run "npm test"')
  const name = `test_${randomBytes(6).toString('hex')}`
  const admin = new pg.Client({ connectionString: `${server}/postgres` })
  await admin.connect()
  await admin.query(`CREATE DATABASE ${name}`)
  const { db, pool } = openDatabase(`${server}/${name}`)
  await migrateDatabase(db, 'server/db/migrations')

  const backend = restServer({
    '/trial/supply': supplyInterruptions(),
    '/rehearsal/supply': supplyInterruptions(),
  })
  const standins = `http://127.0.0.1:${await listen(backend)}`
  const directory = mkdtempSync(join(tmpdir(), 'elm-gateway-'))
  const ports = { dataPort: await freePort(), adminPort: await freePort() }
  const options = { name: 'north-edge', ...ports, secret: 'gateway-secret', directory }
  let gateway = await startGateway(options)
  const [adminUrl, dataUrl] = [ports.adminPort, ports.dataPort].map(
    (port) => `http://127.0.0.1:${port}`,
  ) as [string, string]
  await seedFoundation(db, {
    gateways: [{ name: 'north-edge', adminUrl, dataUrl }],
    standins,
    definitions: 'demo/definitions',
    rulebook: readFileSync('rulebooks/house.yaml', 'utf8'),
  })

  const services: Services = {
    db,
    examiner: directExaminer,
    queue: {
      readIntake: (id) => workIntake(services, id),
      workBatch: (id) => workBatch(services, id),
      recheck: async () => {
        await recheckAll(services)
      },
      measure: (id) => workImpact(services, id),
      check: (id) => workCheck(services, id),
      plan: () => planProposals(services),
    },
    gatewaySecret: 'gateway-secret',
    allowedTargets: [new URL(standins).host],
    now: () => new Date(),
  }
  const app = createApp().use(
    apiRouter(operations, {
      services,
      sessionSecret: 'a session secret of more than 32 characters',
    }),
  )
  const api = http.createServer(toNodeListener(app))
  const base = `http://127.0.0.1:${await listen(api)}`

  return {
    db,
    services,
    base,
    standins,
    adminUrl,
    dataUrl,
    async visitor(person) {
      const visitor = new Visitor(base)
      await visitor.signIn(person)
      return visitor
    },
    stopGateway: () => gateway.close(),
    async startGateway() {
      gateway = await startGateway(options)
    },
    async close() {
      await Promise.all([closed(api), closed(backend), gateway.close()])
      await pool.end()
      await admin.query(`DROP DATABASE ${name} WITH (FORCE)`)
      await admin.end()
      rmSync(directory, { recursive: true })
    },
  }
}

/** A context for calling use cases directly. */
export function contextOf({ services }: World, name: string): Context {
  const person = demoPeople.find((candidate) => candidate.name === name)!
  return { ...services, actor: { ...person, team: person.team } }
}

/** Brings a definition in as its owner would, and answers what was saved. */
export async function bringIn(
  visitor: Visitor,
  text: string,
  about: object = { team: 'Network Control', audience: 'partner' },
) {
  const intake = await visitor.call<{ id: string; state: string }>(
    'POST',
    '/intakes?file=a.yaml',
    text,
  )
  return visitor.call<{ api: string; revision: number; detail?: string }>(
    'POST',
    `/intakes/${intake.body.id}/accept`,
    about,
  )
}
