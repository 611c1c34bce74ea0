import type { FittingVersion } from '../compare/version'
import { count } from '../text/counted'

/** What a promotion must satisfy before it may enter the next stage. */
export interface Gate {
  id: 'findings' | 'drift' | 'version' | 'approval'
  title: string
  state: 'passed' | 'failed' | 'waiting'
  text: string
}

/** Who has spoken for a request. */
export interface ReviewFacts {
  requester: string
  /** `voided` says why an approval does not hold any more: it was given to another plan. */
  approvals: { by: string; name: string; voided?: string }[]
  /** Who went past the approval in an emergency; that holds for the plan it was done for, as an approval does. */
  override?: { name: string; reason: string; voided?: string }
}

export interface GateFacts extends ReviewFacts {
  mustFindings: number
  /** What would stand at MUST against the placements in the next stage. */
  placementFindings: readonly string[]
  fromStage: string
  /** Placements of the version in the stage it stands in. */
  placed: { name: string; checked: boolean; differences: number }[]
  /** The versions that stand in the next stage, and would be replaced by this one. */
  replaced: Replaced[]
}

export interface Replaced {
  version: string
  /** How this version and the one that is promoted were compared. */
  compared:
    | { state: 'going on' }
    | { state: 'failed'; trouble: string }
    /** Without a fitting number where the versions are none. */
    | { state: 'done'; fitting: FittingVersion | undefined }
}

/** Judges the gates of a promotion from facts; the order is the order they are shown in. */
export function judgeGates(facts: GateFacts): Gate[] {
  return [findings(facts), drift(facts), version(facts), approval(facts)]
}

/** Judges the gates of a change where a version stands already; `findings` are those that the change would bring. */
export const judgeChange = (facts: ReviewFacts, findings?: readonly string[]): Gate[] => [
  ...(findings ? [served(findings)] : []),
  approval(facts),
]

/** Whether every gate stands open. */
export const open = (gates: Gate[]) => gates.every((gate) => gate.state === 'passed')

function findings({ mustFindings, placementFindings }: GateFacts): Gate {
  const troubles = [
    ...(mustFindings > 0
      ? [`${count(mustFindings, 'finding')} at MUST; fix them in a new version`]
      : []),
    ...atPlacements(placementFindings),
  ]
  return {
    id: 'findings',
    title: 'No finding at MUST',
    state: troubles.length === 0 ? 'passed' : 'failed',
    text:
      troubles.length === 0
        ? 'The revision, and how it would be served, keep every rule at MUST'
        : troubles.join('. '),
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

function drift({ placed, fromStage }: GateFacts): Gate {
  const gate = { id: 'drift' as const, title: `${fromStage} matches the ledger` }
  if (placed.length === 0) {
    return { ...gate, state: 'failed', text: `The version is not placed in ${fromStage}` }
  }
  const differing = placed.filter((placement) => placement.differences > 0)
  if (differing.length > 0) {
    const names = differing.map((placement) => placement.name).join(', ')
    return {
      ...gate,
      state: 'failed',
      text: `The gateway differs for ${names}; resolve it under Drift`,
    }
  }
  const unseen = placed.filter((placement) => !placement.checked)
  if (unseen.length > 0) {
    return {
      ...gate,
      state: 'waiting',
      text: `The gateway has not been read since ${unseen[0]!.name} was placed`,
    }
  }
  return { ...gate, state: 'passed', text: 'What runs is what was approved' }
}

/** A number that says too little would tell clients that they need not look. */
function version({ replaced }: GateFacts): Gate {
  const gate = { id: 'version' as const, title: 'The number fits the changes' }
  for (const { version: before, compared } of replaced) {
    if (compared.state === 'failed')
      return {
        ...gate,
        state: 'failed',
        text: `It cannot be compared with ${before}: ${compared.trouble}`,
      }
    if (compared.state === 'going on')
      return { ...gate, state: 'waiting', text: `It is being compared with ${before}` }
    if (compared.fitting && !compared.fitting.isEnough)
      return {
        ...gate,
        state: 'failed',
        text: `What changed since ${before} asks for ${compared.fitting.fits}; bring it in under that number`,
      }
  }
  const text =
    replaced.length === 0
      ? 'It replaces no other version there'
      : `It says what changed since ${replaced.map((one) => one.version).join(' and ')}`
  return { ...gate, state: 'passed', text }
}

function approval({ approvals, requester, override }: ReviewFacts): Gate {
  const gate = { id: 'approval' as const, title: 'One approval by somebody else' }
  const others = approvals.filter((given) => given.by !== requester)
  const valid = others.find((given) => given.voided === undefined)
  if (valid) return { ...gate, state: 'passed', text: `Approved by ${valid.name}` }
  if (override && override.voided === undefined) {
    const text = `${override.name} went past it in an emergency: ${override.reason}`
    return { ...gate, state: 'passed', text }
  }
  const [void_] = override ? [override] : others
  if (void_) {
    const what = override ? 'emergency act' : 'approval'
    const text = `The ${what} by ${void_.name} is void: ${void_.voided}`
    return { ...gate, state: 'waiting', text }
  }
  return { ...gate, state: 'waiting', text: 'A reviewer who did not ask for it has to approve' }
}
