import { placementEtag, revisionEtag, scopeEtag } from '../shared/etags'
import { readdirSync, readFileSync, statSync } from 'node:fs'
import { join } from 'node:path'
import { eq, sql } from 'drizzle-orm'
import { zipSync } from 'fflate'
import semver from 'semver'
import { looksLikeDefinition } from '../core/formats/detect'
import type { Treatment } from '../core/runtime/placement'
import type { PolicySet } from '../core/runtime/policies'
import type { AuthMethod } from '../core/runtime/policies/authenticate'
import type { SpecBody } from '../shared/api/placements'
import type { KeptSignOn } from '../shared/api/settings'
import type { Database, Queries } from '../server/db/database'
import {
  backends,
  gatewayGroups,
  gateways,
  hosts,
  people,
  settings,
  stages,
} from '../server/db/schema'
import { ownDefinition } from '../server/operations'
import { changeApi, readApi, saveRevision, findApi } from '../server/services/catalog'
import { recheckAll } from '../server/services/checking'
import { dayOf } from '../server/services/known'
import { acceptAll, actOnFindings, listFindings } from '../server/services/findings'
import { planProposals, proposeFix } from '../server/services/proposals'
import { askForWaiver, decideWaiver } from '../server/services/waivers'
import { publish, readDraft, saveDraft } from '../server/services/drafts'
import { beginRulebook, houseSlug } from '../server/services/rulebooks'
import { acceptBatch, readBatch, takeInArchive, workBatch } from '../server/services/batches'
import {
  actAs,
  type Actor,
  type Context,
  type Queue,
  type Services,
} from '../server/services/context'
import { workIntake } from '../server/services/intake-work'
import { acceptIntake, takeIn } from '../server/services/intakes'
import { hashPassword } from '../server/services/passwords'
import { editByHand } from '../server/services/drift'
import { issueKey } from '../server/services/keys'
import { changePlacement, draftPlacement, place } from '../server/services/placements'
import { changeScope } from '../server/services/policies'
import { workRollouts } from '../server/services/rollout-work'
import { approve, promote, requestPromotion } from '../server/services/promotions'
import { setGateway, setGroup } from '../server/services/administration'
import { uploadSnapshot } from '../server/services/gateways'
import { isOff } from '../core/runtime/policies'
import { printed } from './cluster'
import * as world from './world'
import { personColumns, teamId } from '../server/db/names'
import { toActor } from '../server/services/people'
import { setTeams } from '../server/services/teams'

export interface SeedOptions {
  /** `name`, data and admin address of each gateway. */
  gateways: { name: string; group: string; dataUrl: string; tlsUrl?: string; adminUrl: string }[]
  /** The certificate of who issues those of gateways and clients, in PEM, where the demo has one. */
  authority?: string
  standins: string
  definitions: string
  /** The text of the house rulebook. */
  rulebook: string
  /** Single sign-on, where the demo has it. */
  signOn?: KeptSignOn
}

/** Whether the database has never been filled. */
export const isEmpty = async (db: Database) =>
  (await db.select({ id: settings.id }).from(settings)).length === 0

/** What every installation begins with: the organisation, its stages and gateways, its people and rulebook. */
export async function seedFoundation(
  db: Database,
  options: SeedOptions,
  begun = Date.now(),
): Promise<void> {
  const passwordHash = await hashPassword(world.password)
  await db.transaction(async (tx) => {
    await setTeams(tx, world.teams)
    await tx.insert(people).values(
      world.people.map(({ team, ...person }) => ({
        ...person,
        teamId: team === undefined ? null : teamId(team),
        passwordHash,
      })),
    )
    await tx.insert(stages).values(world.stages.map(({ name }, position) => ({ name, position })))
    await tx.insert(hosts).values(world.hosts)
    await tx.insert(gatewayGroups).values(
      [...new Set(options.gateways.map(({ group }) => group))].map((name, position) => ({
        name,
        position,
        ...(world.groups[name] ?? { serves: 'Traffic', audiences: ['private' as const] }),
      })),
    )
    await tx.insert(gateways).values(
      options.gateways.map((gateway, position) => ({
        ...gateway,
        position,
        serves: world.gatewaysServe[gateway.name] ?? 'Traffic',
      })),
    )
    await tx.insert(settings).values({
      organisation: world.organisation,
      demo: true,
      ...(options.signOn && { signOn: options.signOn }),
    })
    await beginRulebook(tx, options.rulebook, {
      actor: await personNamed(tx, 'imara'),
      now: () => new Date(begun),
    })
  })
}

