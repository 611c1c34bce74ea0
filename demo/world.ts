import type { ApiChange } from '../shared/api/catalog'
import type { Audience } from '../shared/words'
import type { Role } from '../shared/words'
import type { PolicyName, PolicySet } from '../core/runtime/policies'

/** Brackenmere Water: the made-up company of the demo, its people, gateways and APIs. */
export const organisation = 'Brackenmere Water'
export const domain = 'brackenmere.example'

export const teams = [
  'Metering',
  'Network Control',
  'Water Quality',
  'Customer',
  'Field',
  'Developer Services',
]

export const people: { name: string; displayName: string; role: Role; team?: string }[] = [
  { name: 'imara', displayName: 'Imara Holt', role: 'governance' },
  { name: 'tomas', displayName: 'Tomas Verrall', role: 'owner', team: 'Network Control' },
  { name: 'nadia', displayName: 'Nadia Corrie', role: 'owner', team: 'Metering' },
  { name: 'edwin', displayName: 'Edwin Aske', role: 'owner', team: 'Customer' },
  { name: 'bryn', displayName: 'Bryn Calloway', role: 'owner', team: 'Field' },
  { name: 'lena', displayName: 'Lena Vosper', role: 'owner', team: 'Water Quality' },
  { name: 'sunil', displayName: 'Sunil Parekh', role: 'owner', team: 'Developer Services' },
  { name: 'oskar', displayName: 'Oskar Lindley', role: 'operator' },
  { name: 'ruth', displayName: 'Ruth Amadi', role: 'reviewer' },
  { name: 'wren', displayName: 'Wren Sadler', role: 'reader' },
  { name: 'ada', displayName: 'Ada Marsh', role: 'administrator' },
]

/** Everybody's password in the demo. */
export const password = 'elm-demo-2026'

export const stages = [{ name: 'Trial' }, { name: 'Rehearsal' }, { name: 'Live' }]

/** Each stage has a host outside and one inside. */
export const hosts: { name: string; stage: string; audiences: Audience[] }[] = stages.flatMap(
  ({ name: stage }) => {
    const before = stage === 'Live' ? '' : `${stage.toLowerCase()}.`
    return [
      { name: `${before}api.${domain}`, stage, audiences: ['partner', 'public'] as Audience[] },
      { name: `${before}inner.${domain}`, stage, audiences: ['private'] as Audience[] },
    ]
  },
)

export const gatewayNames = ['north-edge', 'south-edge', 'inner']

/** Which gateways serve the same. */
export const groupOf: Record<string, string> = {
  'north-edge': 'edge',
  'south-edge': 'edge',
  inner: 'inner',
}

export const groups: Record<string, { serves: string; audiences: Audience[] }> = {
  edge: { serves: 'Public and partner traffic, at two sites', audiences: ['partner', 'public'] },
  inner: { serves: 'Company only', audiences: ['private'] },
  works: { serves: 'Treatment works', audiences: ['private'] },
  contractor: { serves: 'Sewage works, only read', audiences: ['private'] },
}

export const gatewaysServe: Record<string, string> = {
  'north-edge': 'Public and partner traffic',
  'south-edge': 'The same, second site',
  inner: 'Company only',
}

/** Clusters that others run: one is fed from a repository, of the other is known what somebody printed there. */
export const clusters = [
  {
    name: 'treatment-works',
    group: 'works',
    serves: 'The cluster of the treatment works',
    kind: 'files',
    folder: 'treatment-works',
  },
  {
    name: 'outfall',
    group: 'contractor',
    serves: 'Run by the contractor of the sewage works',
    kind: 'uploaded',
    folder: '',
  },
] as const

/** What the issuer’s tokens for programs are for. */
export const tokenAudience = 'https://api.brackenmere.example'

