import { effects, type Effect } from '../compare/model'
import type { FittingVersion } from '../compare/version'
import type { Field, ValueOf } from '../runtime/fields'
import { count } from '../text/counted'
import { callersConfig, judgeCallers, type Affected } from './affected'
import { conditionConfig, notHeld, type Asked } from './condition'
import {
  approvalConfig,
  driftConfig,
  findingsConfig,
  freezeConfig,
  outsideConfig,
  probesConfig,
  quotaConfig,
  soakConfig,
  versionConfig,
  windowConfig,
} from './gate-configs'
import { dayIn, hourInWeek, weekdays, type Weekday } from './hours'

/** A condition on entering a stage, as it was judged. */
export interface Gate {
  /** `stage` where no pipeline leads there any more. */
  id: GateName | 'stage'
  title: string
  state: 'passed' | 'failed' | 'waiting'
  text: string
  /** Whether somebody would have it pass this once. */
  waiver?: 'asked' | 'agreed' | 'void'
}

/** Who has spoken for a request. */
export interface ReviewFacts {
  requester: string
  /** Who wrote the revision. */
  author: string
  /** `voided` says why an approval does not hold any more: it was given to another plan. */
  approvals: readonly { by: string; name: string; role: string; voided?: string }[]
  /** Who went past the approval in an emergency; that holds for the plan it was done for, as an approval does. */
  override?: { name: string; reason: string; voided?: string }
}

export interface GateFacts extends ReviewFacts {
  /** Findings of the revision by level. */
  findings: { must: number; should: number }
  /** What would stand at MUST against the placements in the next stage. */
  placementFindings: readonly string[]
  fromStage: string
  /** Placements of the version in the stage it stands in. `since` is when the last of them was placed as it is; ms since 1970. */
  placed: readonly { name: string; checked: boolean; differences: number; since: number }[]
  /** The versions that stand in the next stage, and would be replaced by this one. */
  replaced: readonly Replaced[]
  /** Who called what it breaks or takes away in the last so many days. */
  affected: ReadonlyMap<number, readonly Affected[]>
  /** The probes of the API, each with its last run on each gateway of the stage it stands in. */
  probes: readonly ProbeFacts[]
  /** The last word of each source outside on each version of the API. */
  outside: readonly OutsideFacts[]
  /** The digest of the definition that would be promoted. */
  digest: string
  /** Calls of the version in the stage it stands in, of the last hours, the newest hour last. */
  hours: readonly { calls: number; failed: number }[]
  /** Within so many milliseconds 95 in 100 of the calls of the last so many hours were answered. */
  latency: ReadonlyMap<number, number>
  /** When promotions into the next stage began, of the last 24 hours; ms since 1970. */
  promoted: readonly number[]
  /** In milliseconds since 1970. */
  now: number
  /** What conditions ask besides. */
  promotion: Pick<Asked, 'api' | 'team' | 'audience' | 'labels' | 'version' | 'to'>
}

/** A probe and how it went last. */
export interface ProbeFacts {
  title: string
  runs: readonly {
    placement: string
    gateway: string
    /** ms since 1970. */
    at: number
    passed: boolean
    says: string
  }[]
}

/** What a source outside said last of a version. */
export interface OutsideFacts {
  source: string
  title: string
  version: string
  passed: boolean
  says: string
  url: string
  /** Of the only definition that it holds for; empty where it holds for the version. */
  digest: string
  /** ms since 1970. */
  at: number
}

export interface Replaced {
  version: string
  /** How this version and the one that is promoted were compared. */
  compared:
    | { state: 'going on' }
    | { state: 'failed'; trouble: string }
    /** Without a fitting number where the versions are none. */
    | { state: 'done'; fitting: FittingVersion | undefined; counts: Record<Effect, number> }
}

type Judged = Pick<Gate, 'state' | 'text'>

/** One kind of gate: what may be configured, how it reads, and how it is judged. */
interface GateKind<C> {
  says: string
  config: Field<C>
  title: (config: C, fromStage: string) => string
  judge: (config: C, facts: GateFacts) => Judged
}

/** Names the type of a kind's configuration once, by its fields. */
const gate = <C>(kind: GateKind<C>): GateKind<C> => kind

