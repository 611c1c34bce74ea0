import type { Change } from '../compare/model'
import type { Contract } from '../contract/model'
import type { Documents } from '../text/documents'
import type { Diagnostic } from '../text/diagnostic'
import { weightOf } from './binding'
import { compileCondition } from './cel'
import { scopeOf, Subjects, type Frames, type Surroundings } from './facts/collect'
import type { Fact } from './facts/fact'
import { ConditionError, newMeter, type Meter, type ConditionPart } from './meter'
import {
  emptyEstate,
  isRuntimeKind,
  type Circumstances,
  type Edition,
  type Finding,
  type Rule,
  type SubjectKind,
} from './model'
import { layouts } from '../formats/layout'
import { pointerTo } from '../text/pointer'
import { compileTemplate, type Template } from './template'
import { errorText } from '../text/values'

/** A rule that could not be applied: one of its expressions is not readable, failed on a subject, or takes too long. */
export interface RuleFault {
  rule: string
  message: string
}

/** How far a rule reached in one definition: how many subjects it was asked of, and how many broke it. */
export interface Reach {
  rule: string
  asked: number
  broken: number
}

export interface CheckResult {
  findings: Finding[]
  faults: RuleFault[]
  reach: Reach[]
}

/** Findings kept for one rule in one definition; the rest of a flood says nothing new. */
export const findingsPerRule = 500

type Condition = (values: unknown[], meter: Meter) => boolean

/** A rule ready to be applied. */
export interface Ready {
  rule: Rule
  where: Condition | undefined
  expect: Condition
  message: Template
}

interface Prepared {
  ready: Ready[]
  faults: RuleFault[]
}

/** Compiles one rule. Throws {@link ConditionError} that says which of its expressions is at fault. */
export function prepareRule(rule: Rule): Ready {
  const scope = scopeOf(rule.about)
  const part = <T>(name: ConditionPart, compiled: () => T): T => {
    try {
      return compiled()
    } catch (error) {
      if (!(error instanceof ConditionError)) throw error
      throw new ConditionError(error.says, error.offset, name)
    }
  }
  const { where, expect, message } = rule
  return {
    rule,
    where: where === undefined ? undefined : part('where', () => compileCondition(where, scope)),
    expect: part('expect', () => compileCondition(expect, scope)),
    message: part('message', () => compileTemplate(message, scope)),
  }
}

/** Rules that came from elsewhere again are told by what they say. */
const prepared = new Map<string, Ready | RuleFault>()

export function prepare(rules: Rule[]): Prepared {
  const result: Prepared = { ready: [], faults: [] }
  for (const rule of rules) {
    const key = JSON.stringify([rule.id, rule.about, rule.where, rule.expect, rule.message])
    let known = prepared.get(key)
    if (!known) {
      try {
        known = prepareRule(rule)
      } catch (error) {
        known = { rule: rule.id, message: errorText(error) }
      }
      if (prepared.size > 2000) prepared.clear()
      prepared.set(key, known)
    }
    if ('message' in known && typeof known.message === 'string')
      result.faults.push(known as RuleFault)
    else result.ready.push({ ...(known as Ready), rule })
  }
  return result
}

export interface CheckOptions extends Partial<Pick<Surroundings, 'estate' | 'isWord' | 'before'>> {
  /** What the reader found; it becomes findings of its own group. */
  diagnostics?: Diagnostic[]
}

/** What breaks a rule, before it is known on which line that is. */
interface Unplaced {
  rule: string
  weight: Pick<Finding, 'level' | 'becomes' | 'since'>
  message: string
  at: string
  key: string
  operation: string | undefined
}

/** Checks a contract against an edition. The same function serves the server, the browser's worker and the command line. */
export function check(
  documents: Documents,
  contract: Contract,
  edition: Pick<Edition, 'rules' | 'domain' | 'words'>,
  circumstances: Circumstances,
  { estate = emptyEstate, isWord, before, diagnostics = [] }: CheckOptions = {},
): CheckResult {
  const { ready, faults } = prepare(edition.rules)
  const { domain, words } = edition
  const { steps } = layouts[contract.format.name]
  const subjects = new Subjects(contract, { circumstances, domain, words, estate, isWord, before })
  const unplaced: Unplaced[] = []
  const result: CheckResult = { findings: [], faults: [...faults], reach: [] }
  const asked = ready.filter(
    ({ rule: { about, formats } }) =>
      !isRuntimeKind(about) && (!formats || formats.includes(contract.format.name)),
  )
  for (const [i, judged] of judge(asked, subjects).entries()) {
    const { rule } = asked[i]!
    const weight = weightOf(rule, circumstances)
    for (const { fact, message } of judged.broken) {
      const at =
        rule.part === undefined ? fact.at : pointerTo(fact.at, ...steps(rule.about, rule.part))
      const key = `${rule.id}: ${fact.key}`
      unplaced.push({ rule: rule.id, weight, message, at, key, operation: operationOf(fact) })
    }
    if (judged.fault !== undefined) result.faults.push({ rule: rule.id, message: judged.fault })
    result.reach.push({ rule: rule.id, asked: judged.asked, broken: judged.broken.length })
  }
  result.findings = inOrder(documents, [
    ...placed(documents, unplaced),
    ...diagnostics.map(validityFinding),
  ])
  return result
}