const day = 86_400_000

/** Where the stand-ins for an API's services are, in every stage. */
export async function seedBackends(db: Database, slug: string, standins: string): Promise<void> {
  const backend = world.apis.find(({ folder }) => folder === slug)?.backend
  if (backend === undefined) return
  const { id } = await findApi(db, slug)
  await db
    .insert(backends)
    .values(
      world.stages.map(({ name }) => ({
        apiId: id,
        stage: name,
        name: 'main',
        url: `${standins}/${name.toLowerCase()}/${backend}`,
        timeoutMs: 5000,
      })),
    )
    .onConflictDoNothing()
}

async function personNamed(db: Queries, name: string): Promise<Actor> {
  const [person] = await db.select(personColumns).from(people).where(eq(people.name, name))
  return toActor(person!)
}

const idle = () => Promise.resolve()

/** The seed does the workers' part itself, so nothing is put into the queue. */
export const idleQueue: Queue = {
  readIntake: idle,
  workBatch: idle,
  recheck: idle,
  measure: idle,
  check: idle,
  compare: idle,
  plan: idle,
  rollOut: idle,
}

const withRatePolicies = (policies: PolicySet, requests: number): PolicySet => ({
  ...policies,
  rate: { requests, seconds: 60, per: 'client' },
})

/** The same protection with so many requests a minute for each client. */
const withRate =
  (requests: number) =>
  ({ policies }: SpecBody): Partial<SpecBody> => ({
    policies: withRatePolicies(policies, requests),
  })

/** What partners get: a quota beside the limit, a mark that they are partners, and a second try where it is safe. */
const partnerWay = ({ policies, routes }: SpecBody): Partial<SpecBody> => ({
  policies: {
    ...withRatePolicies(policies, 60),
    quota: { requests: 20_000, in: 'day', per: 'client' },
    parameters: {
      map: [
        { kind: 'constant', in: 'query', name: 'channel', value: 'partner' },
        { kind: 'drop', in: 'query', name: 'debug' },
      ],
    },
    retry: { attempts: 1, statuses: [502, 503], budgetPercent: 20 },
  },
  routes: routes.map((row) =>
    row.method === 'POST' && row.treatment.kind === 'route'
      ? { ...row, policies: { concurrency: { requests: 4, per: 'client' } } }
      : row,
  ),
})

/** Held against its definition, and its backend left alone when it keeps failing. */
const careful = ({ policies }: SpecBody): Partial<SpecBody> => ({
  policies: {
    ...policies,
    contract: { requests: 'report', responses: 'report' },
    breaker: { failures: 5, seconds: 10 },
    timeout: { milliseconds: 15_000 },
  },
})

/** From the company’s own networks, while the desks are open. */
const withinHours = ({ policies }: SpecBody): Partial<SpecBody> => ({
  policies: {
    ...policies,
    addresses: { allow: ['10.0.0.0/8', '127.0.0.0/8', '::1/128'], refuse: [] },
    hours: {
      ...{ days: ['mon', 'tue', 'wed', 'thu', 'fri', 'sat', 'sun'], from: '00:01', to: '23:59' },
      zone: 'Europe/London',
    },
  },
})

/** What a preview of the next service gets, and what the radios of the meter round ask for beside the definition. */
const previewed = ({ backends, policies }: SpecBody): Partial<SpecBody> => ({
  backends: [...backends, { ...backends[0]!, name: 'next' }],
  furtherRoutes: [
    {
      name: 'radio-round',
      method: 'GET',
      path: '/readings',
      conditions: [{ in: 'header', name: 'X-Channel', value: 'radio' }],
      treatment: { kind: 'route', backend: 'next' },
    },
  ],
  policies: {
    ...policies,
    share: {
      backend: 'next',
      version: '4.1.0',
      percent: 10,
      header: { name: 'X-Preview', value: 'on' },
      clients: [],
    },
  },
})