/** All kinds of gates, in the order in which they are shown. This table reads, judges and documents them. */
export const gateKinds = {
  findings: gate({
    says: 'The rulebook has nothing against the revision, nor against how it would be served.',
    config: findingsConfig,
    title: ({ level }) =>
      level === 'MUST' ? 'No finding at MUST' : 'No finding at MUST or SHOULD',
    judge: findings,
  }),
  drift: gate({
    says: 'What runs of the version, in the stage where it stands, is what was approved.',
    config: driftConfig,
    title: (_, fromStage) => `${fromStage} matches the ledger`,
    judge: (_, facts) => drift(facts),
  }),
  version: gate({
    says: 'The number of the version says what changed since the one that it takes the place of.',
    config: versionConfig,
    title: () => 'The number fits the changes',
    judge: (_, facts) => version(facts),
  }),
  callers: gate({
    says: 'Nobody calls what breaks or goes away, or each caller was told.',
    config: callersConfig,
    title: () => 'Callers of what breaks were told',
    judge: callers,
  }),
  condition: gate({
    says: 'What the organisation asks besides is true of it.',
    config: conditionConfig,
    title: ({ all: [first, ...others] }) =>
      others.length === 0 ? (first?.says ?? '') : count(others.length + 1, 'condition'),
    judge: condition,
  }),
  soak: gate({
    says: 'The version has been in the stage where it stands for some time, and answered well.',
    config: soakConfig,
    title: ({ hours }, fromStage) => `${count(hours, 'hour')} in ${fromStage}`,
    judge: soak,
  }),
  probes: gate({
    says: 'The probes of its API passed in the stage where it stands.',
    config: probesConfig,
    title: (_, fromStage) => `Probes pass in ${fromStage}`,
    judge: probes,
  }),
  outside: gate({
    says: 'Builds and other programs outside said that the version passed.',
    config: outsideConfig,
    title: ({ sources }) => `Passed by ${sources.join(', ')}`,
    judge: outside,
  }),
  window: gate({
    says: 'It is carried out at certain hours only.',
    config: windowConfig,
    title: ({ days, from, until }) => `${daysText(days)}, ${from}:00 to ${until}:00`,
    judge: window,
  }),
  freeze: gate({
    says: 'On certain days nothing is carried out.',
    config: freezeConfig,
    title: () => 'No freeze',
    judge: freeze,
  }),
  quota: gate({
    says: 'Only so much changes within a day.',
    config: quotaConfig,
    title: ({ promotions }) => `At most ${count(promotions, 'promotion')} in 24 hours`,
    judge: quota,
  }),
  approval: gate({
    says: 'People who did not ask for it have read what it does, and approve of exactly that.',
    config: approvalConfig,
    title: ({ number }) =>
      number === 1 ? 'One approval by somebody else' : `${number} approvals by others`,
    judge: approval,
  }),
}

export type GateName = keyof typeof gateKinds
export const gateNames = Object.keys(gateKinds) as GateName[]
export type ApprovalConfig = ValueOf<typeof approvalConfig>
type ConfigOf<N extends GateName> = ValueOf<(typeof gateKinds)[N]['config']>

/** The gates of a stage: those that are named stand before it, each with its configuration. */
export type GateSet = { [N in GateName]?: ConfigOf<N> }

function judged<N extends GateName>(id: N, config: ConfigOf<N>, facts: GateFacts): Gate {
  // One row of the table, whose parts belong together.
  const { title, judge } = gateKinds[id] as unknown as GateKind<ConfigOf<N>>
  return { id, title: title(config, facts.fromStage), ...judge(config, facts) }
}

/** A gate of a stage in a line; undefined where it does not stand there. */
export function gateTitle(
  id: GateName,
  { [id]: config }: GateSet,
  fromStage: string,
): string | undefined {
  const { title } = gateKinds[id] as unknown as GateKind<unknown>
  return config && title(config, fromStage)
}

/** The only gate of a promotion into a stage that its pipeline does not lead to from where it stands. */
export const astray = (pipeline: string, toStage: string): Gate[] => [
  {
    id: 'stage',
    title: `The pipeline leads into ${toStage}`,
    state: 'failed',
    text: `${pipeline} does not lead there any more; withdraw this, and ask again`,
  },
]

/** Judges the gates of a promotion from facts; the order is the order they are shown in. */
export const judgeGates = (gates: GateSet, facts: GateFacts): Gate[] =>
  gateNames.flatMap((id) => {
    const config = gates[id]
    return config ? [judged(id, config, facts)] : []
  })

