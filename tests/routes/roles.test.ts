import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { placementEtag } from '../../shared/etags'
import { routes } from '../../shared/client/table'
import { teamId } from '../../server/db/names'
import { probes, promotions, releases, repositories, repositoryJobs } from '../../server/db/schema'
import { bringIn, definition, makeWorld, Visitor, type World } from '../support/world'

/** One of each role; two owners, of which one speaks for the team that is touched. */
const people = {
  governance: 'imara',
  owner: 'tomas',
  elsewhere: 'nadia',
  operator: 'oskar',
  reviewer: 'ruth',
  reader: 'wren',
  administrator: 'ada',
} as const
type Who = keyof typeof people
const everybody = Object.keys(people) as Who[]

let world: World
let visitors: Record<Who, Visitor>
let stranger: Visitor
/** What there is to act on. */
const there = {
  placement: '',
  live: '',
  promotion: 0,
  release: 0,
  alert: 0,
  job: 0,
  probe: 0,
  key: '',
  rule: 'contact-email',
  teams: [] as string[],
}

beforeAll(async () => {
  world = await makeWorld()
  const signedIn = await Promise.all(everybody.map((who) => world.visitor(people[who])))
  visitors = Object.fromEntries(everybody.map((who, i) => [who, signedIn[i]!])) as typeof visitors
  stranger = new Visitor(world.base)
  const { owner, operator } = visitors
  await bringIn(owner, definition('supply-interruptions/2.4.0.yaml'))
  const { spec, group } = await owner.api.getPlacementDraft({ api: 'supply-interruptions' })
  const placed = await owner.api.createPlacement(
    {},
    {
      api: 'supply-interruptions',
      version: '2.4.0',
      group,
      spec: {
        ...spec,
        routes: spec.routes.map((row) => ({ ...row, treatment: { kind: 'mock' as const } })),
      },
    },
  )
  there.placement = String(placed.id)
  const asked = await owner.api.requestPromotion(
    {},
    { api: 'supply-interruptions', version: '2.4.0', from: 'Trial', note: '' },
  )
  there.promotion = asked.id
  const [release] = await world.db
    .insert(releases)
    .values({
      ...{ title: 'There', note: '', fromStage: 'Trial', toStage: 'Rehearsal', state: 'waiting' },
      ...{ madeById: 1, madeAt: new Date(), apiIds: [1] },
    })
    .returning()
  there.release = release!.id
  await world.db.update(promotions).set({ releaseId: release!.id })
  const { items } = await operator.api.listFindings({ api: 'supply-interruptions', limit: 1 })
  there.key = items[0]!.key
  there.alert = (await operator.api.createAlert({}, alert())).alert
  there.rule = items[0]!.rule
  there.teams = (await operator.api.getShell()).teams
  const made = { slug: 'there', sealedToken: '', sealedSecret: '', setById: 1, setAt: new Date() }
  const { team, token: _, ...settings } = repository
  await world.db.insert(repositories).values({ ...settings, ...made, teamId: teamId(team) })
  const [job] = await world.db
    .insert(repositoryJobs)
    .values({
      ...{ repository: 'there', ref: 'refs/heads/main', stage: 'Trial', cause: 'push' },
      ...{ state: 'done', at: new Date(), endedAt: new Date() },
    })
    .returning()
  there.job = job!.id
  const [probe] = await world.db
    .insert(probes)
    .values({
      ...{ apiId: 1, title: 'There', text: 'arazzo: 1.0.1', every: 0, stages: [], edition: 1 },
      ...{ setById: 1, setAt: new Date() },
    })
    .returning()
  there.probe = probe!.id
})
afterAll(() => world.close())

const governance: Who[] = ['governance']
const editors: Who[] = ['governance', 'owner']
const placers: Who[] = ['governance', 'owner', 'operator']
const resolvers: Who[] = ['governance', 'operator']
const reviewers: Who[] = ['governance', 'reviewer']
const triagers: Who[] = ['governance', 'owner', 'reviewer']
const administrators: Who[] = ['administrator']
const findings = () => [{ api: 'supply-interruptions', key: there.key }]

const stage = { name: 'Twice', schemes: [], backendHosts: [], networks: [] }

