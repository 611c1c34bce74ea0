import type { Contract } from '../contract/model'
import { pointerTo } from '../text/pointer'
import type { Documents } from '../text/documents'
import { compileCondition, ConditionError, type Condition } from './condition'
import type { Circumstances, Edition, Finding, Rule } from './model'
import { subjectsOf, type Subject } from './subjects'

/** A rule that could not be applied: its condition is not readable or failed on a subject. */
export interface RuleFault {
  rule: string
  message: string
}

export interface CheckResult {
  findings: Finding[]
  faults: RuleFault[]
}

/** Findings kept for one rule in one definition; the rest of a flood says nothing new. */
export const findingsPerRule = 500

type Unplaced = Omit<Finding, 'file' | 'line' | 'column'>

interface Ready {
  rule: Rule
  when: Condition | undefined
  condition: Condition
}

const prepared = new WeakMap<Edition, { ready: Ready[]; faults: RuleFault[] }>()

/** Compiles an edition once, however many definitions are checked against it. */
function prepare(edition: Edition) {
  const known = prepared.get(edition)
  if (known) return known
  const result = { ready: [] as Ready[], faults: [] as RuleFault[] }
  for (const rule of edition.rules) {
    try {
      result.ready.push({
        rule,
        when: rule.when === undefined ? undefined : compileCondition(rule.when),
        condition: compileCondition(rule.condition),
      })
    } catch (error) {
      result.faults.push({ rule: rule.id, message: (error as Error).message })
    }
  }
  prepared.set(edition, result)
  return result
}

/** Checks a contract against an edition. The same function serves the server and the browser's worker. */
export function check(
  documents: Documents,
  contract: Contract,
  edition: Edition,
  circumstances: Circumstances,
): CheckResult {
  const { ready, faults } = prepare(edition)
  const subjects = subjectsOf(contract)
  const api = { ...subjects.definition[0]!.fields, ...circumstances }
  const org = { domain: edition.domain }
  const unplaced: Unplaced[] = []
  const failed = [...faults]
  for (const entry of ready) {
    try {
      unplaced.push(...judge(entry, subjects[entry.rule.about], { api, org }))
    } catch (error) {
      if (!(error instanceof ConditionError)) throw error
      failed.push({ rule: entry.rule.id, message: error.message })
    }
  }
  return { findings: place(documents, unplaced), faults: failed }
}

function judge(
  { rule, when, condition }: Ready,
  subjects: Subject[],
  common: Record<string, unknown>,
): Unplaced[] {
  const findings: Unplaced[] = []
  for (const subject of subjects) {
    const variables = { ...common, [rule.about]: subject.fields }
    if (when && !when(variables)) continue
    if (condition(variables)) continue
    findings.push({
      rule: rule.id,
      level: rule.level,
      message: fill(rule.message, variables),
      at: rule.place === undefined ? subject.at : pointerTo(subject.at, ...rule.place.split('/')),
    })
    if (findings.length === findingsPerRule) break
  }
  return findings
}

/** Fills `{operation.id}` from the variables; what is not there stays visible as written. */
function fill(template: string, variables: Record<string, unknown>): string {
  return template.replace(/\{([a-zA-Z.]+)\}/g, (whole, path: string) => {
    let value: unknown = variables
    for (const key of path.split('.')) value = (value as Record<string, unknown> | undefined)?.[key]
    return typeof value === 'string' || typeof value === 'number' ? String(value) : whole
  })
}

function place(documents: Documents, unplaced: Unplaced[]): Finding[] {
  const places = documents.locate(unplaced.map((finding) => finding.at))
  const order = new Map(documents.files.map(({ file }, index) => [file, index]))
  return unplaced
    .map((finding) => ({ ...finding, ...places.get(finding.at)! }))
    .sort(
      (a, b) =>
        (order.get(a.file) ?? 0) - (order.get(b.file) ?? 0) ||
        a.line - b.line ||
        a.column - b.column,
    )
}