/** How a change where a version stands already is approved: never not at all, whatever stands before the stage. */
export const approvalOfChange = ({
  approval: wanted = { number: 1, roles: [], authorsToo: true },
}: GateSet): ApprovalConfig => wanted

/** Whether an approval by somebody counts, as it is asked for. */
export const approvalCounts = (
  { roles, authorsToo }: ApprovalConfig,
  { requester, author }: Pick<ReviewFacts, 'requester' | 'author'>,
  { by, role }: { by: string; role: string },
): boolean =>
  by !== requester &&
  (authorsToo || by !== author) &&
  (roles.length === 0 || roles.some((one) => one === role))

/**
 * Judges the gates of a change where a version stands already; `findings` are those that the change would bring.
 */
export function judgeChange(
  gates: GateSet,
  facts: ReviewFacts,
  findings?: readonly string[],
): Gate[] {
  const wanted = approvalOfChange(gates)
  const title = gateKinds.approval.title(wanted, '')
  return [
    ...(findings ? [served(findings)] : []),
    { id: 'approval', title, ...approval(wanted, facts) },
  ]
}

/** Whether every gate stands open. */
export const open = (gates: readonly Pick<Gate, 'state'>[]) =>
  gates.every(({ state }) => state === 'passed')

function findings(
  { level }: ValueOf<typeof findingsConfig>,
  { findings: { must, should }, placementFindings }: GateFacts,
): Judged {
  const found = [
    ...(must > 0 ? [`${count(must, 'finding')} at MUST`] : []),
    ...(level === 'SHOULD' && should > 0 ? [`${count(should, 'finding')} at SHOULD`] : []),
  ]
  const troubles = [
    ...(found.length > 0 ? [`${found.join(' and ')}; fix them in a new version`] : []),
    ...atPlacements(placementFindings),
  ]
  return troubles.length > 0
    ? { state: 'failed', text: troubles.join('. ') }
    : {
        state: 'passed',
        text: `The revision, and how it would be served, keep every rule at ${level}`,
      }
}

/** The first of them in words, and how many others there are. */
function atPlacements([first, ...others]: readonly string[]): string[] {
  if (first === undefined) return []
  const more = others.length === 0 ? '' : `, and ${count(others.length, 'other')}`
  return [`How it would be served breaks rules at MUST: ${first}${more}`]
}

/** The gate of a change, where rules speak about what would run. */
function served(findings: readonly string[]): Gate {
  const [text] = atPlacements(findings)
  return {
    id: 'findings',
    title: 'No finding at MUST',
    state: text === undefined ? 'passed' : 'failed',
    text: text ?? 'How it would be served keeps every rule at MUST',
  }
}

function drift({ placed, fromStage }: GateFacts): Judged {
  if (placed.length === 0)
    return { state: 'failed', text: `The version is not placed in ${fromStage}` }
  const differing = placed.filter(({ differences }) => differences > 0)
  if (differing.length > 0) {
    const names = differing.map(({ name }) => name).join(', ')
    return { state: 'failed', text: `The gateway differs for ${names}; resolve it under Drift` }
  }
  const unseen = placed.find(({ checked }) => !checked)
  if (unseen)
    return {
      state: 'waiting',
      text: `The gateway has not been read since ${unseen.name} was placed`,
    }
  return { state: 'passed', text: 'What runs is what was approved' }
}

/** How gates stand that ask what changed, where no comparison says so. */
function uncompared({ version: before, compared }: Replaced): Judged | undefined {
  if (compared.state === 'failed')
    return { state: 'failed', text: `It cannot be compared with ${before}: ${compared.trouble}` }
  return compared.state === 'going on'
    ? { state: 'waiting', text: `It is being compared with ${before}` }
    : undefined
}

/** A number that says too little would tell clients that they need not look. */
function version({ replaced }: GateFacts): Judged {
  for (const one of replaced) {
    const unknown = uncompared(one)
    if (unknown) return unknown
    const { compared } = one
    if (compared.state === 'done' && compared.fitting && !compared.fitting.isEnough)
      return {
        state: 'failed',
        text: `What changed since ${one.version} asks for ${compared.fitting.fits}; bring it in under that number`,
      }
  }
  const text =
    replaced.length === 0
      ? 'It replaces no other version there'
      : `It says what changed since ${replaced.map((one) => one.version).join(' and ')}`
  return { state: 'passed', text }
}