interface Attempt {
  may: Who[]
  path?: () => Record<string, string | number>
  query?: string
  body?: () => unknown
  headers?: () => Record<string, string>
}

const api = () => ({ api: 'supply-interruptions' })
const pipeline = { title: 'Tried', text: 'none', note: 'Tried out' }
const repository = {
  ...{ title: 'Tried', url: 'http://127.0.0.1:1/x.git', statusUrl: '', token: '' },
  ...{ team: 'Network Control', audience: 'partner' as const },
  refs: [{ kind: 'branch' as const, name: 'main', stage: 'Trial' }],
  definitions: [{ path: 'a.yaml', api: '' }],
}
const placement = () => ({ placement: there.placement })
const promotion = () => ({ promotion: there.promotion })
const release = () => ({ release: there.release })
const house = () => ({ rulebook: 'house' })
const alert = () => ({
  ...{ title: 'Tried', kind: 'errors' as const, threshold: 5, minutes: 15, ...api() },
  ...{ mails: ['x@brackenmere.example'], webhook: '' },
})
const ifMatch = () => ({ 'if-match': placementEtag({ generation: 1 }) })

/**
 * Who may do what changes something. What only touches whoever does it (their password, their tokens, their session) is
 * everybody's; reading is open to all who have signed in, apart from what administrators keep.
 */
