import type { ApiChange } from '../shared/api/catalog'
import type { Audience } from '../shared/words'
import type { Role } from '../shared/words'

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

/** Which gateways serve the same. */
export const groupOf: Record<string, string> = {
  'north-edge': 'edge',
  'south-edge': 'edge',
  inner: 'inner',
}

export const groups: Record<string, { serves: string; audiences: Audience[] }> = {
  edge: { serves: 'Public and partner traffic, at two sites', audiences: ['partner', 'public'] },
  inner: { serves: 'Company only', audiences: ['private'] },
}

export const gatewaysServe: Record<string, string> = {
  'north-edge': 'Public and partner traffic',
  'south-edge': 'The same, second site',
  inner: 'Company only',
}

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
    links: [{ title: 'Plan to retire it', url: 'https://wiki.brackenmere.example/plans/hydrants' }],
  },
}

/** Before anybody had asked for rules. */
export const noRules = `rulebook: 1
name: House rules of Brackenmere Water
domain: ${domain}
groups: []
rules: []
`