function callers(
  config: ValueOf<typeof callersConfig>,
  { replaced, affected, now }: GateFacts,
): Judged {
  for (const one of replaced) {
    const unknown = uncompared(one)
    if (unknown) return unknown
  }
  return judgeCallers(config, affected.get(config.days) ?? [], now)
}

function condition(config: ValueOf<typeof conditionConfig>, facts: GateFacts): Judged {
  const { replaced, requester, fromStage, findings: found, promotion } = facts
  const changed = { breaking: 0, risky: 0, safe: 0 }
  for (const one of replaced) {
    const unknown = uncompared(one)
    if (unknown) return unknown
    if (one.compared.state === 'done')
      for (const effect of effects) changed[effect] += one.compared.counts[effect]
  }
  const wrong = notHeld(config, {
    ...{ ...promotion, ...changed, requester, from: fromStage },
    ...{ must: found.must, should: found.should },
    replaces: replaced.map((one) => one.version),
  })
  if (wrong.length > 0) {
    const words = wrong.map(({ says, why }) => (why === undefined ? says : `${says} (${why})`))
    return { state: 'failed', text: `Not so: ${words.join('. ')}` }
  }
  return { state: 'passed', text: config.all.map(({ says }) => says).join('. ') }
}

const hour = 3_600_000

function soak(
  { hours, calls: least, errorPercent, latencyMs }: ValueOf<typeof soakConfig>,
  { placed, hours: counted, latency, fromStage, now }: GateFacts,
): Judged {
  if (placed.length === 0)
    return { state: 'failed', text: `The version is not placed in ${fromStage}` }
  const since = Math.max(...placed.map((one) => one.since))
  const left = Math.ceil((since + hours * hour - now) / hour)
  if (left > 0)
    return {
      state: 'waiting',
      text: `It was placed there as it is ${count(Math.floor((now - since) / hour), 'hour')} ago; ${count(left, 'hour')} are left`,
    }
  const last = counted.slice(-hours)
  const calls = last.reduce((sum, one) => sum + one.calls, 0)
  const failed = last.reduce((sum, one) => sum + one.failed, 0)
  const told = `${count(failed, 'error')} in ${count(calls, 'call')}`
  if (calls < least)
    return { state: 'waiting', text: `${told} in that time, of ${least} that are asked for` }
  if (failed * 100 > errorPercent * calls)
    return { state: 'failed', text: `${told}; at most ${errorPercent} % may be` }
  const p95 = latency.get(hours)
  if (latencyMs === undefined || p95 === undefined) return { state: 'passed', text: told }
  const within = `95 in 100 within ${Math.round(p95)} ms`
  return p95 > latencyMs
    ? { state: 'failed', text: `${told}, ${within}; ${latencyMs} ms are asked for` }
    : { state: 'passed', text: `${told}, ${within}` }
}

function probes(
  { hours }: ValueOf<typeof probesConfig>,
  { probes: all, placed, fromStage, now }: GateFacts,
): Judged {
  if (placed.length === 0)
    return { state: 'failed', text: `The version is not placed in ${fromStage}` }
  if (all.length === 0)
    return { state: 'failed', text: 'The API has no probe; write one, or have one made' }
  for (const { title, runs } of all)
    for (const { name, since } of placed) {
      const fresh = runs.filter(
        ({ placement, at }) => placement === name && at >= Math.max(since, now - hours * hour),
      )
      const failed = fresh.find(({ passed }) => !passed)
      if (failed)
        return { state: 'failed', text: `${title} fails on ${failed.gateway}: ${failed.says}` }
      if (fresh.length === 0)
        return {
          state: 'waiting',
          text: `${title} has not been sent to ${name} as it stands in the last ${count(hours, 'hour')}`,
        }
    }
  return { state: 'passed', text: `${count(all.length, 'probe')} passed` }
}

function outside(
  { sources, hours }: ValueOf<typeof outsideConfig>,
  { outside: all, digest, promotion: { version: promoted }, now }: GateFacts,
): Judged {
  const words: string[] = []
  for (const source of sources) {
    const said = all.find((one) => one.source === source && one.version === promoted)
    if (!said) return { state: 'waiting', text: `${source} has said nothing of ${promoted} yet` }
    if (said.digest !== '' && said.digest !== digest)
      return { state: 'waiting', text: `${said.title} spoke of another text of ${promoted}` }
    if (!said.passed) return { state: 'failed', text: `${said.title}: ${said.says}` }
    if (hours !== undefined && said.at < now - hours * hour)
      return {
        state: 'waiting',
        text: `${said.title} spoke more than ${count(hours, 'hour')} ago`,
      }
    words.push(`${said.title}: ${said.says}`)
  }
  return { state: 'passed', text: words.join('. ') }
}