const attempts: Record<string, Attempt> = {
  updateApi: { may: editors, path: api, body: () => ({ labels: ['tried'] }) },
  saveRevision: {
    may: editors,
    path: api,
    body: () => definition('supply-interruptions/2.5.0.yaml'),
    headers: () => ({ 'if-match': '"0"' }),
  },
  createBaseline: { may: triagers, path: api },
  updateFindings: { may: triagers, body: () => ({ findings: findings(), comment: 'Seen' }) },
  createWaiver: {
    may: triagers,
    body: () => ({
      rule: there.rule,
      api: 'supply-interruptions',
      reason: 'Not before the next release',
      until: new Date(Date.now() + 9 * 86_400_000).toISOString().slice(0, 10),
    }),
  },
  createPlacement: {
    may: placers,
    body: () => ({
      api: 'supply-interruptions',
      version: '9.9.9',
      group: 'edge',
      spec: {
        host: 'trial.api.brackenmere.example',
        basePath: '/x',
        prefix: { kind: 'keep' },
        backends: [],
        routes: [],
        policies: { authentication: { kind: 'none', reason: 'Tried' } },
      },
    }),
  },
  updatePlacement: {
    may: placers,
    path: placement,
    body: () => ({
      host: 'trial.api.brackenmere.example',
      basePath: '/x',
      prefix: { kind: 'keep' },
      backends: [],
      routes: [],
      policies: {},
    }),
    headers: ifMatch,
  },
  issueKey: { may: placers, path: placement, body: () => ({ name: 'Alder Homes' }) },
  withdrawKey: { may: placers, path: () => ({ ...placement(), key: 'Nobody' }) },
  updateKeyContact: {
    may: placers,
    path: () => ({ ...placement(), key: 'Nobody' }),
    body: () => ({ contact: 'api@alder-homes.example' }),
  },
  createProbe: {
    may: placers,
    path: () => ({ api: 'supply-interruptions' }),
    body: () => ({ title: 'Tried', text: 'arazzo: 1.0.1', every: 0, stages: [] }),
  },
  updateProbe: {
    may: placers,
    path: () => ({ probe: there.probe }),
    body: () => ({ title: 'Tried', text: 'arazzo: 1.0.1', every: 0, stages: [] }),
    headers: ifMatch,
  },
  removeProbe: { may: placers, path: () => ({ probe: there.probe }) },
  runProbe: {
    may: ['governance', 'owner', 'elsewhere', 'operator', 'reviewer'],
    path: () => ({ probe: there.probe }),
    body: () => ({ placement: 'nothing' }),
  },
  issueProbeKey: { may: placers, path: placement },
  movePipelineFirst: { may: governance, path: () => ({ pipeline: 'nothing' }) },
  createEvidenceSource: { may: governance, body: () => ({ title: 'Tried' }) },
  removeEvidenceSource: { may: governance, path: () => ({ source: 'nothing' }) },
  sendEndingAnnouncement: {
    may: placers,
    path: placement,
    body: () => ({ clients: ['Nobody'], how: 'other', says: 'By telephone' }),
  },
  sendPromotionAnnouncement: {
    may: placers,
    path: promotion,
    body: () => ({ clients: ['Nobody'], how: 'other', says: 'By telephone' }),
  },
  putLedgerBack: { may: resolvers, path: placement },
  keepRunning: { may: resolvers, path: placement },
  changeByHand: { may: resolvers, path: placement, body: () => ({ kind: 'limit' }) },
  sendRequest: {
    may: ['governance', 'owner', 'elsewhere', 'operator', 'reviewer'],
    body: () => ({ placement: there.placement, method: 'GET', path: '/' }),
  },
  requestPromotion: {
    may: placers,
    body: () => ({ api: 'supply-interruptions', version: '2.4.0', from: 'Trial', note: '' }),
  },
  approvePromotion: {
    may: reviewers,
    path: promotion,
    body: () => ({ note: '', digest: 'x' }),
  },
  promoteVersion: { may: resolvers, path: promotion },
  skipApproval: {
    may: governance,
    path: promotion,
    body: () => ({ reason: 'Nobody else is awake tonight', digest: 'x' }),
  },
  readGateway: {
    may: ['governance', 'owner', 'elsewhere', 'operator', 'reviewer'],
    path: () => ({ gateway: 'north-edge' }),
  },
  uploadSnapshot: {
    may: ['governance', 'operator'],
    path: () => ({ gateway: 'north-edge' }),
    body: () => ({ text: 'kind: List\nitems: []\n' }),
  },
  updateNotifications: {
    may: everybody,
    body: () => ({
      ...{ mail: '', webhook: '', kinds: [], when: 'at-once', hour: 8, timeZone: 'UTC' },
    }),
  },
  testNotifications: { may: everybody },
  createPipeline: { may: governance, body: () => pipeline },
  createGateWaiver: {
    may: reviewers,
    path: promotion,
    body: () => ({ gate: 'none', reason: 'Tried by a test of roles', digest: 'x' }),
  },
  approveGateWaiver: { may: reviewers, path: () => ({ ...promotion(), gate: 'none' }) },
  connectRepository: { may: editors, body: () => repository },
  updateRepository: {
    may: editors,
    path: () => ({ repository: 'there' }),
    body: () => repository,
    headers: () => ({ 'if-match': '"repository-1-0"' }),
  },
  renewRepositorySecret: { may: editors, path: () => ({ repository: 'there' }) },
  readRepositoryBranches: { may: editors, path: () => ({ repository: 'there' }) },
  retryRepositoryJob: { may: editors, path: () => ({ job: there.job }) },
  cancelRepositoryJob: { may: editors, path: () => ({ job: there.job }) },
  removeRepository: { may: editors, path: () => ({ repository: 'there' }) },
  publishPipeline: {
    may: governance,
    path: () => ({ pipeline: 'nowhere' }),
    body: () => pipeline,
    headers: () => ({ 'if-match': '"edition-1"' }),
  },
  checkPipeline: { may: [...triagers, 'elsewhere'], body: () => ({ text: 'none' }) },
  removePipeline: { may: governance, path: () => ({ pipeline: 'nowhere' }) },
  createRulebook: { may: governance, body: () => ({ team: 'Field' }) },
  replaceRulebookDraft: {
    may: governance,
    path: house,
    body: () => ({ text: 'rulebook: 1' }),
    headers: () => ({ 'if-match': '"0"' }),
  },
  publishEdition: {
    may: governance,
    path: house,
    body: () => ({ note: 'Tried by a test of roles' }),
  },
  updateRulebook: { may: governance, path: house, body: () => ({ shown: false }) },
  createProposals: {
    may: governance,
    path: () => ({ rule: there.rule }),
    body: () => ({ fix: 0, note: '' }),
  },
  createImpact: {
    may: ['governance', 'owner', 'elsewhere', 'reviewer'],
    path: house,
    body: () => ({}),
  },
  createIntakeFromAddress: {
    may: ['governance', 'owner', 'elsewhere'],
    body: () => ({ url: 'http://127.0.0.1:1/' }),
  },
  createBatchFromAddresses: {
    may: ['governance', 'owner', 'elsewhere'],
    body: () => ({ urls: ['http://127.0.0.1:1/'] }),
  },
  addPerson: {
    may: administrators,
    body: () => ({ name: 'xe', displayName: 'Xe', role: 'owner' }),
  },
  changePerson: {
    may: administrators,
    path: () => ({ person: 'wren' }),
    body: () => ({ role: 'owner' }),
  },
  invitePerson: { may: administrators, path: () => ({ person: 'nobody-at-all' }) },
  updateOrganisation: {
    may: administrators,
    body: () => ({ organisation: 'Brackenmere Water', teams: there.teams }),
  },
  updateStages: { may: administrators, body: () => ({ stages: [stage, stage] }) },
  createRelease: {
    may: placers,
    body: () => ({
      ...{ title: 'Tried', note: '', from: 'Trial' },
      versions: [{ ...api(), version: '2.4.0' }],
    }),
  },
  approveRelease: {
    may: reviewers,
    path: release,
    body: () => ({ note: '', digest: 'none' }),
  },
  promoteRelease: { may: ['governance', 'operator'], path: release },
  cancelRelease: { may: placers, path: release },
  removeFromRelease: { may: placers, path: () => ({ ...release(), ...promotion() }) },
  checkStages: { may: administrators, body: () => ({ stages: [stage, stage] }) },
  updateHost: {
    may: administrators,
    path: () => ({ host: 'x.example' }),
    body: () => ({ stage: 'Nowhere', audiences: ['private'] }),
  },
  removeHost: { may: administrators, path: () => ({ host: 'not-there.example' }) },
  updateGatewayGroup: {
    may: administrators,
    path: () => ({ group: 'Not A Name' }),
    body: () => ({ serves: 'Nothing', audiences: ['private'] }),
  },
  readGatewaySecret: { may: administrators, path: () => ({ gateway: 'not-there' }) },
  updateGateway: {
    may: administrators,
    path: () => ({ gateway: 'Not A Name' }),
    body: () => ({
      group: 'edge',
      serves: 'x',
      dataUrl: 'http://127.0.0.1:1',
      adminUrl: 'http://127.0.0.1:1',
    }),
  },
  removeGateway: { may: administrators, path: () => ({ gateway: 'not-there' }) },
  updatePolicyScope: {
    may: resolvers,
    path: () => ({ scope: 'organisation' }),
    body: () => ({ policies: {}, binding: [] }),
    headers: () => ({ 'if-match': '"0"' }),
  },
  requestPolicyChange: {
    may: resolvers,
    body: () => ({ scope: 'stage:Nowhere', policies: {}, binding: [], note: '' }),
  },
  approvePolicyChange: {
    may: reviewers,
    path: () => ({ change: 4711 }),
    body: () => ({ digest: 'x' }),
  },
  withdrawPolicyChange: { may: resolvers, path: () => ({ change: 4711 }) },
  createAlert: { may: placers, body: alert },
  updateAlert: { may: placers, path: () => ({ alert: there.alert }), body: alert },
  testAlert: { may: placers, path: () => ({ alert: there.alert }) },
  removeAlert: { may: placers, path: () => ({ alert: there.alert }) },
  acceptDrift: {
    may: resolvers,
    path: () => ({ difference: 4711 }),
    body: () => ({ until: '2030-01-01', reason: 'Tried' }),
  },
  takeRouteOff: { may: resolvers, path: () => ({ difference: 4711 }) },
  endDriftAcceptance: { may: resolvers, path: () => ({ difference: 4711 }) },
  setDriftReaction: {
    may: governance,
    path: () => ({ group: 'nowhere', stage: 'Trial' }),
    body: () => ({ reaction: 'report', minutes: 0 }),
  },
  restorePlacement: {
    may: resolvers,
    path: () => ({ placement: there.placement }),
    body: () => ({ entry: 1, reason: 'Tried by a test of roles' }),
    headers: ifMatch,
  },
  removePlacement: { may: placers, path: () => ({ placement: there.placement }) },
}

