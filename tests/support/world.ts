import { randomBytes } from 'node:crypto'
import { mkdtempSync, readFileSync, rmSync } from 'node:fs'
import http from 'node:http'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { createApp, createRouter, toNodeListener } from 'h3'
import pg from 'pg'
import { people as demoPeople, password } from '../../demo/world'
import { seedBackends, seedFoundation } from '../../demo/seed'
import { secretOf } from '../../server/gateways/secret'
import { startGateway } from '../../gateway/gateway'
import {
  migrateDatabase,
  openAsOwner,
  openDatabase,
  openLocks,
  type Database,
} from '../../server/db/database'
import { grantTo, roleOf } from '../../server/db/grants'
import { directExaminer } from '../../server/jobs/examiner'
import { Runner } from '../../server/jobs/runner'
import { listenOn } from '../../server/db/listen'
import { eventsHandler, type Listen } from '../../server/http/events'
import { healthHandler, readinessHandler } from '../../server/http/health'
import { metricsHandler } from '../../server/http/metrics'
import { apiHandler } from '../../server/http/router'
import { signInWaysHandler, signOnReturn, signOnStart } from '../../server/http/sign-on'
import { operations } from '../../server/operations'
import { actAs, type Context, type Services } from '../../server/services/context'
import { workBatch } from '../../server/services/batches'
import { recheckAll } from '../../server/services/checking'
import { workCheck } from '../../server/services/checks'
import { workComparison } from '../../server/services/comparison-results'
import { workImpact } from '../../server/services/impact'
import { planProposals } from '../../server/services/proposals'
import { rolloutTable } from '../../server/services/rollout-work'
import { workIntake } from '../../server/services/intake-work'
import { employees, issuer } from '../../standins/issuer'
import { supplyInterruptions } from '../../standins/network'
import { restServer } from '../../standins/rest'
import { clientOver } from '../../shared/client/client'
import type { Problem } from '../../shared/api/problem'
import { freePort, listen } from './gateway'
import { meddlerBefore, noMeddler, type Meddler } from './meddler'

export interface Answer<T> {
  status: number
  body: T
  headers: Headers
}

/** What the API refused, as its problem says. */
export class Refused extends Error {
  constructor(readonly problem: Problem) {
    super(problem.detail)
  }
}

/** A person's browser, as far as the API can tell. */
export class Visitor {
  private readonly cookies = new Map<string, string>()

  constructor(
    private readonly base: string,
    /** What the world does once an API has been brought in. */
    readonly entered: (slug: string) => Promise<void> = () => Promise.resolve(),
  ) {}

  /** Goes to a page as a browser does, and says where it is sent on to. */
  async goTo(url: string): Promise<{ status: number; location: string }> {
    const response = await fetch(url, { redirect: 'manual', headers: { cookie: this.cookie() } })
    this.keepCookies(response)
    return { status: response.status, location: response.headers.get('location') ?? '' }
  }

  private keepCookies(response: Response): void {
    for (const set of response.headers.getSetCookie()) {
      const [name, ...value] = set.split(';')[0]!.split('=')
      this.cookies.set(name!, value.join('='))
    }
  }

  /** The API as the application calls it; what is refused is thrown as its problem. */
  readonly api = clientOver(async ({ path, ...request }) => {
    const response = await fetch(`${this.base}/api/v1${path}`, {
      ...request,
      headers: { ...request.headers, cookie: this.cookie() },
    })
    if (!response.ok) throw new Refused((await response.json()) as Problem)
    return response
  })

  cookie = () => [...this.cookies].map(([name, value]) => `${name}=${value}`).join('; ')

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
        cookie: this.cookie(),
        ...(body !== undefined && { 'content-type': raw ? 'text/plain' : 'application/json' }),
        ...headers,
      },
      ...(body !== undefined && { body: raw ? (body as BodyInit) : JSON.stringify(body) }),
    })
    this.keepCookies(response)
    const text = await response.text()
    const json = /json(?:;|$)/.test(response.headers.get('content-type') ?? '')
    return {
      status: response.status,
      body: (json ? JSON.parse(text) : text) as T,
      headers: response.headers,
    }
  }
}