/** Fills an empty register with the demo's history, through the same use cases that people use. */
export class DemoSeed {
  /** Keys of the demo's clients, as they were shown once. */
  readonly issued: { placement: string; client: string; secret: string }[] = []
  private clock: number
  private readonly people = new Map<string, Actor>()
  private readonly services: Services

  constructor(
    services: Services,
    private readonly options: SeedOptions,
    private readonly tell: (step: string) => void = () => undefined,
  ) {
    this.clock = Date.now() - 56 * day
    this.services = services
  }

  async run(): Promise<void> {
    await seedFoundation(this.services.db, { ...this.options, rulebook: world.noRules }, this.clock)
    for (const { name } of world.people)
      this.people.set(name, await personNamed(this.services.db, name))
    await this.housePolicies()
    await this.beforeTheRulebook()
    for (const { folder } of world.apis) {
      if (world.older.includes(folder)) continue
      for (const version of this.versionsOf(folder).slice(0, 1)) await this.bringIn(folder, version)
    }
    this.tell('Placing and promoting')
    await this.supplyInterruptions()
    await this.meterReadings()
    await this.reservoirLevels()
    await this.customerAccounts()
    await this.paymentsDesk()
    await this.leakSensors()
    await this.inStep('billing-and-tariffs', '2.1.0', 'Tariffs by band')
    await this.labSampling()
    await this.facts()
    await this.exceptions()
    await this.itself()
    await this.clusters()
    await this.services.db.execute(sql`ANALYZE`)
  }

  private as(name: string, daysLater = 0.4): Context {
    this.clock = Math.min(this.clock + daysLater * day, Date.now())
    const now = () => new Date(this.clock)
    const services = { ...this.services, now }
    const queue = { ...idleQueue, rollOut: () => workRollouts(services) }
    return actAs({ ...services, queue }, this.people.get(name)!)
  }

  private versionsOf(folder: string): string[] {
    const number = (name: string) => name.replace(/\.[a-z]+$/, '')
    return readdirSync(join(this.options.definitions, folder)).sort((a, b) =>
      semver.compare(number(a), number(b)),
    )
  }

  /** A version's text, or where it is a folder, its files as a ZIP and which of them is the main one. */
  private source(folder: string, name: string): { bytes: Uint8Array; main?: string } {
    const path = join(this.options.definitions, folder, name)
    if (!statSync(path).isDirectory()) return { bytes: readFileSync(path) }
    const names = readdirSync(path, { recursive: true, encoding: 'utf8' }).filter((file) =>
      statSync(join(path, file)).isFile(),
    )
    const files = names.map((file) => [file, readFileSync(join(path, file))] as const)
    const main = files.find(([, bytes]) => looksLikeDefinition(bytes.toString('utf8')))![0]
    return { bytes: zipSync(Object.fromEntries(files)), main }
  }

  private async bringIn(folder: string, name: string): Promise<void> {
    const { owner, team, audience } = world.apis.find((api) => api.folder === folder)!
    this.tell(`Bringing in ${folder} ${name}`)
    const context = this.as(owner, 0.1)
    await this.enter(context, folder, name, { team, audience })
    await seedBackends(this.services.db, folder, this.options.standins)
  }

  private async enter(
    context: Context,
    folder: string,
    name: string,
    { team, audience }: Pick<(typeof world.apis)[number], 'team' | 'audience'>,
  ): Promise<void> {
    const { bytes, main } = this.source(folder, name)
    if (main === undefined) {
      const file = `${folder}${name.slice(name.lastIndexOf('.'))}`
      await this.accept(context, bytes, file, { team, audience })
      return
    }
    const { id } = await takeInArchive(context, bytes, `${folder}.zip`)
    await workBatch(context, id)
    await acceptBatch(context, id, { team, audience, without: [] })
    await workBatch(context, id)
    const { state, trouble } = await readBatch(context.db, id)
    if (state !== 'done') throw new Error(`${folder} ${name}: ${trouble}`)
  }

  private async accept(
    context: Context,
    bytes: Uint8Array,
    file: string,
    acceptance: Parameters<typeof acceptIntake>[2],
  ): Promise<void> {
    const { id } = await takeIn(context, bytes, file)
    await workIntake(context, id)
    await acceptIntake(context, id, acceptance)
  }