/** Read by administrators only. */
const kept = new Set(['listPeople', 'getSettings'])
/** What everybody may do, for it touches only themselves; and what needs no session at all. */
const own = new Set([
  'changePassword',
  'createToken',
  'deleteToken',
  'endSession',
  'deleteSession',
  'searchComments',
  'checkPlacement',
  'previewPolicyScope',
  'verifyLedger',
])

const filled = (path: string, values: Record<string, string | number> = {}) =>
  path.replace(/\{(\w+)\}/g, (_, name: string) => encodeURIComponent(values[name] ?? 'x'))

describe('an operation that changes something', () => {
  it('is in the matrix, or is known to be everybody’s', () => {
    const table = Object.entries(routes).filter(([, [method]]) => method !== 'GET')
    const missing = table
      .map(([name]) => name)
      .filter((name) => !(name in attempts) && !own.has(name) && !elsewhere.has(name))
    expect(missing).toEqual([])
    for (const name of Object.keys(attempts)) expect(Object.keys(routes)).toContain(name)
  })

  it.each(Object.keys(attempts))('%s is refused to every other role, by name', async (name) => {
    const { may, path, body, headers } = attempts[name]!
    const [method, template] = routes[name as keyof typeof routes]
    const address = filled(template, path?.())
    for (const who of everybody.filter((one) => !may.includes(one))) {
      const { status, body: said } = await visitors[who].call<{ detail: string }>(
        method,
        address,
        body?.(),
        headers?.(),
      )
      expect([who, status], `${who}: ${said?.detail}`).toEqual([who, 403])
      expect(said.detail).toMatch(/takes the role .*\. You are signed in as/)
    }
    expect((await stranger.call(method, address, body?.(), headers?.())).status).toBe(401)
  })

  it.each(Object.keys(attempts))('%s is not refused to those whose role it takes', async (name) => {
    const { may, path, body, headers } = attempts[name]!
    const [method, template] = routes[name as keyof typeof routes]
    for (const who of may) {
      const { status } = await visitors[who].call(
        method,
        filled(template, path?.()),
        body?.(),
        headers?.(),
      )
      expect([who, status === 403 || status === 401 || status >= 500]).toEqual([who, false])
    }
  })
})