export interface World {
  db: Database
  /** As the owner of the schema, who may do anything. */
  owner: Database
  /** Of its database. */
  url: string
  services: Services
  base: string
  standins: string
  adminUrl: string
  dataUrl: string
  /** Where the gateways keep what they have. */
  directory: string
  /** Every gateway, with what lies between it and the server. */
  sites: Site[]
  visitor: (name: string) => Promise<Visitor>
  stopGateway: () => Promise<void>
  startGateway: () => Promise<void>
  close: () => Promise<void>
}

/** A gateway of the world. */
export interface Site {
  name: string
  group: string
  adminUrl: string
  dataUrl: string
  /** What happens to calls of its admin port; nothing where it is not set. */
  meddler: Meddler
  stop: () => Promise<void>
  start: () => Promise<void>
}

export const definition = (name: string) => readFileSync(join('demo/definitions', name), 'utf8')

interface Wishes {
  /** Names and groups of the gateways. */
  gateways?: Record<string, string>
  /** Whether a meddler stands before every admin port. */
  meddled?: boolean
  /** How many connections the server has to the database. */
  connections?: number
  /** Nothing is in it yet, not even people. */
  empty?: boolean
}

/** A whole installation for tests: a database of its own, real gateways and backends, the API on a real port. */
export async function makeWorld({
  gateways = { 'north-edge': 'edge' },
  meddled = false,
  empty = false,
  connections,
}: Wishes = {}): Promise<World> {
  const server = process.env['ELM_TEST_DATABASE']
  if (!server) throw new Error('ELM_TEST_DATABASE is not set; run "npm test"')
  const name = `test_${randomBytes(6).toString('hex')}`
  const admin = new pg.Client({ connectionString: `${server}/postgres` })
  await admin.connect()
  await admin.query(`CREATE DATABASE ${name}`)
  const url = `${server}/${name}`
  const owner = openAsOwner(url)
  await migrateDatabase(owner.db, 'server/db/migrations')
  await grantTo(owner.pool, roleOf(url))
  const { db, seenBy, pool } = openDatabase(url, connections)

  const [apiPort, standinPort] = [await freePort(), await freePort()]
  const base = `http://127.0.0.1:${apiPort}`
  const standins = `http://127.0.0.1:${standinPort}`
  const backend = restServer(
    {
      '/trial/supply': supplyInterruptions(),
      '/rehearsal/supply': supplyInterruptions(),
    },
    {
      '/issuer': issuer({
        url: `${standins}/issuer`,
        clientId: 'elm-ledger',
        clientSecret: 'a-secret-of-the-client',
        redirects: [`${base}/sign-on/return`],
        accounts: employees,
      }),
    },
  )
  await listen(backend, standinPort)
  const directory = mkdtempSync(join(tmpdir(), 'elm-gateway-'))
  const sites = await Promise.all(
    Object.entries(gateways).map(([site, group]) => startSite(site, group, directory, meddled)),
  )
  const { adminUrl, dataUrl } = sites[0]!
  const foundation = {
    gateways: sites.map((site) => ({
      name: site.name,
      group: site.group,
      dataUrl: site.dataUrl,
      adminUrl: meddled ? site.meddler.url : site.adminUrl,
    })),
    standins,
    definitions: 'demo/definitions',
    rulebook: readFileSync('rulebooks/house.yaml', 'utf8'),
  }
  if (!empty) await seedFoundation(db, foundation)

  const services: Services = {
    db,
    seenBy,
    examiner: directExaminer,
    queue: {
      readIntake: (id) => workIntake(services, id),
      workBatch: (id) => workBatch(services, id),
      recheck: async () => {
        await recheckAll(services)
      },
      measure: (id) => workImpact(services, id),
      check: (id) => workCheck(services, id),
      compare: (result) => workComparison(services, result),
      plan: () => planProposals(services),
      rollOut: () => runner.wake(),
    },
    gatewaySecret: installation,
    gatewayFolders: join(directory, 'folders'),
    gatewayAuthority: '',
    secret: 'a session secret of more than 32 characters',
    alwaysLocal: false,
    lock: openLocks(url),
    heads: {
      keyFile: join(directory, 'ledger-key.pem'),
      headsFile: join(directory, 'ledger-heads.jsonl'),
      witness: '',
    },
    setupCode: 'the-code',
    allowedTargets: [new URL(standins).host],
    mail: { server: '', from: 'ledger@brackenmere.example' },
    now: () => new Date(),
  }
  const runner = new Runner(rolloutTable(services), 100)
  const serving = { services, sessionSecret: services.secret }
  const ready = () => Promise.resolve(serving)
  const listeners = new Set<(topic: string) => void>()
  const hear: Listen = (heard) => {
    if (listeners.size === 0) listenOn(url, (topic) => listeners.forEach((tell) => tell(topic)))
    listeners.add(heard)
    return () => listeners.delete(heard)
  }
  const ways = createRouter()
    .get('/sign-on/ways', signInWaysHandler(ready))
    .get('/sign-on/start', signOnStart(ready))
    .get('/sign-on/return', signOnReturn(ready))
    .get('/api/v1/events', eventsHandler(ready, hear))
    .get('/health', healthHandler)
    .get('/ready', readinessHandler(ready))
    .get('/metrics', metricsHandler(ready, ''))
    .get('/guarded-metrics', metricsHandler(ready, 'a-token'))
  const app = createApp().use(ways).use(apiHandler(operations, serving))
  const api = http.createServer(toNodeListener(app))
  await listen(api, apiPort)

  return {
    db,
    owner: owner.db,
    url,
    services,
    base,
    standins,
    adminUrl,
    dataUrl,
    directory,
    async visitor(person) {
      const visitor = new Visitor(base, (slug) => seedBackends(db, slug, standins))
      await visitor.signIn(person)
      return visitor
    },
    sites,
    stopGateway: () => sites[0]!.stop(),
    startGateway: () => sites[0]!.start(),
    async close() {
      await Promise.all([closed(api), runner.stop()])
      await Promise.all([closed(backend), ...sites.map((site) => site.stop())])
      await Promise.all(sites.map((site) => site.meddler.close()))
      await pool.end()
      await owner.pool.end()
      await admin.query(`DROP DATABASE ${name} WITH (FORCE)`)
      await admin.end()
      rmSync(directory, { recursive: true })
    },
  }
}