  private async next(folder: string, name: string, daysLater = 1): Promise<void> {
    const { owner } = world.apis.find((api) => api.folder === folder)!
    this.tell(`Saving ${folder} ${name}`)
    const context = this.as(owner, daysLater)
    const { latestNumber: latestRevision } = await findApi(context.db, folder)
    const { bytes, main } = this.source(folder, name)
    await saveRevision(context, folder, bytes, revisionEtag(latestRevision), main)
  }

  /** Places a version in Trial, deciding about every operation. */
  private async placeTrial(
    api: string,
    version: string,
    decide: (operation: string) => Treatment,
    change: (spec: SpecBody) => Partial<SpecBody> = () => ({}),
    group?: string,
  ): Promise<string> {
    const { owner } = world.apis.find(({ folder }) => folder === api) ?? { owner: 'imara' }
    const context = this.as(owner)
    const draft = await draftPlacement(context, api, { version, ...(group && { group }) })
    const routes = draft.spec.routes.map((row) => ({
      ...row,
      treatment: decide(`${row.method} ${row.path}`),
    }))
    const spec = { ...draft.spec, routes }
    const placed = await place(context, {
      api,
      version,
      group: draft.group,
      spec: { ...spec, ...change(spec) },
    })
    if ('steps' in placed) throw new Error(`${placed.title} does not come to an end`)
    return placed.id
  }

  /** Tokens of the company’s issuer, with the scopes that the definition names. */
  private readonly withTokens = ({ policies }: SpecBody): Partial<SpecBody> => {
    const issuer = `${this.options.standins}/issuer`
    const token: AuthMethod = {
      kind: 'jwt',
      issuer,
      jwks: `${issuer}/jwks`,
      audience: [world.tokenAudience],
      skewSeconds: 30,
      client: 'client_id',
      claims: [],
    }
    return {
      policies: {
        ...policies,
        authentication: { kind: 'credentials', anyOf: [{ allOf: [token] }] },
        scopes: { definition: true, also: [], claim: 'scope' },
      },
    }
  }

  /** By TLS only, within hours, and for cash desks by the certificate that the company has issued them. */
  private readonly atDesks = (spec: SpecBody): Partial<SpecBody> => {
    const { authority } = this.options
    const { policies = spec.policies } = withinHours(spec)
    const asked = policies.authentication
    if (authority === undefined || !asked || isOff(asked) || asked.kind === 'none')
      return { policies }
    const certificate: AuthMethod = {
      kind: 'client-certificate',
      authority: authority.replaceAll('\n', ''),
      client: 'common-name',
      clients: ['cash-desks'],
    }
    return {
      policies: {
        ...policies,
        transport: { plain: 'redirected' },
        authentication: { ...asked, anyOf: [...asked.anyOf, { allOf: [certificate] }] },
      },
    }
  }

  private async promoteTo(api: string, version: string, from: string, note: string): Promise<void> {
    const { id, digest } = await requestPromotion(this.as('oskar'), { api, version, from, note })
    await approve(this.as('ruth'), id, { note: 'Read and tried.', digest: digest! })
    await promote(this.as('oskar', 0.1), id)
  }

  private async throughAll(api: string, version: string, note: string): Promise<void> {
    await this.promoteTo(api, version, 'Trial', note)
    await this.promoteTo(api, version, 'Rehearsal', note)
  }

  private async supplyInterruptions(): Promise<void> {
    const api = 'supply-interruptions'
    const decide = (operation: string): Treatment =>
      operation === 'GET /interruptions/export'
        ? { kind: 'withheld', reason: 'For the regulator’s return only; asked for by e-mail' }
        : { kind: 'route', backend: 'main' }
    const limit = partnerWay
    await this.placeTrial(api, '2.3.1', decide, limit)
    await this.throughAll(api, '2.3.1', 'First version for partners')
    await this.issue(`${api}-live-1`, 'Alder Homes')
    await this.issue(`${api}-live-1`, 'County flood desk', 0)
    await this.next(api, '2.4.0.yaml', 6)
    await this.placeTrial(api, '2.4.0', decide, limit)
    await this.promoteTo(api, '2.4.0', 'Trial', 'Adds subscriptions and webhooks')
    await requestPromotion(this.as('tomas', 2), {
      api,
      version: '2.4.0',
      from: 'Rehearsal',
      note: 'Adds subscriptions and webhooks; partners have tried it in Rehearsal.',
      neededBy: dayOf(new Date(Date.now() + 3 * day)),
    })
    await this.next(api, '2.5.0.yaml', 3)
    await editByHand(this.as('oskar', 1), `${api}-live-1`, { kind: 'limit' })
    await editByHand(this.as('oskar', 0.1), `${api}-live-1`, { kind: 'route' })
  }