/** Decided upon by whoever began them, and tried where they are tested. */
const elsewhere = new Set([
  'acceptBatch',
  'acceptIntake',
  'acceptInvitation',
  'acceptProposal',
  'approveWaiver',
  'cancelBatch',
  'cancelRollout',
  'pauseRollout',
  'resumeRollout',
  'confirmOverride',
  'convertRevision',
  'createBatch',
  'createCheck',
  'createComparison',
  'createFileComparison',
  'createIntake',
  'createIntakeReferences',
  'createSession',
  'createSetup',
  'createOutsideResult',
  'createRepositoryDelivery',
  'checkResources',
  'removeResource',
  'updateResource',
  'requestChange',
  'stopImpact',
  'testGateway',
  'testSignOn',
  'updateSignIn',
  'updateRetention',
  'updatePublicAddress',
  'withdrawProposal',
  'withdrawPromotion',
  'withdrawWaiver',
])

describe('reading', () => {
  const lists = Object.entries(routes).filter(
    ([, [method, path]]) => method === 'GET' && !path.includes('{'),
  )

  it.each(lists.map(([name]) => name))(
    '%s is open to all who have signed in, unless administrators keep it',
    async (name) => {
      const [, path] = routes[name as keyof typeof routes]
      for (const who of everybody) {
        const { status } = await visitors[who].call('GET', path)
        expect([who, status === 403]).toEqual([who, kept.has(name) && who !== 'administrator'])
        expect(status).toBeLessThan(500)
      }
    },
  )

  it('asks strangers to sign in', async () => {
    const answered: string[] = []
    for (const [name, [method, path]] of Object.entries(routes)) {
      if (method !== 'GET' || path.includes('{')) continue
      const { status } = await stranger.call('GET', path)
      if (status !== 401) answered.push(name)
    }
    expect(answered).toEqual([])
  })
})