/** What holds for many placements at once, from the outside in. */
export const policies: { scope: string; policies: PolicySet; binding: PolicyName[] }[] = [
  {
    scope: 'organisation',
    policies: {
      log: { headers: ['User-Agent'], address: 'shortened', query: 'names', percent: 100 },
      caching: { visibility: 'no-store', maxAgeSeconds: 0 },
      requestHeaders: { set: [], add: [], remove: ['X-Debug'] },
      responseHeaders: {
        set: [{ name: 'X-Content-Type-Options', value: 'nosniff' }],
        add: [],
        remove: ['X-Powered-By'],
      },
    },
    binding: ['log'],
  },
  {
    scope: 'group:edge',
    policies: {
      body: { bytes: 1_000_000, depth: 40, values: 100_000, mediaTypes: [] },
      cors: {
        origins: [`https://*.${domain}`],
        headers: ['Content-Type', 'X-Api-Key'],
        expose: ['Link', 'RateLimit'],
        credentials: false,
        maxAgeSeconds: 600,
      },
    },
    binding: ['body'],
  },
  {
    scope: 'stage:Trial',
    policies: {
      responseHeaders: { set: [{ name: 'X-Stage', value: 'Trial' }], add: [], remove: [] },
    },
    binding: [],
  },
]

interface DemoApi {
  folder: string
  team: string
  audience: Audience
  owner: string
  /** Below the stage's part of the stand-ins' address; absent where there is no backend yet. */
  backend?: string
}

export const apis: DemoApi[] = [
  {
    folder: 'supply-interruptions',
    team: 'Network Control',
    audience: 'partner',
    owner: 'tomas',
    backend: 'supply',
  },
  {
    folder: 'meter-readings',
    team: 'Metering',
    audience: 'partner',
    owner: 'nadia',
    backend: 'meter-readings',
  },
  {
    folder: 'reservoir-levels',
    team: 'Network Control',
    audience: 'public',
    owner: 'tomas',
    backend: 'reservoirs',
  },
  {
    folder: 'customer-accounts',
    team: 'Customer',
    audience: 'private',
    owner: 'edwin',
    backend: 'customers',
  },
  {
    folder: 'payments-desk',
    team: 'Customer',
    audience: 'private',
    owner: 'edwin',
    backend: 'payments',
  },
  { folder: 'leak-sensors', team: 'Network Control', audience: 'partner', owner: 'tomas' },
  {
    folder: 'billing-and-tariffs',
    team: 'Customer',
    audience: 'private',
    owner: 'edwin',
    backend: 'billing',
  },
  {
    folder: 'tanker-dispatch',
    team: 'Field',
    audience: 'private',
    owner: 'bryn',
    backend: 'tankers',
  },
  {
    folder: 'lab-sampling',
    team: 'Water Quality',
    audience: 'private',
    owner: 'lena',
    backend: 'lab',
  },
  { folder: 'works-orders', team: 'Field', audience: 'private', owner: 'bryn' },
  {
    folder: 'connections-and-permits',
    team: 'Developer Services',
    audience: 'partner',
    owner: 'sunil',
    backend: 'connections',
  },
  {
    folder: 'hydrant-register',
    team: 'Field',
    audience: 'private',
    owner: 'bryn',
    backend: 'hydrants',
  },
]

/** What stood in Live before there was a rulebook. */
export const older = ['tanker-dispatch', 'connections-and-permits', 'hydrant-register']

/** What people wrote beside their definitions. */
export const facts: Record<string, Pick<ApiChange, 'labels' | 'links'>> = {
  'supply-interruptions': {
    labels: ['regulated', 'real time'],
    links: [
      { title: 'Runbook', url: 'https://wiki.brackenmere.example/runbooks/supply-interruptions' },
      { title: 'Regulator’s notice', url: 'https://regulator.example/notices/interruptions' },
    ],
  },
  'customer-accounts': { labels: ['personal data'] },
  'lab-sampling': { labels: ['regulated'] },
  'hydrant-register': {
    links: [
      {
        title: 'Plan to retire it',
        url: 'https://wiki.brackenmere.example/plans/hydrants',
        deprecation: true,
      },
    ],
  },
}

/** Before anybody had asked for rules. */
export const noRules = `rulebook: 1
name: House rules of Brackenmere Water
domain: ${domain}
groups: []
rules: []
`