  /** Issues a key, and keeps it for whoever calls in the demo. */
  private async issue(placement: string, client: string, daysLater?: number): Promise<void> {
    const contact = `api@${client.toLowerCase().replace(/[^a-z]+/g, '-')}.example`
    const whom = { name: client, contact }
    const { secret } = await issueKey(this.as('oskar', daysLater), placement, whom)
    this.issued.push({ placement, client, secret })
  }

  private async meterReadings(): Promise<void> {
    const api = 'meter-readings'
    const main = (): Treatment => ({ kind: 'route', backend: 'main' })
    await this.placeTrial(api, '3.9.2', main, careful)
    await this.throughAll(api, '3.9.2', 'Batches for the radio round')
    for (const client of [
      'Alder Homes',
      'County flood desk',
      'Fernhill Plumbing',
      'Tarn Institute',
    ])
      await this.issue(`${api}-live-1`, client)
    await this.next(api, '4.0.0.yaml', 4)
    await this.placeTrial(api, '4.0.0', main, previewed)
  }

  private async reservoirLevels(): Promise<void> {
    const api = 'reservoir-levels'
    await this.placeTrial(api, '1.2.0', () => ({ kind: 'route', backend: 'main' }))
    await this.throughAll(api, '1.2.0', 'Open data')
  }

  private async customerAccounts(): Promise<void> {
    const api = 'customer-accounts'
    const main = (): Treatment => ({ kind: 'route', backend: 'main' })
    await this.placeTrial(api, '3.2.5', main, this.withTokens)
    await this.throughAll(api, '3.2.5', 'Priority services entries')
    await this.next(api, '3.3.0', 2)
    await this.placeTrial(api, '3.3.0', main)
    await this.promoteTo(api, '3.3.0', 'Trial', 'Adds the timeline')
  }

  private async paymentsDesk(): Promise<void> {
    const api = 'payments-desk'
    await this.placeTrial(api, '1.4.0', () => ({ kind: 'route', backend: 'main' }), this.atDesks)
    await this.throughAll(api, '1.4.0', 'Arrangements')
    await this.next(api, '1.5.0.yaml', 2)
  }

  private async leakSensors(): Promise<void> {
    const api = 'leak-sensors'
    const id = await this.placeTrial(api, '0.3.0', () => ({ kind: 'mock' }))
    const context = this.as('tomas', 0.2)
    const draft = await draftPlacement(context, api, { version: '0.3.0' })
    const { spec } = draft
    await changePlacement(
      context,
      id,
      { ...spec, ...withRate(30)(spec) },
      placementEtag({ generation: 1 }),
    )
  }

  /** The house rules come into force: from then on everything is checked against them. */
  private async publishHouse(): Promise<void> {
    const context = this.as('imara', 0.1)
    const { etag } = await readDraft(context.db, houseSlug)
    const saved = await saveDraft(context, houseSlug, this.options.rulebook, etag)
    const note = 'The first rules for the whole house, written with every team'
    await publish(context, houseSlug, { note }, saved.etag)
    await recheckAll(context)
  }

  /** What teams cannot fix yet, what they will not, and what somebody offers to fix for them. */
  private async exceptions(): Promise<void> {
    this.tell('Waivers, a baseline and proposed fixes')
    const inDays = (days: number) => dayOf(new Date(Date.now() + days * day))
    const { waiver } = await askForWaiver(this.as('bryn', 0.1), {
      rule: 'no-basic',
      api: 'tanker-dispatch',
      reason: 'The handsets in the cabs hold no token; they are replaced before winter.',
      until: inDays(9),
    })
    await decideWaiver(this.as('ruth', 0.1), waiver, {
      approve: true,
      note: 'Until the new handsets are there, not longer.',
    })
    await askForWaiver(this.as('sunil', 0.1), {
      rule: 'response-example',
      api: 'connections-and-permits',
      reason: 'The council writes the examples with us in spring.',
      until: inDays(140),
    })
    await acceptAll(this.as('bryn', 0.1), 'hydrant-register')
    await this.triage('connections-and-permits', 'no-default-on-required', 'sunil')
    const imara = this.as('imara', 0.1)
    const note = 'Before these versions are placed, please.'
    await proposeFix(imara, 'property-casing', { fix: 0, note })
    await planProposals(imara)
  }