const installation = 'gateway-secret'
const adminSecrets = new Map<string, string>()

/** What the admin API of a site asks for. */
export const adminHeaders = (adminUrl: string): Record<string, string> => ({
  'x-admin-secret': adminSecrets.get(adminUrl) ?? '',
})

async function startSite(
  name: string,
  group: string,
  directory: string,
  meddled: boolean,
): Promise<Site> {
  const ports = { dataPort: await freePort(), adminPort: await freePort() }
  const adminUrl = `http://127.0.0.1:${ports.adminPort}`
  const meddler = meddled ? await meddlerBefore(adminUrl) : noMeddler
  const secret = secretOf(installation, { name, adminUrl: meddled ? meddler.url : adminUrl })
  adminSecrets.set(adminUrl, secret)
  const options = { name, ...ports, secret, directory }
  let running = await startGateway(options)
  return {
    name,
    group,
    adminUrl,
    dataUrl: `http://127.0.0.1:${ports.dataPort}`,
    meddler,
    stop: () => running.close(),
    start: async () => {
      running = await startGateway(options)
    },
  }
}

const closed = (server: http.Server) =>
  new Promise<void>((resolve) => {
    server.close(() => resolve())
    server.closeAllConnections()
  })

/** A context for calling use cases directly. */
export function contextOf({ services }: World, name: string): Context {
  const at = demoPeople.findIndex((candidate) => candidate.name === name)
  const person = demoPeople[at]!
  // They are inserted in this order.
  return actAs(services, { ...person, id: at + 1, team: person.team })
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
  const accepted = await visitor.call<{ api: string; revision: number; detail?: string }>(
    'POST',
    `/intakes/${intake.body.id}/accept`,
    about,
  )
  if (accepted.status === 201) await visitor.entered(accepted.body.api)
  return accepted
}