const daysText = (days: readonly Weekday[]): string => {
  const places = days.map((day) => weekdays.indexOf(day)).sort((a, b) => a - b)
  const [first = 0, last = 0] = [places[0], places.at(-1)]
  const isRow = places.length > 2 && last - first === places.length - 1
  return isRow
    ? `${weekdays[first]} to ${weekdays[last]}`
    : places.map((place) => weekdays[place]).join(', ')
}

function window(
  { days, from, until, timeZone }: ValueOf<typeof windowConfig>,
  { now }: Pick<GateFacts, 'now'>,
): Judged {
  const { day, hour: at } = hourInWeek(timeZone, now)
  const isOpen = days.includes(day) && at >= from && at < until
  return isOpen
    ? { state: 'passed', text: `It is open until ${until}:00, ${timeZone}` }
    : {
        state: 'waiting',
        text: `It is shut; it opens ${daysText(days)} at ${from}:00, ${timeZone}`,
      }
}

/** Why nothing is carried out now by the clock and the calendar; undefined where it may be. */
export function whyShut(
  { window: hours, freeze: days }: Pick<GateSet, 'window' | 'freeze'>,
  now: number,
): string | undefined {
  const facts = { now }
  const judged = [...(hours ? [window(hours, facts)] : []), ...(days ? [freeze(days, facts)] : [])]
  return judged.find(({ state }) => state !== 'passed')?.text.replace(/^It is/, 'The window is')
}

function freeze(
  { periods, timeZone }: ValueOf<typeof freezeConfig>,
  { now }: Pick<GateFacts, 'now'>,
): Judged {
  const today = dayIn(timeZone, now)
  const frozen = periods.find(({ from, until }) => from <= today && today <= until)
  if (frozen)
    return {
      state: 'waiting',
      text: `${frozen.why}: frozen to the end of ${frozen.until}, ${timeZone}`,
    }
  const next = periods
    .filter(({ from }) => from > today)
    .sort((one, other) => (one.from < other.from ? -1 : 1))[0]
  return {
    state: 'passed',
    text: next ? `The next one begins on ${next.from}: ${next.why}` : 'None is ahead',
  }
}

function quota(
  { promotions: most }: ValueOf<typeof quotaConfig>,
  { promoted, now }: GateFacts,
): Judged {
  const times = promoted.filter((at) => at > now - 24 * hour).sort((one, other) => one - other)
  if (times.length < most)
    return { state: 'passed', text: `${times.length} of ${most} since this time yesterday` }
  const minutes = Math.ceil((times[times.length - most]! + 24 * hour - now) / 60_000)
  const left = minutes > 90 ? count(Math.ceil(minutes / 60), 'hour') : count(minutes, 'minute')
  return {
    state: 'waiting',
    text: `${times.length} of ${most} since this time yesterday; there is room again in ${left}`,
  }
}

function approval(wanted: ApprovalConfig, facts: ReviewFacts): Judged {
  const { number, roles } = wanted
  const { approvals, override } = facts
  if (override && override.voided === undefined)
    return {
      state: 'passed',
      text: `${override.name} went past it in an emergency: ${override.reason}`,
    }
  const counting = approvals.filter((one) => approvalCounts(wanted, facts, one))
  const valid = counting.filter(({ voided }) => voided === undefined)
  const names = valid.map(({ name }) => name).join(' and ')
  if (valid.length >= number) return { state: 'passed', text: `Approved by ${names}` }
  const [void_] = override ? [override] : counting.filter(({ voided }) => voided !== undefined)
  if (void_) {
    const what = override ? 'emergency act' : 'approval'
    return { state: 'waiting', text: `The ${what} by ${void_.name} is void: ${void_.voided}` }
  }
  const whose = roles.length === 0 ? 'A reviewer who' : `Somebody (${roles.join(', ')}) who`
  if (valid.length === 0 && number === 1)
    return { state: 'waiting', text: `${whose} did not ask for it has to approve` }
  const given = valid.length === 0 ? '' : `Approved by ${names}; `
  return { state: 'waiting', text: `${given}${valid.length} of ${number} approvals` }
}