  private async triage(api: string, rule: string, person: string): Promise<void> {
    const context = this.as('imara', 0.1)
    const { items } = await listFindings(context.db, { api, rule })
    await actOnFindings(context, {
      findings: items.map(({ key }) => ({ api, key })),
      person,
      comment: 'Every client sends these; the defaults are left from the samples.',
    })
  }

  /** A version that stands in every stage as it was approved. */
  private async inStep(api: string, version: string, note: string): Promise<void> {
    await this.placeTrial(api, version, (operation) =>
      operation.includes('}{')
        ? { kind: 'withheld', reason: 'Nothing tells where one of its parameters ends' }
        : { kind: 'route', backend: 'main' },
    )
    await this.throughAll(api, version, note)
  }

  /** What holds for everybody, before anything is placed. */
  private async housePolicies(): Promise<void> {
    for (const { scope, policies, binding } of world.policies) {
      const context = this.as('imara', 0.05)
      const held = await changeScope(
        context,
        scope,
        { policies, binding },
        scopeEtag({ generation: 0 }),
      )
      if ('steps' in held) throw new Error(`${held.title} has something to roll out already`)
    }
  }

  /** The oldest APIs went to Live before anybody asked for rules; what they break came to light afterwards. */
  private async beforeTheRulebook(): Promise<void> {
    for (const folder of world.older) await this.bringIn(folder, this.versionsOf(folder)[0]!)
    await this.inStep('tanker-dispatch', '0.8.0', 'As it has always been')
    await this.inStep('connections-and-permits', '1.0.3', 'Permits')
    await this.inStep('hydrant-register', '1.1.0', 'The oldest of all')
    await this.publishHouse()
    await this.next('tanker-dispatch', '0.9.4.raml', 3)
    await this.placeTrial('tanker-dispatch', '0.9.4', () => ({ kind: 'mock' }))
    const sunset = new Date(this.clock + 120 * day).toISOString().slice(0, 10)
    await changeApi(this.as('bryn', 0.1), 'hydrant-register', { lifecycle: 'deprecated', sunset })
  }

  /** Gateways of others, which the ledger reads from files and from what was printed. */
  private async clusters(): Promise<void> {
    if (this.options.authority === undefined) return
    const ada = this.as('ada', 0)
    for (const { name, ...cluster } of world.clusters) {
      await setGroup(ada, cluster.group, world.groups[cluster.group]!)
      await setGateway(ada, name, cluster)
    }
    await uploadSnapshot(this.as('oskar', 0), 'outfall', printed)
  }

  private async labSampling(): Promise<void> {
    const api = 'lab-sampling'
    await this.inStep(api, '1.6.0', 'SOAP behind the gateway')
    await this.next(api, '1.8.0', 4)
    await this.placeTrial(api, '1.8.0', () => ({ kind: 'route', backend: 'main' }))
    await this.placeTrial(
      api,
      '1.8.0',
      () => ({ kind: 'route', backend: 'main' }),
      () => ({ basePath: '/lab/v1', face: 'rest' }),
    )
  }

  /** What people wrote into the register beside the definitions. */
  private async facts(): Promise<void> {
    for (const { folder, owner } of world.apis) {
      await changeApi(this.as(owner, 0), folder, { owner, ...world.facts[folder] })
    }
  }

  /** The ledger's own API, described by itself. */
  private async itself(): Promise<void> {
    const context = this.as('imara')
    await this.accept(context, Buffer.from(ownDefinition()), 'elm-ledger.json', {
      team: 'Developer Services',
      audience: 'private',
    })
    const { latest } = await readApi(context, 'elm-ledger')
    if (latest.findings.must > 0) throw new Error('The ledger’s own definition breaks a MUST')
  }
}