/** The name of the operation that a fact is, or is a part of. */
function operationOf(fact: Fact): string | undefined {
  if (fact.shape.name === 'change') return (fact.node as Change).operation || undefined
  for (let here: Fact | undefined = fact; here; here = here.parent) {
    if (here.shape.name === 'operation' || here.shape.name === 'webhook') return here.own
  }
  return undefined
}

interface Judged {
  asked: number
  broken: { fact: Fact; message: string }[]
  fault: string | undefined
}

interface Trial extends Ready {
  judged: Judged
  meter: Meter
}

/**
 * What each rule finds. Subjects are gone through once for all rules about their kind, while they are at hand; a rule that
 * fails on one is done, and what it found before stands.
 */
export function judge(ready: readonly Ready[], subjects: Frames): Judged[] {
  const trials = ready.map((entry): Trial => {
    const judged = { asked: 0, broken: [], fault: undefined }
    return { ...entry, judged, meter: newMeter(subjects.world) }
  })
  const byKind = new Map<SubjectKind, Trial[]>()
  for (const trial of trials) {
    const list = byKind.get(trial.rule.about)
    if (list) list.push(trial)
    else byKind.set(trial.rule.about, [trial])
  }
  for (const [kind, list] of byKind) judgeKind(kind, list, subjects)
  return trials.map(({ judged }) => judged)
}

function judgeKind(kind: SubjectKind, trials: Trial[], subjects: Frames): void {
  const frame: unknown[] = []
  let going = trials
  subjects.each(kind, (fact) => {
    subjects.fill(frame, kind, fact)
    let ended = false
    for (const trial of going) if (!goesOn(trial, fact, frame)) ended = true
    if (ended) {
      going = going.filter(
        ({ judged }) => judged.fault === undefined && judged.broken.length < findingsPerRule,
      )
    }
    return going.length > 0
  })
}

/** Asks one rule of one subject; false where it is done with all of them. */
function goesOn({ where, expect, message, meter, judged }: Trial, fact: Fact, frame: unknown[]) {
  try {
    meter.left--
    if (where && !where(frame, meter)) return true
    judged.asked++
    if (expect(frame, meter)) return true
    judged.broken.push({ fact, message: message(frame, meter) })
    return judged.broken.length < findingsPerRule
  } catch (error) {
    if (!(error instanceof ConditionError)) throw error
    judged.fault = error.message
    return false
  }
}

/** A subject that breaks a rule, with what its expressions may be filled from. */
export interface Broken {
  fact: Fact
  values: unknown[]
  meter: Meter
}

/** The subjects of a contract that break a rule. Throws {@link ConditionError} where the rule fails on one. */
export function brokenBy(
  { rule, where, expect }: Ready,
  contract: Contract,
  surroundings: Surroundings,
): Broken[] {
  const broken: Broken[] = []
  if (rule.formats && !rule.formats.includes(contract.format.name)) return broken
  const subjects = new Subjects(contract, surroundings)
  const meter = newMeter(subjects.world)
  subjects.each(rule.about, (fact) => {
    const values: unknown[] = []
    subjects.fill(values, rule.about, fact)
    const isAsked = !where || where(values, meter)
    if (isAsked && !expect(values, meter)) broken.push({ fact, values, meter })
    return true
  })
  return broken
}

/** A departure from the format's own specification, as a finding. */
function validityFinding({ severity, message, file, line, column }: Diagnostic): Finding {
  return {
    rule: 'valid',
    level: severity === 'error' ? 'MUST' : 'SHOULD',
    message,
    at: '',
    key: `valid: ${message}`,
    file,
    line,
    column,
    endLine: line,
    endColumn: column + 1,
  }
}

function placed(documents: Documents, unplaced: Unplaced[]): Finding[] {
  const places = documents.locate(unplaced.map((finding) => finding.at))
  const files = new Map(documents.files.map((document) => [document.file, document]))
  return unplaced.map(({ rule, weight, message, at, key, operation }) => {
    const { file, line, column } = places.get(at)!
    const document = files.get(file)
    const offset = document && documents.linesOf(document).offsetOf({ line, column })
    const length = document ? tokenLength(document.text, offset!) : 1
    const end = { endLine: line, endColumn: column + length }
    const { level } = weight
    const finding: Finding = { rule, level, message, at, key, file, line, column, ...end }
    if (weight.becomes !== undefined) finding.becomes = weight.becomes
    if (weight.since !== undefined) finding.since = weight.since
    if (operation !== undefined) finding.operation = operation
    return finding
  })
}

const token = /^(?:"(?:[^"\\\n]|\\.)*"|'[^'\n]*'|<?[^\s:,<>[\]{}"']+)/

/** How long the word is that begins at an offset. */
const tokenLength = (text: string, offset: number) =>
  token.exec(text.slice(offset, offset + 400))?.[0].length ?? 1

/** In the order of the text, and with keys that no two share. */
function inOrder(documents: Documents, findings: Finding[]): Finding[] {
  const order = new Map(documents.files.map(({ file }, index) => [file, index]))
  const between = (a: Finding, b: Finding) =>
    a.file === b.file ? 0 : (order.get(a.file) ?? 0) - (order.get(b.file) ?? 0)
  findings.sort((a, b) => between(a, b) || a.line - b.line || a.column - b.column)
  const counts = new Map<string, number>()
  for (const finding of findings) {
    const count = (counts.get(finding.key) ?? 0) + 1
    counts.set(finding.key, count)
    if (count > 1) finding.key = `${finding.key} #${count}`
  }
  return findings
}
